"""Timer left running: it fires, or stays set, for nobody. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import EATS_THE_FRAME, NEVER_COMES, WAITS_FOR_NOTHING
from opossum.findings.timer_left_running.nobody_listens import NOBODY_LISTENS
from opossum.findings.timer_left_running.owner_gone import OWNER_GONE

TIMER_LEFT_RUNNING = Kind(
    "timer-left-running",
    "Left running",
    "Which timer was left running?",
    (EATS_THE_FRAME, NEVER_COMES),
    (OWNER_GONE, NOBODY_LISTENS),
    group=WAITS_FOR_NOTHING,
)
