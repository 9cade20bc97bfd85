"""Late by the clock: an event of a time of day came more than two steps of the clock after that time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import frame_times
from opossum.findings.mark_late.coming import FROM_A_STALL
from opossum.findings.scene import Scene
from opossum.findings.symptoms import EARLY_OR_LATE
from opossum.findings.threshold_missed.passing import CLOCK_STEPS, LEARNT_FIRINGS, Passing, by_event, tell
from opossum.stream.tables import Array
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield events that came late by the game's clock."""
    for moments in by_event(scene):
        missed, late, worst = [], [], 0.0
        for passing in moments:
            sends, ran = _late(scene, passing)
            if len(sends):
                missed.append(passing)
                late.append(sends)
                worst = max(worst, float(ran.max()))
        if missed:
            sends = np.concatenate(late)
            yield tell(
                scene,
                missed,
                scene.take.sends.frame[sends],
                sends,
                tr(
                    "`{{event}}` is due {{when}} and came up to {worst:.0f} in-game seconds late, {times}; a step of "
                    "the clock is {step:.2g}.",
                    worst=worst,
                    times=counted(len(sends), "time"),
                    step=missed[0].step,
                ),
                tr("Look for `{event}` in every step of the clock, or let a timer to its time send it."),
                np.zeros(0, np.int64),
            )


def _late(scene: Scene, passing: Passing) -> tuple[Array, Array]:
    """Return the first sends (rows) of passings that came too late, and by how many in-game seconds each."""
    nothing = np.zeros(0, np.int64)
    places = np.array([place for place, rows in enumerate(passing.sends) if len(rows)], np.int64)
    clock = scene.take.clocks[passing.peer]
    if not len(places) or not passing.step > 0 or clock is None:
        return nothing, nothing
    firsts = np.array([int(passing.sends[place][0]) for place in places.tolist()], np.int64)
    ran = clock.at(scene.once(frame_times).told_of("send", firsts)) - clock.at(passing.time_ns[places].astype(np.int64))
    late = ran > scene[CLOCK_STEPS] * passing.step
    return firsts[late], ran[late]


LATE_CLOCK = Cause(
    "late-clock",
    "late by the clock",
    Severity.RISK,
    find,
    (LEARNT_FIRINGS, CLOCK_STEPS),
    springs_from=FROM_A_STALL,
    group=EARLY_OR_LATE,
    about="An event came more than two steps of the clock after its time.",
    quiet="what a jump of the clock brings at once; what keeps its interval though the clock was set.",
)
