"""Early: a delay lands before the mark it stands in for."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.delay_off_mark.off_its_mark import THRESHOLDS, find_beside
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays that land too early."""
    yield from find_beside(scene, early=True)


EARLY = Cause(
    "early",
    "lands before its mark",
    Severity.FAULT,
    find,
    THRESHOLDS,
    about="A delay begun with a clip by its owner lands, while the clip plays, before the mark that it stands in for: the one of its event's name, the only one, or the one it is nearest to in three plays.",
    quiet="less than 40 ms or two frames beside it; a clip begun while the game loads.",
)
