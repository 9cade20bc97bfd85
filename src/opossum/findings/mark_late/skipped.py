"""Skipped: the clip went past a mark, and the mark was never sent."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.declaring import Cause, Spring
from opossum.findings.delay_off_mark.off_its_mark import offsets
from opossum.findings.finding import Finding, Found, Severity
from opossum.findings.frame_times import frame_times
from opossum.findings.links import of_one_peer
from opossum.findings.mark_late.coming import FROM_A_STALL, coming
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.findings.symptoms import NEVER_COMES
from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield marks that were stepped over."""
    came = scene.once(coming)
    places = _stepped_over(scene)
    take = scene.take
    times = scene.once(frame_times)
    for part in by_mark(scene, came.rows[places]):
        mine = places[part]
        frames = np.minimum(came.due[mine], len(take.frames) - 1)
        longest = milliseconds(float(times.length_ns[np.maximum(frames - 1, 0)].max()))
        yield tell(
            scene,
            came.rows[mine],
            frames,
            tr(
                "`{{clip}}` of {{owner}} went past its mark `{{mark}}` and it was not sent, {times}; the frame "
                "that stepped over it took {longest} at most.",
                times=counted(len(mine), "time"),
                longest=longest,
            ),
            tr(
                "Send every mark between the last position and this one, not only one that is met exactly; and "
                "do not start `{clip}` beyond `{mark}`."
            ),
        )


def _stepped_over(scene: Scene) -> Array:
    """Return the positions, in `coming`, of marks that the clip went past and that never came.

    Where no mark of any clip of a peer ever comes, its recorder does not see them: that is no fault of the game. Nor is it
    one that a mark is left alone where a delay does its work.
    """
    marks, came, known = scene.take.marks, scene.once(coming), scene.once(clips)
    peers = known.peer[marks.play[came.rows]]
    seen = np.zeros(len(scene.take.peers) + 1, bool)
    seen[peers[came.came >= 0]] = True
    # a clip still playing at the take's end may yet send it, unless a later mark came before
    plays = marks.play[came.rows]
    last_came = np.full(len(known.line), -(2**62), np.int64)
    sent = came.came >= 0
    np.maximum.at(last_came, plays[sent], marks.due_ns[came.rows[sent]])
    may_come = ~known.stopped[plays] & (last_came[plays] < marks.due_ns[came.rows])
    missed = ~sent & marks.passed[came.rows] & seen[peers] & ~may_come
    return np.flatnonzero(missed & ~_stood_in_for(scene) if missed.any() else missed)


def _stood_in_for(scene: Scene) -> Array:
    """Return for each mark in `coming` whether it comes in no round of its class's clip, and a delay lands in its place."""
    marks, came, known = scene.take.marks, scene.once(coming), scene.once(clips)
    plays = marks.play[came.rows]
    clip, _ = factorised(known.peer[plays], known.cls[plays], known.clip[plays], marks.name[came.rows])
    comes = np.bincount(clip, came.came >= 0) > 0
    return np.isin(came.rows, scene.once(offsets).mark) & ~comes[clip]


def waited_for(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether the root tells that this very mark is waited for in vain: that is the story, this is why."""
    is_it = finding.subject.mark == root.subject.ev and finding.subject.cls == root.subject.cls
    return is_it and of_one_peer(finding, root)


SKIPPED = Cause(
    "skipped",
    "stepped over",
    Severity.FAULT,
    find,
    springs_from=(*FROM_A_STALL, Spring("wait-never-met/clip-ended", waited_for)),
    group=NEVER_COMES,
    about="A clip went past a mark, and the mark was never sent in that round.",
    quiet="a peer of which no mark is ever seen; a clip stopped before it; a mark that never comes and that a delay stands in for.",
)
