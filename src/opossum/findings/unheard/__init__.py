"""Unheard: an event that somebody meant to be heard was not. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import NEVER_COMES
from opossum.findings.unheard.empty_name import EMPTY_NAME
from opossum.findings.unheard.first_only import FIRST_ONLY
from opossum.findings.unheard.near_name import NEAR_NAME
from opossum.findings.unheard.never_sent import NEVER_SENT
from opossum.findings.unheard.queued_never_pulled import QUEUED_NEVER_PULLED
from opossum.findings.unheard.receiver_gone import RECEIVER_GONE
from opossum.findings.unheard.sent_before_bind import SENT_BEFORE_BIND
from opossum.findings.unheard.wrong_object import WRONG_OBJECT

UNHEARD = Kind(
    "unheard",
    "Is not heard",
    "What is sent and not heard?",
    (NEVER_COMES,),
    (
        EMPTY_NAME,
        SENT_BEFORE_BIND,
        NEAR_NAME,
        RECEIVER_GONE,
        WRONG_OBJECT,
        FIRST_ONLY,
        NEVER_SENT,
        QUEUED_NEVER_PULLED,
    ),
    group=NEVER_COMES,
    weave="roster",
)
