"""Queue backlog: what is put on a queue waits too long, or ever longer. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.queue_backlog.grows import GROWS
from opossum.findings.queue_backlog.waits import WAITS
from opossum.findings.symptoms import EARLY_OR_LATE, EATS_THE_FRAME

QUEUE_BACKLOG = Kind(
    "queue-backlog",
    "Piles up",
    "Which queue piles up?",
    (EARLY_OR_LATE, EATS_THE_FRAME),
    (GROWS, WAITS),
    group=EATS_THE_FRAME,
)
