"""Polling waste: a function runs on a schedule and mostly for nothing."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Finding, Severity
from opossum.findings.scene import Scene, at_place, milliseconds, plural
from opossum.stream.tables import Array
from opossum.take.ids import factorised

KIND = "polling-waste"
QUESTION = "What polls for nothing?"

MOST_SENDS_FOR_AN_EVENT = 2.0
"""An event that comes more than this many times as often as the poll finds something does not tell it apart."""

FEWEST_HITS = 3
"""With fewer finds, any event could have come along by chance."""


class _Replacement(NamedTuple):
    """An event already in the take that comes just when the poll finds something."""

    event: int
    share: float
    delay_ns: float


def find(scene: Scene) -> Iterator[Finding]:
    """Yield every wasteful poll. Cost: linear in the calls, plus the sends of the take for each waste found."""
    calls = scene.take.calls
    schedule = _schedule_of_calls(scene)
    for cause, rows in schedule.items():
        for group in scene.by_class(rows):
            if len(group) < scene.thresholds.polling_calls:
                continue
            known = group[calls.effect[group] >= 0]
            wasted = known[calls.effect[known] == 0]
            if len(known) < scene.thresholds.polling_known_calls:
                continue
            if len(wasted) < scene.thresholds.polling_wasted_share * len(known):
                continue
            yield _tell(scene, cause, group, known, wasted)


def _schedule_of_calls(scene: Scene) -> dict[str, Array]:
    """Return the calls of each schedule a poll may hang on, by cause."""
    take, calls = scene.take, scene.take.calls
    sends, arms = take.tables["send"], take.tables["arm"]
    via, counted = scene.via, scene.counted
    edge = np.append(np.asarray(sends["edge"], np.int64), -1)[calls.send]
    arm = np.append(take.arm_ids.rows(sends["p"], sends["a"]).astype(np.int64), -1)[calls.send]
    looping = np.append(np.asarray(arms["loop"]) == 1, False)[arm]
    timed = np.isin(via, [take.code("timer"), take.code("delay")])
    unknown_arm = (arm < 0) & (via == take.code("timer"))
    # a delay belongs to a loop when the function it calls is the one that set it
    setter = np.append(take.arms.cause.astype(np.int64), -1)[arm]
    set_by_itself = (setter >= 0) & (calls.listener[np.maximum(setter, 0)] == calls.listener)
    return {
        "every-frame": np.flatnonzero(counted & (via == take.code("tick"))),
        "short-timer": np.flatnonzero(counted & timed & (looping | unknown_arm)),
        "delay-loop": np.flatnonzero(counted & timed & ~looping & set_by_itself),
        "stay-loop": np.flatnonzero(counted & (via == take.code("zone")) & (edge == take.code("stay"))),
    }


def _tell(scene: Scene, cause: str, group: Array, known: Array, wasted: Array) -> Finding:
    take, calls = scene.take, scene.take.calls
    subject = scene.subject_of_calls(group)
    peer = int(scene.peer[group[0]])
    # of calls whose effect is unknown, as many are taken to be wasted as of the known ones
    share = len(wasted) / len(known)
    wasted_ns = int(calls.duration_ns[wasted].sum() * len(group) / len(known))
    seconds = scene.played_ns / 1e9
    frames = np.unique(calls.frame[wasted])
    budget = scene.budgets_ns[peer]
    per_frame = wasted_ns / max(1, len(np.unique(calls.frame[group])))
    # a call of unknown effect that sent has found something all the same
    senders = np.unique(take.sends.cause[take.sends.cause >= 0])
    sent = group[np.isin(group, senders) & (calls.effect[group] < 0)]
    hits = np.sort(np.concatenate((known[calls.effect[known] > 0], sent)))
    owners = len(np.unique(scene.owner[group]))
    replacement = _replacement(scene, peer, group, hits)
    interval = _interval_ns(scene, group)
    found = f"it found something {plural(len(hits), 'time')}" if len(hits) else "it never found anything"
    summary = (
        f"{subject.fn} of {subject.o or plural(owners, 'object')} ran {plural(len(group), 'time')} {_rhythm(cause, interval)}, "
        f"{share:.1%} of them for nothing ({found}): {wasted_ns / 1e6 / seconds:.2f} ms a second, "
        f"{per_frame / budget:.1%} of the frame budget."
    )
    advice = _advice(scene, cause, subject.fn, subject.at, replacement)
    details = [
        f"Saved if replaced: {plural(len(group) - len(hits), 'call')} and {milliseconds(wasted_ns)} in this take."
    ]
    if replacement is not None:
        details.append(
            f"`{take.text(replacement.event)}` came just then in {replacement.share:.0%} of the finds; "
            f"polling noticed it {milliseconds(replacement.delay_ns)} later on average."
        )
    else:
        details.append(
            f"Polling notices a change {milliseconds(interval / 2)} late on average (half the interval of {milliseconds(interval)})."
        )
    if cause == "delay-loop" and interval < budget:
        details.append(
            "The delay is shorter than a frame, so this is worse than a tick: it runs more often than frames do."
        )
    evidence = scene.evidence("call", wasted[:4].tolist(), "ran for nothing")
    evidence += scene.evidence("call", hits[:3].tolist(), "found something")
    return Finding(
        KIND,
        cause,
        Severity.WASTE,
        subject,
        frames,
        take.frame_numbers(frames),
        len(group),
        wasted_ns,
        summary,
        advice,
        tuple(evidence),
        wasted,
        tuple(details),
    )


def _interval_ns(scene: Scene, group: Array) -> float:
    """Return the median time between two runs of one listener."""
    calls = scene.take.calls
    order = np.lexsort((calls.start_ns[group], calls.listener[group]))
    rows = group[order]
    same = np.diff(calls.listener[rows]) == 0
    steps = np.diff(calls.start_ns[rows])[same]
    return float(np.median(steps)) if len(steps) else 0.0


def _rhythm(cause: str, interval: float) -> str:
    return {
        "every-frame": "on every frame",
        "short-timer": f"by a timer every {milliseconds(interval)}",
        "delay-loop": f"by a delay that sets itself again every {milliseconds(interval)}",
        "stay-loop": "on every frame somebody stayed in the zone",
    }[cause]


def _advice(scene: Scene, cause: str, function: str, place: str, replacement: _Replacement | None) -> str:
    where = at_place(place)
    if replacement is not None:
        return f"Bind {function} to `{scene.take.text(replacement.event)}` instead{where}: it comes just when there is something to find."
    return {
        "every-frame": f"Let whatever changes the value send an event, and bind {function} to it instead of the tick{where}.",
        "short-timer": f"Let whatever changes the value send an event, and bind {function} to it instead of the timer{where}.",
        "delay-loop": f"Set no delay again in {function}; let whatever changes the value send an event{where}.",
        "stay-loop": f"Act in {function} on `enter` and `leave`, or on the event it waits for, not on every `stay`{where}.",
    }[cause]


def _replacement(scene: Scene, peer: int, group: Array, hits: Array) -> _Replacement | None:
    """Return the event whose sends best coincide with the poll's finds, or None.

    It must come within one frame of at least `polling_event_share` of the finds, not much more often than
    they, and not from the poll itself.
    """
    take, calls = scene.take, scene.take.calls
    if len(hits) < FEWEST_HITS:
        return None
    sends = take.tables["send"]
    hit_frames = np.unique(calls.frame[hits]).astype(np.int64)
    ticked = [take.code("tick")]
    rows = np.flatnonzero(
        (np.asarray(sends["p"]) == peer) & ~np.isin(np.asarray(sends["via"]), ticked) & (take.sends.frame >= 0)
    )
    # what the poll itself sends is its effect, not its cue
    own = np.zeros(len(calls) + 1, bool)
    own[group] = True
    origin = take.sends.cause[rows]
    rows = rows[~own[origin] & ~own[np.append(scene.top, -1)[origin]]]
    if not len(rows):
        return None
    frames = take.sends.frame[rows].astype(np.int64)
    order = np.argsort(frames, kind="stable")
    rows, frames = rows[order], frames[order]
    near_hit = np.searchsorted(hit_frames, frames + 1, "right") > np.searchsorted(hit_frames, frames - 1, "left")
    events, first = factorised(np.asarray(sends["ev"])[rows])
    counts = np.bincount(events)
    near_counts = np.bincount(events[near_hit], minlength=len(counts))
    best: _Replacement | None = None
    best_rank: tuple[int, float] | None = None
    for event in np.flatnonzero(
        (near_counts >= scene.thresholds.polling_event_share * len(hit_frames))
        & (counts <= MOST_SENDS_FOR_AN_EVENT * len(hit_frames))
    ).tolist():
        own_rows = rows[events == event]
        own_frames = frames[events == event]
        met = np.searchsorted(own_frames, hit_frames + 1, "right") > np.searchsorted(own_frames, hit_frames - 1, "left")
        share = float(met.mean())
        if share < scene.thresholds.polling_event_share:
            continue
        times = np.asarray(sends["t"], np.int64)[own_rows]
        place = np.searchsorted(times, calls.start_ns[hits], "right") - 1
        delays = calls.start_ns[hits] - times[np.maximum(place, 0)]
        delays = delays[(place >= 0) & (delays < 3 * scene.budgets_ns[peer] + _interval_ns(scene, group))]
        code = int(sends["ev"][rows[first[event]]])
        delay = float(delays.mean()) if len(delays) else 0.0
        # the rarest tells the finds apart best; of equals, the one that comes last before them
        rank = (int(counts[event]), delay)
        if best_rank is None or rank < best_rank:
            best, best_rank = _Replacement(code, share, delay), rank
    return best
