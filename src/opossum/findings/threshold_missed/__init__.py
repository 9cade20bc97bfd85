"""Threshold missed: a time of day or a level was passed, and its event did not come once. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import EARLY_OR_LATE, FIRES_TWICE, NEVER_COMES
from opossum.findings.threshold_missed.doubled import DOUBLED
from opossum.findings.threshold_missed.jumped import JUMPED
from opossum.findings.threshold_missed.late_clock import LATE_CLOCK
from opossum.findings.threshold_missed.level import LEVEL
from opossum.findings.threshold_missed.midnight import MIDNIGHT

THRESHOLD_MISSED = Kind(
    "threshold-missed",
    "Misses its threshold",
    "Which time or level was passed unseen?",
    (NEVER_COMES, EARLY_OR_LATE, FIRES_TWICE),
    (JUMPED, MIDNIGHT, DOUBLED, LATE_CLOCK, LEVEL),
    group=NEVER_COMES,
)
