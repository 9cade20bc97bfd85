"""Delay off mark: a delay stands in for a mark of the clip that plays. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.delay_off_mark.early import EARLY
from opossum.findings.delay_off_mark.late import LATE
from opossum.findings.delay_off_mark.one_delay_many_clips import ONE_DELAY_MANY_CLIPS
from opossum.findings.symptoms import EARLY_OR_LATE

DELAY_OFF_MARK = Kind(
    "delay-off-mark",
    "Delays beside its mark",
    "Which delay stands in for a mark?",
    (EARLY_OR_LATE,),
    (EARLY, LATE, ONE_DELAY_MANY_CLIPS),
    group=EARLY_OR_LATE,
    weave="clips",
)
