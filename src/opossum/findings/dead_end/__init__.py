"""Dead end: a function that always sends on, did not."""

from opossum.findings.dead_end.returned import RETURNED
from opossum.findings.declaring import Kind
from opossum.findings.symptoms import NEVER_COMES

DEAD_END = Kind(
    "dead-end",
    "Ends in nothing",
    "What usually sends on, and did not?",
    (NEVER_COMES,),
    (RETURNED,),
    group=NEVER_COMES,
)
