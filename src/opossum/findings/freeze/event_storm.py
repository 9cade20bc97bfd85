"""An event storm: a cycle of sends within one frame."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Severity
from opossum.findings.freeze.frozen import THRESHOLDS, happened_before
from opossum.findings.freeze.main_thread import main_calls
from opossum.findings.freeze.telling import Verdict, told, verdicts_of
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.chains import chain_of
from opossum.words import tr

STORM_ROUNDS = Threshold("storm_rounds", 8, "rounds in a frame", "a few answers are talk, so many are a circle")


def judge(scene: Scene, frame: int, length: int) -> Verdict | None:
    """Say whether the deepest chain of calls in the frame goes round in a circle."""
    take, calls = scene.take, scene.take.calls
    rows = scene.once(main_calls).rows(frame)
    if not len(rows):
        return None
    depth = _depths(calls.parent, rows)
    rounds_asked = int(scene[STORM_ROUNDS])
    if int(depth.max()) < rounds_asked:
        return None
    inside_frame = set(rows.tolist())
    deepest = int(rows[int(np.argmax(depth))])
    chain = [row for row in chain_of(calls.parent, deepest) if row in inside_frame]
    listeners = calls.listener[chain]
    rounds = np.bincount(listeners)
    most = int(rounds.max())
    if most < rounds_asked:
        return None
    # one turn of the circle, innermost to outermost: from the deepest listener to where it comes again
    again = np.flatnonzero(listeners == listeners[np.argmax(rounds[listeners] == most)])
    turn = [chain[i] for i in range(int(again[0]), int(again[1]))]
    steps = [f"`{take.event_of_call(row)}` → {take.function_of_call(row)}" for row in turn]
    events = [f"`{take.event_of_call(row)}`" for row in turn]
    evidence = scene.evidence("call", turn[:6], tr("a step of the circle"))
    evidence += scene.evidence("call", [chain[-1]], tr("where the chain began"))
    return Verdict(
        key=tuple(sorted({take.function_of_call(row) for row in turn})),
        subject=scene.subject_of_calls(np.array([turn[0]])),
        reason=tr(
            "{events} called each other {most:,} times in one frame, {chain:,} calls deep",
            events=listed(events),
            most=most,
            chain=len(chain),
        ),
        advice=tr(
            "Break the circle: let {function_of_call} not send while it is being called, or send only when "
            "something changed{place}.",
            function_of_call=take.function_of_call(turn[0]),
            place=at_place(scene.place_of_call(turn[0])),
        ),
        evidence=evidence,
        calls=rows[np.isin(calls.listener[rows], calls.listener[turn])],
        details=[
            tr("The circle, innermost to outermost: ") + " ← ".join(steps) + ".",
            happened_before(scene, frame, chain[-1]),
        ],
    )


def _depths(parent: Array, rows: Array) -> Array:
    """Return int64 (n,): how many calls of the frame (rows, ascending) each descends from, one within another.

    Pointer doubling as in `top_calls`: depth d costs log2 d passes.
    """
    place = np.searchsorted(rows, parent[rows])
    known = (parent[rows] >= 0) & (rows[np.minimum(place, len(rows) - 1)] == parent[rows])
    up = np.where(known, place, np.arange(len(rows)))
    depth = known.astype(np.int64)
    while True:
        further = up[up]
        if np.array_equal(further, up):
            return depth
        depth, up = depth + depth[up], further


VERDICTS = verdicts_of(judge)
EVENT_STORM = Cause(
    "event-storm",
    "events in a circle",
    Severity.FAULT,
    told(VERDICTS),
    (*THRESHOLDS, STORM_ROUNDS),
    about="The deepest chain of calls in a frozen frame goes round in a circle.",
    quiet="a few answers.",
)
