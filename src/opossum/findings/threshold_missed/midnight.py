"""Midnight: the time of an event was lost at midnight."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.threshold_missed import passing as passed
from opossum.findings.threshold_missed.passing import LEARNT_FIRINGS
from opossum.findings.threshold_missed.unsent import find_unsent
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield events lost at midnight."""
    yield from find_unsent(
        scene,
        passed.MIDNIGHT,
        tr("it lies between the last time before midnight and the first after it"),
        tr(
            "Compare times that run on over midnight (days and seconds), so that `{event}` is found between "
            "the last and this."
        ),
    )


MIDNIGHT = Cause(
    "midnight",
    "lost at midnight",
    Severity.FAULT,
    find,
    (LEARNT_FIRINGS,),
    about="The time of an event lies between the clock's last value before midnight and the first after, and it was not sent.",
    quiet="missed at another time: no cause is known.",
)
