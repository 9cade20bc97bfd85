"""Stale listeners: bound past their owner's life. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.stale_listener.called_after_gone import CALLED_AFTER_GONE
from opossum.findings.stale_listener.left_bound import LEFT_BOUND
from opossum.findings.stale_listener.sender_gone import SENDER_GONE
from opossum.findings.symptoms import WAITS_FOR_NOTHING

STALE_LISTENER = Kind(
    "stale-listener",
    "Listens past its life",
    "What listens past its life?",
    (),
    (CALLED_AFTER_GONE, LEFT_BOUND, SENDER_GONE),
    group=WAITS_FOR_NOTHING,
    weave="roster",
)
