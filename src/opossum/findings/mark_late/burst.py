"""Burst: several marks of one clip, frames apart by plan, are sent in one frame."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.mark_late.coming import FROM_A_STALL, coming
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.take.grouping import distinct
from opossum.take.indexes.marks import mark_names
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield marks that come in bursts."""
    marks, came = scene.take.marks, scene.once(coming)
    places = np.flatnonzero(came.in_burst)
    for part in by_mark(scene, came.rows[places], whole_clip=True):
        mine = places[part]
        names = [f"`{name}`" for name in mark_names(marks, came.rows[mine])]
        times = len(distinct(came.came[mine]))
        yield tell(
            scene,
            came.rows[mine],
            came.came[mine],
            tr(
                "Marks {names} of `{{clip}}`, more than a frame apart by plan, came in one frame, {times}.",
                names=listed(names),
                times=counted(times, "time"),
            ),
            tr(
                "Look at what held `{clip}` of {owner} up before that frame; what hangs on the order and "
                "distance of its marks must bear with their coming at once."
            ),
            whole_clip=True,
            to_listeners=True,
        )


BURST = Cause(
    "burst",
    "several at once",
    Severity.FAULT,
    find,
    springs_from=FROM_A_STALL,
    about="Marks of one clip that are more than a frame apart by plan are sent in one frame.",
    quiet="marks that lie within one frame, or that the machine's doing alone brought together.",
)
