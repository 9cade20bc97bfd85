"""Early and late: a cue is sent beside its place in the track."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.cue_off.cues import CUE_OFF_FRAMES, CUE_OFF_MS, cues, off_limit
from opossum.findings.finding import Found
from opossum.findings.frame_times import frame_times
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.words import counted, tr


def find_beside(scene: Scene, early: bool) -> Iterator[Found]:
    """Yield cues sent beside their places, before or after."""
    came = scene.once(cues)
    off = -came.off_ns if early else came.off_ns
    if not len(came.rows):
        return
    waited = (not early) & scene.once(frame_times).with_its_mark(came.frame, came.rows)
    places = np.flatnonzero((off > off_limit(scene, came.rows)) & ~came.drifts & ~waited)
    for part in by_mark(scene, came.rows[places]):
        mine = places[part]
        beside = float(np.median(off[mine])) / 1e6
        yield tell(
            scene,
            came.rows[mine],
            came.frame[mine],
            tr(
                "Cue `{{mark}}` of track `{{clip}}` was sent {beside:.0f} ms {before} its place, {times}.",
                beside=beside,
                before=tr("before") if early else tr("after"),
                times=counted(len(mine), "time"),
            ),
            tr("Send `{mark}` by the position that the track of {owner} tells, not by a timer beside it")
            + (tr(", and take the output's delay off it.") if early else "."),
        )


THRESHOLDS = (CUE_OFF_MS, CUE_OFF_FRAMES)
