"""Wait never met: code still waits for what can no longer come. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import NEVER_COMES, WAITS_FOR_NOTHING
from opossum.findings.wait_never_met.clip_ended import CLIP_ENDED
from opossum.findings.wait_never_met.owner_gone import OWNER_GONE
from opossum.findings.wait_never_met.take_ended import TAKE_ENDED

WAIT_NEVER_MET = Kind(
    "wait-never-met",
    "Waits for nothing",
    "What is waited for and never comes?",
    (NEVER_COMES,),
    (CLIP_ENDED, OWNER_GONE, TAKE_ENDED),
    group=WAITS_FOR_NOTHING,
    weave="roster",
)
