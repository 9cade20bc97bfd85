"""Missing mark: a clip lacks a mark that others of its class have. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.missing_mark.clip_without import CLIP_WITHOUT
from opossum.findings.missing_mark.wait_without import WAIT_WITHOUT
from opossum.findings.symptoms import NEVER_COMES

MISSING_MARK = Kind(
    "missing-mark",
    "Lacks a mark",
    "Which clip lacks a mark?",
    (NEVER_COMES,),
    (WAIT_WITHOUT, CLIP_WITHOUT),
    group=NEVER_COMES,
    weave="clips",
)
