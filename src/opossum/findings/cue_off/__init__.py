"""Cue off: a track's mark and the send for it do not meet. One module a cause."""

from opossum.findings.cue_off.drifts import DRIFTS
from opossum.findings.cue_off.early import EARLY
from opossum.findings.cue_off.late import LATE
from opossum.findings.cue_off.missed import MISSED
from opossum.findings.declaring import Kind
from opossum.findings.symptoms import EARLY_OR_LATE, NEVER_COMES

CUE_OFF = Kind(
    "cue-off",
    "Off its cue",
    "Which cue is off its track?",
    (EARLY_OR_LATE, NEVER_COMES),
    (DRIFTS, EARLY, LATE, MISSED),
    group=EARLY_OR_LATE,
    weave="pacing",
)
