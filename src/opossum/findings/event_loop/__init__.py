"""Event loop: events lead to each other round and round, over frames, for ever."""

from opossum.findings.declaring import Kind
from opossum.findings.event_loop.cycle import CYCLE
from opossum.findings.symptoms import HANGS

EVENT_LOOP = Kind(
    "event-loop",
    "Goes round for ever",
    "Which events go round in a circle?",
    (HANGS,),
    (CYCLE,),
    group=HANGS,
)
