"""Late: a delay lands after the mark it stands in for."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.delay_off_mark.off_its_mark import THRESHOLDS, find_beside
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays that land too late."""
    yield from find_beside(scene, early=False)


LATE = Cause(
    "late",
    "lands after its mark",
    Severity.FAULT,
    find,
    THRESHOLDS,
    about="A delay begun with a clip by its owner lands after the mark that it stands in for.",
    quiet="a delay that lands after the clip's end, or in the first frame after its mark's place.",
)
