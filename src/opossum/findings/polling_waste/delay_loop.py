"""A poll by a delay that sets itself again from its own call."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.polling_waste.timed import timed_calls
from opossum.findings.polling_waste.wasting import THRESHOLDS, Schedule, wasted
from opossum.findings.scene import Scene
from opossum.findings.wording import milliseconds
from opossum.words import tr, translatable

SCHEDULE = Schedule(
    lambda interval: tr("by a delay that sets itself again every {length}", length=milliseconds(interval)),
    translatable("Set no delay again in {function}; let whatever changes the value send an event{where}."),
    translatable("The delay is shorter than a frame, so this is worse than a tick: it runs more often than frames do."),
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield wasteful delay loops. Cost: linear in the calls of delays."""
    yield from wasted(scene, scene.once(timed_calls).by_own_delay, SCHEDULE)


DELAY_LOOP = Cause(
    "delay-loop",
    "by a delay set again",
    Severity.WASTE,
    find,
    THRESHOLDS,
    springs_from=FROM_STALE_CALLS,
    about="A delay that sets itself again calls a function that mostly finds nothing.",
    quiet="loops that do work.",
)
