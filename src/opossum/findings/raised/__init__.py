"""Raised: a listener ended in an error. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.raised.raised import RAISED_CAUSE
from opossum.findings.raised.rest_not_called import REST_NOT_CALLED
from opossum.findings.symptoms import HANGS, NEVER_COMES

RAISED = Kind(
    "raised",
    "Ends in an error",
    "What ends in an error?",
    (HANGS, NEVER_COMES),
    (REST_NOT_CALLED, RAISED_CAUSE),
    group=HANGS,
)
