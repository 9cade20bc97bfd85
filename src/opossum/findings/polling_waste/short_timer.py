"""A poll by a looping timer."""

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
    lambda interval: tr("by a timer every {length}", length=milliseconds(interval)),
    translatable(
        "Let whatever changes the value send an event, and bind {function} to it instead of the timer{where}."
    ),
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield wasteful timers. Cost: linear in the calls of timers."""
    yield from wasted(scene, scene.once(timed_calls).by_timer, SCHEDULE)


SHORT_TIMER = Cause(
    "short-timer",
    "by a timer",
    Severity.WASTE,
    find,
    THRESHOLDS,
    springs_from=FROM_STALE_CALLS,
    about="A looping timer calls a function that mostly finds nothing.",
    quiet="timers that do work; fewer calls than a second of ticks.",
)
