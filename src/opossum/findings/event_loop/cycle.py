"""Cycle: a chain of causes over frames passes through the same listeners again and again, from one outside cause."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import listed, with_place
from opossum.stream.tables import Array
from opossum.take.chains import chain_of, top_calls
from opossum.take.grouping import distinct
from opossum.words import counted, tr

LOOP_TURNS = Threshold(
    "loop_turns", 60, "times through the same listeners", "what answers so often does not come to rest"
)

TURNS_A_FRAME = 8
"""A chain that goes round more often than this in each of its frames is a storm within frames, told as a freeze."""


MOST_NAMED = 6
"""Listeners of a circle that a sentence names."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield circles of events. Cost: log(depth) passes over the calls, then the longest chain of each cause."""
    take, calls = scene.take, scene.take.calls
    causes = take.causes
    if not len(calls):
        return
    depth = _depths(causes)
    deep = np.flatnonzero(depth >= 2 * scene[LOOP_TURNS] - 1)
    if not len(deep):
        return
    top = top_calls(causes)[deep]
    order = np.lexsort((depth[deep], top))
    last = np.flatnonzero(np.append(top[order][1:] != top[order][:-1], True))
    told: dict[tuple[int, ...], list[Array]] = {}
    for leaf in deep[order[last]].tolist():
        chain = np.array(chain_of(causes, leaf, limit=1_000_000)[::-1], np.int64)
        circle = _circle(scene, chain)
        if circle is not None:
            passes = chain[np.isin(calls.listener[chain], circle)]
            told.setdefault(tuple(circle), []).append(passes)
    for passes_of in told.values():
        yield _tell(scene, passes_of)


def _depths(causes: Array) -> Array:
    """Return int64 (calls,): how many causes each call has above it, by pointer doubling."""
    depth = (causes >= 0).astype(np.int64)
    above = np.asarray(causes, np.int64).copy()
    while (above >= 0).any():
        known = np.flatnonzero(above >= 0)
        depth[known] += depth[above[known]]
        above[known] = above[above[known]]
    return depth


def _circle(scene: Scene, chain: Array) -> list[int] | None:
    """Return the listeners (ascending) a chain goes round through, None where it is no circle over frames."""
    calls = scene.take.calls
    counts = Counter(calls.listener[chain].tolist())
    circle = sorted(listener for listener, times in counts.items() if times >= scene[LOOP_TURNS])
    if len(circle) < 2 or _ticks_along(scene, chain):
        return None
    turns = max(counts.values())
    frames = len(distinct(calls.frame[chain]))
    return circle if frames > 1 and frames * TURNS_A_FRAME >= turns else None


def _ticks_along(scene: Scene, chain: Array) -> bool:
    """Say whether a tick or a looping timer is part of the chain."""
    take = scene.take
    sends = take.calls.send[chain]
    sends = sends[sends >= 0]
    table = take.tables["send"]
    via = np.asarray(table["via"])[sends]
    arms = take.arm_ids.rows(np.asarray(table["p"])[sends], np.asarray(table["a"])[sends])
    loops = np.append(np.asarray(take.tables["arm"]["loop"]) == 1, False)[arms]
    unknown = (via == take.code("timer")) & (arms < 0)
    return bool((via == take.code("tick")).any() or loops.any() or unknown.any())


def _tell(scene: Scene, passes_of: list[Array]) -> Found:
    take, calls = scene.take, scene.take.calls
    passes = passes_of[0]
    turns = max(Counter(calls.listener[passes].tolist()).values())
    one_turn: list[int] = []
    for call in passes.tolist():
        if calls.listener[call] in [calls.listener[other] for other in one_turn]:
            break
        one_turn.append(call)
    names = [
        tr(
            "{function_of_call} of {owner_of_call}",
            function_of_call=take.function_of_call(call),
            owner_of_call=take.owner_of_call(call),
        )
        for call in one_turn
    ]
    events = [f"`{take.event_of_call(call)}`" for call in one_turn]
    first = int(passes[0])
    outside = int(top_calls(take.causes)[first])
    every = distinct(np.concatenate(passes_of))
    frames = distinct(calls.frame[every])
    evidence = scene.evidence("call", [outside], tr("the outside cause")) if outside != first else []
    evidence += scene.evidence("call", passes[: 2 * len(one_turn) + 1].tolist(), tr("one turn of the circle"))
    round_of_names = " → ".join(names[:MOST_NAMED])
    if len(names) > MOST_NAMED:
        round_of_names = tr("{names} and {more} more", names=round_of_names, more=len(names) - MOST_NAMED)
    return Found(
        subject=scene.subject_of_calls(every[calls.listener[every] == calls.listener[first]]),
        frame_rows=frames,
        count=turns,
        cost_ns=scene.cost_of(every),
        summary=tr(
            "{events} lead to each other round and round, {times} over {frames}, from one cause: {names}.",
            events=listed(events),
            times=counted(turns, "time"),
            frames=counted(len(frames), "frame"),
            names=round_of_names,
        ),
        advice=with_place(
            tr(
                "Let {names} not send {events} when it was called for it, or only when something changed.",
                names=names[-1],
                events=events[0],
            ),
            scene.place_of_call(one_turn[-1]),
        ),
        evidence=tuple(evidence),
        calls=every,
        told_apart=tuple(sorted({event.strip("`") for event in events[1:]})),
    )


CYCLE = Cause(
    "cycle",
    "a circle of events",
    Severity.FAULT,
    find,
    (LOOP_TURNS,),
    springs_from=FROM_STALE_CALLS,
    about="From one outside cause, a chain of causes over frames passes through the same two or more listeners sixty times.",
    quiet="chains that a tick or a looping timer keeps going; circles within a frame (`event-storm`); a delay that sets itself again.",
)
