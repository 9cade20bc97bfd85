"""Polling waste: a function runs on a schedule and mostly for nothing. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.polling_waste.delay_loop import DELAY_LOOP
from opossum.findings.polling_waste.every_frame import EVERY_FRAME
from opossum.findings.polling_waste.short_timer import SHORT_TIMER
from opossum.findings.polling_waste.stay_loop import STAY_LOOP
from opossum.findings.symptoms import EARLY_OR_LATE, EATS_THE_FRAME

POLLING_WASTE = Kind(
    "polling-waste",
    "Polls for nothing",
    "What polls for nothing?",
    (EARLY_OR_LATE, EATS_THE_FRAME),
    (EVERY_FRAME, SHORT_TIMER, DELAY_LOOP, STAY_LOOP),
    group=EATS_THE_FRAME,
    weave="pacing",
)
