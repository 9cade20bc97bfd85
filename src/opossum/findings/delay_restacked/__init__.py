"""Delay restacked: a delay is set again and again while one is pending. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.delay_restacked.ignored import IGNORED
from opossum.findings.delay_restacked.restarted import RESTARTED
from opossum.findings.delay_restacked.stacked import STACKED
from opossum.findings.symptoms import EARLY_OR_LATE, FIRES_TWICE, NEVER_COMES

DELAY_RESTACKED = Kind(
    "delay-restacked",
    "Set again while pending",
    "Which delay is set again while one is pending?",
    (FIRES_TWICE, EARLY_OR_LATE, NEVER_COMES),
    (STACKED, RESTARTED, IGNORED),
    group=FIRES_TWICE,
)
