"""Double firing: one thing happened, the listener ran more than once. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.double_fire.armed_twice import ARMED_TWICE
from opossum.findings.double_fire.bound_twice import BOUND_TWICE
from opossum.findings.double_fire.held_input import HELD_INPUT
from opossum.findings.double_fire.mirrored import MIRRORED
from opossum.findings.double_fire.no_latch import NO_LATCH
from opossum.findings.double_fire.queue_kept import QUEUE_KEPT
from opossum.findings.double_fire.two_routes import TWO_ROUTES
from opossum.findings.symptoms import FIRES_TWICE

DOUBLE_FIRE = Kind(
    "double-fire",
    "Fires twice",
    "What fires twice?",
    (FIRES_TWICE,),
    (BOUND_TWICE, TWO_ROUTES, QUEUE_KEPT, ARMED_TWICE, HELD_INPUT, NO_LATCH, MIRRORED),
    group=FIRES_TWICE,
)
