"""Cut before mark: a clip was stopped before the place of one of its marks. One module a cause."""

from opossum.findings.cut_before_mark.cut import CUT
from opossum.findings.cut_before_mark.replaced import REPLACED
from opossum.findings.declaring import Kind
from opossum.findings.symptoms import NEVER_COMES

CUT_BEFORE_MARK = Kind(
    "cut-before-mark",
    "Is cut before its mark",
    "Which clip is cut before its mark?",
    (NEVER_COMES,),
    (CUT, REPLACED),
    group=NEVER_COMES,
    weave="clips",
)
