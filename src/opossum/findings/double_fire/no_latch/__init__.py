"""No latch: an event of a threshold or a stay is sent, or acted on, again without the condition having been left."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.double_fire.no_latch import entering, staying, threshold
from opossum.findings.double_fire.no_latch.repeating import LATCH_REPEATS
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene


def find(scene: Scene) -> Iterator[Found]:
    """Yield what has no latch: in zones, on entering them, and beyond watched values."""
    yield from staying.find(scene)
    yield from entering.find(scene)
    yield from threshold.find(scene)


NO_LATCH = Cause(
    "no-latch",
    "acts again and again",
    Severity.FAULT,
    find,
    (LATCH_REPEATS,),
    springs_from=FROM_STALE_CALLS,
    about="A zone's event is sent, or acts, again on later frames although the visitor never left in between.",
    quiet="work that goes on from the first `stay` to the last; a visitor who left and came again.",
)
