"""Order broken: something ran in another phase, or a phase in another place, than the order says. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.order_broken.phase_order import PHASE_ORDER
from opossum.findings.order_broken.wrong_phase import WRONG_PHASE
from opossum.findings.symptoms import EARLY_OR_LATE, OUT_OF_ORDER

ORDER_BROKEN = Kind(
    "order-broken",
    "Breaks the order",
    "What runs out of order?",
    (EARLY_OR_LATE,),
    (PHASE_ORDER, WRONG_PHASE),
    group=OUT_OF_ORDER,
)
