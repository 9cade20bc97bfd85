"""Drifts: cues come ever farther beside their track."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.cue_off.cues import CUE_DRIFT_MS, cues, off_limit
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield tracks whose cues run away."""
    marks, came = scene.take.marks, scene.once(cues)
    places = np.flatnonzero(came.drifts)
    for part in by_mark(scene, came.rows[places], whole_clip=True):
        mine = places[part]
        far = mine[np.abs(came.off_ns[mine]) > off_limit(scene, came.rows[mine])]
        growth = float(came.growth_ms[mine[0]])
        last = float(came.off_ns[mine[np.argmax(marks.due_ns[came.rows[mine]])]]) / 1e6
        yield tell(
            scene,
            came.rows[far],
            came.frame[far],
            tr(
                "The cues of track `{{clip}}` drift {growth:.0f} ms a minute {behind} it and are {last:.0f} ms "
                "off at the end ({cues} beside their place).",
                growth=abs(growth),
                behind=tr("behind") if growth > 0 else tr("ahead of"),
                last=abs(last),
                cues=counted(len(far), "cue"),
            ),
            tr(
                "Send the cues of `{clip}` by the position that the track itself tells, not by adding up times "
                "beside it."
            ),
            whole_clip=True,
        )


DRIFTS = Cause(
    "drifts",
    "ever farther off",
    Severity.RISK,
    find,
    (CUE_DRIFT_MS,),
    about="The cues of a track come ever farther beside their places: by more than 20 ms a minute, and off at the end.",
    quiet="offsets that jump about.",
)
