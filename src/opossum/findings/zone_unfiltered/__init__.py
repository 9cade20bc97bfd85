"""Zone unfiltered: a zone's listener is called for visitors it does not care for. One module a cause."""

from opossum.findings.declaring import Kind
from opossum.findings.symptoms import EATS_THE_FRAME, FIRES_TWICE
from opossum.findings.zone_unfiltered.others_do_nothing import OTHERS_DO_NOTHING
from opossum.findings.zone_unfiltered.others_undone import OTHERS_UNDONE

ZONE_UNFILTERED = Kind(
    "zone-unfiltered",
    "Called for the wrong visitors",
    "Which zone is not filtered?",
    (EATS_THE_FRAME, FIRES_TWICE),
    (OTHERS_DO_NOTHING, OTHERS_UNDONE),
    group=EATS_THE_FRAME,
    weave="pacing",
)
