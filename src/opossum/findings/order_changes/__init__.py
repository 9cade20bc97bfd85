"""Order changes: two listeners run now in this order, now in the other."""

from opossum.findings.declaring import Kind
from opossum.findings.order_changes.flips import FLIPS
from opossum.findings.symptoms import EARLY_OR_LATE, OUT_OF_ORDER

ORDER_CHANGES = Kind(
    "order-changes",
    "Changes its order",
    "What runs now before, now after?",
    (EARLY_OR_LATE,),
    (FLIPS,),
    group=OUT_OF_ORDER,
)
