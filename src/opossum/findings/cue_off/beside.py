"""Early and late: a cue is sent beside its place in the track."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.cue_off.cues import CUE_OFF_FRAMES, CUE_OFF_MS, cues, off_limit
from opossum.findings.finding import Found
from opossum.findings.frame_times import frame_times
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.indexes.marks import mark_names
from opossum.words import counted, tr

FEWEST_TOGETHER = 3
"""With fewer cues that are off, each is told for itself."""


def find_beside(scene: Scene, early: bool) -> Iterator[Found]:
    """Yield cues sent beside their places, before or after."""
    came = scene.once(cues)
    off = -came.off_ns if early else came.off_ns
    if not len(came.rows):
        return
    waited = (not early) & scene.once(frame_times).with_its_mark(came.frame, came.rows)
    is_off = (off > off_limit(scene, came.rows)) & ~came.drifts & ~waited
    together = _off_as_a_whole(scene, came.rows, is_off)
    places = np.flatnonzero(is_off & together)
    for part in by_mark(scene, came.rows[places], whole_clip=True):
        mine = places[part]
        names = mark_names(scene.take.marks, came.rows[mine])
        yield tell(
            scene,
            came.rows[mine],
            came.frame[mine],
            tr(
                "{cues} of track `{{clip}}` were sent {beside:.0f} ms {before} their places ({names}), {times}.",
                cues=counted(len(names), "cue"),
                beside=float(np.median(off[mine])) / 1e6,
                before=tr("before") if early else tr("after"),
                names=listed([f"`{name}`" for name in names]).replace("{", "{{").replace("}", "}}"),
                times=counted(len(mine), "time"),
            ),
            tr(
                "Send the cues of `{clip}` by the position that the track itself tells, not by adding up times beside it."
            ),
            whole_clip=True,
        )
    places = np.flatnonzero(is_off & ~together)
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


def _off_as_a_whole(scene: Scene, rows: Array, is_off: Array) -> Array:
    """Return a boolean array (n,): of the different cues (rows of `take.marks`) of its track, at least half are off, and several."""
    found = np.zeros(len(rows), bool)
    names = scene.take.marks.name[rows]
    for part in by_mark(scene, rows, whole_clip=True):
        off = len(distinct(names[part][is_off[part]]))
        found[part] = off >= FEWEST_TOGETHER and 2 * off >= len(distinct(names[part]))
    return found


THRESHOLDS = (CUE_OFF_MS, CUE_OFF_FRAMES)
