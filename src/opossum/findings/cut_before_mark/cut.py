"""Cut: a clip was stopped before the place of one of its marks."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.cut_before_mark.cutting import find_cut_off
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield clips that were cut."""
    yield from find_cut_off(scene, replaced=False)


CUT = Cause(
    "cut",
    "stopped before its mark",
    Severity.FAULT,
    find,
    about="A clip is stopped before the place of a mark that is waited for or listened to (else it is a note).",
    quiet="a clip that goes round; one that its owner goes on with where it stopped.",
)
