"""Early: a cue is sent before its place in the track."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.cue_off.beside import THRESHOLDS, find_beside
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield cues that come too early."""
    yield from find_beside(scene, early=True)


EARLY = Cause(
    "early",
    "before its cue",
    Severity.RISK,
    find,
    THRESHOLDS,
    about="A track's cue is sent more than 20 ms and a frame before its place. Where at least half of its different cues are, and at least three, they are told as one.",
    quiet="a track begun while the game loads.",
)
