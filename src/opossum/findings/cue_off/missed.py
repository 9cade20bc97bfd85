"""Missed: the track went past a cue, and it was never sent."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import frame_times, play_ends
from opossum.findings.mark_late.coming import FROM_A_STALL
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.findings.symptoms import NEVER_COMES
from opossum.words import counted, tr

LATEST_NS = 1_000_000_000
"""Where a take ends so soon after the place of a cue whose track plays on, it may yet come late."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield cues that never came. Linear in the marks."""
    take, marks, known = scene.take, scene.take.marks, scene.once(clips)
    if not len(marks.play):
        return
    times = scene.once(frame_times)
    peers = known.peer[marks.play]
    # where none ever comes, the recorder does not see them
    seen = np.zeros(len(take.peers) + 1, bool)
    seen[peers[marks.send >= 0]] = True
    due = times.mark_frames(np.arange(len(marks.play)))
    open_end = ~known.stopped[marks.play] & (scene.once(play_ends)[peers] - marks.due_ns < LATEST_NS)
    missed = (known.track & known.timed())[marks.play] & (marks.send < 0) & marks.passed & seen[peers] & ~open_end
    rows = np.flatnonzero(missed)
    rows = rows[scene.in_play(np.minimum(due[rows], len(take.frames) - 1))]
    for part in by_mark(scene, rows):
        mine = rows[part]
        yield tell(
            scene,
            mine,
            np.minimum(due[mine], len(take.frames) - 1),
            tr(
                "Track `{{clip}}` went past its cue `{{mark}}` and nothing was sent, {times}.",
                times=counted(len(mine), "time"),
            ),
            tr("Send every cue between the last position of `{clip}` and this one, not only one that is met exactly."),
        )


MISSED = Cause(
    "missed",
    "never sent",
    Severity.FAULT,
    find,
    springs_from=FROM_A_STALL,
    group=NEVER_COMES,
    about="A track went past a cue, and it was never sent.",
    quiet="a track stopped before it, or still playing less than a second after it where the take ends.",
)
