"""Freezes: frames far over budget, and what held them. One module a cause, the surest sign first."""

from opossum.findings.declaring import Kind
from opossum.findings.freeze.endless_loop import ENDLESS_LOOP
from opossum.findings.freeze.event_storm import EVENT_STORM
from opossum.findings.freeze.machine_busy import MACHINE_BUSY
from opossum.findings.freeze.many_calls import MANY_CALLS
from opossum.findings.freeze.slow_call import SLOW_CALL
from opossum.findings.freeze.waiting import WAITING
from opossum.findings.symptoms import HANGS

FREEZE = Kind(
    "freeze",
    "Froze",
    "What hangs?",
    (HANGS,),
    (EVENT_STORM, ENDLESS_LOOP, SLOW_CALL, MANY_CALLS, WAITING, MACHINE_BUSY),
    group=HANGS,
)
