"""Jumped: the clock was set past the time of an event, and it was not sent."""

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
    """Yield events whose time was jumped over."""
    yield from find_unsent(
        scene,
        passed.JUMP,
        tr("the clock was set past it"),
        tr(
            "When the clock is set on, send `{event}` and everything else that lies between the old time and "
            "the new one."
        ),
    )


JUMPED = Cause(
    "jumped",
    "its time was jumped over",
    Severity.FAULT,
    find,
    (LEARNT_FIRINGS,),
    about="The game's clock was set past the time of an event, told by `due` or learnt from three firings, and it was not sent.",
    quiet="events of timers and delays.",
)
