"""Race at start: whether a new object hears an event hangs on luck."""

from opossum.findings.declaring import Kind
from opossum.findings.race_at_start.by_luck import BY_LUCK
from opossum.findings.symptoms import EARLY_OR_LATE, NEVER_COMES, OUT_OF_ORDER

RACE_AT_START = Kind(
    "race-at-start",
    "Races at its start",
    "Who hears it only by luck?",
    (EARLY_OR_LATE, NEVER_COMES),
    (BY_LUCK,),
    group=OUT_OF_ORDER,
    weave="roster",
)
