"""How much repetition proves that a latch is missing."""

from opossum.findings.settings import Threshold

LATCH_REPEATS = Threshold(
    "latch_repeats", 2, "times", "once more may be chance; what comes twice more has no latch that would stop it"
)
