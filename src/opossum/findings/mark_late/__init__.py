"""Mark late: a clip's mark does not come when its place is reached. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.mark_late.burst import BURST
from opossum.findings.mark_late.late import LATE
from opossum.findings.mark_late.skipped import SKIPPED
from opossum.findings.symptoms import EARLY_OR_LATE, NEVER_COMES

MARK_LATE = Kind(
    "mark-late",
    "Misses its mark",
    "Which mark comes late or not at all?",
    (EARLY_OR_LATE, NEVER_COMES),
    (BURST, LATE, SKIPPED),
    group=EARLY_OR_LATE,
    weave="clips",
)
