"""Timer drift: a looping timer does not keep its interval. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import EARLY_OR_LATE
from opossum.findings.timer_drift.off_by_one import OFF_BY_ONE
from opossum.findings.timer_drift.remainder_dropped import REMAINDER_DROPPED
from opossum.findings.timer_drift.starved import STARVED

TIMER_DRIFT = Kind(
    "timer-drift",
    "Drifts off its interval",
    "Which timer does not keep its interval?",
    (EARLY_OR_LATE,),
    (OFF_BY_ONE, REMAINDER_DROPPED, STARVED),
    group=EARLY_OR_LATE,
    weave="pacing",
)
