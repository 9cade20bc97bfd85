"""Starved: the timer keeps its interval except where frames run long."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.timer_drift.intervals import THRESHOLDS, starving, told
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield timers that long frames hold up."""
    yield from told(
        scene,
        starving,
        tr("it falls behind in long frames only, and does not catch up"),
        tr("Count time for `{event}`, not frames, and fire as often as the time that passed holds its interval"),
    )


STARVED = Cause(
    "starved",
    "held up by long frames",
    Severity.RISK,
    find,
    THRESHOLDS,
    about="A looping timer keeps its interval, but in long frames.",
    quiet="intervals shorter than a frame, or with frames that only the machine made long.",
)
