"""Replaced: another clip of its owner took the place of a clip before one of its marks."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.cut_before_mark.cutting import find_cut_off
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield clips that were replaced."""
    yield from find_cut_off(scene, replaced=True)


REPLACED = Cause(
    "replaced",
    "replaced before its mark",
    Severity.FAULT,
    find,
    about="A clip is stopped before a mark's place, and another clip of its owner begins within one frame.",
    quiet="a mark that came already.",
)
