"""Late: a cue is sent after its place in the track."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.cue_off.beside import THRESHOLDS, find_beside
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.mark_late.coming import FROM_A_STALL
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield cues that come too late."""
    yield from find_beside(scene, early=False)


LATE = Cause(
    "late",
    "after its cue",
    Severity.RISK,
    find,
    THRESHOLDS,
    springs_from=FROM_A_STALL,
    about="A track's cue is sent more than 20 ms and a frame after its place. Where at least half of its different cues are, and at least three, they are told as one.",
    quiet="a cue that waits for its frame.",
)
