"""What the causes share: which marks came when, against when they were due."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.declaring import Spring
from opossum.findings.finding import Finding
from opossum.findings.frame_times import frame_times, stalls
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, factorised

MARK_LATE_FRAMES = Threshold(
    "mark_late_frames",
    2,
    "frames",
    "a mark comes in the first frame after its place; one frame later may be the engine's way",
)
MARK_LATE_MS = Threshold("mark_late_ms", 20.0, "ms", "nobody sees or hears less than this")


class Coming(NamedTuple):
    """Marks of animations (rows of `take.marks`) in play; `due`: the frame each was due in; `came`: that of its send, -1
    where there is none; `off_ns`: how much later than its place it came, apart from `stood_ns`, which stalls since its clip began explain.  `in_burst`: it came with others of its clip that
    were due more than a frame before or after.
    """

    rows: Array
    due: Array
    came: Array
    off_ns: Array
    stood_ns: Array
    in_burst: Array


def coming(scene: Scene) -> Coming:
    """Return how marks came. Cost: a sort of the marks."""
    take, marks = scene.take, scene.take.marks
    known, times = scene.once(clips), scene.once(frame_times)
    rows = np.flatnonzero((known.counted() & known.timed())[marks.play])
    due = times.mark_frames(rows)
    send = marks.send[rows]
    came = np.append(take.sends.frame.astype(np.int64), -1)[send]
    off, stood = np.zeros(len(rows), np.int64), np.zeros(len(rows), np.int64)
    sent = send >= 0
    whole = times.beside("send", send[sent], rows[sent])
    off[sent] = _apart_from_stalls(scene, rows[sent], came[sent], whole)
    stood[sent] = whole - off[sent]
    counted = scene.in_play(np.where(came >= 0, came, np.minimum(due, len(take.frames) - 1)))
    rows, due, came, off, stood = (column[counted] for column in (rows, due, came, off, stood))
    return Coming(rows, due, came, off, stood, _bursts(scene, rows, came))


def _apart_from_stalls(scene: Scene, rows: Array, came: Array, off_ns: Array) -> Array:
    """Return by how much marks (rows of `take.marks`) came late that stalls between their clip's begin and them do not explain.

    A clip that is moved on by its game's frames stands still while these do, working or waiting; frames that make up for it
    may come at once.  `came`: the frames (rows) of their sends.
    """
    times, known = scene.once(frame_times), scene.once(clips)
    stood = np.where(scene.once(stalls), times.length_ns - times.frame_ns(scene.take.frames.peer), 0.0)
    total = np.concatenate(([0], np.cumsum(stood.astype(np.int64))))
    explained = total[came] - total[known.begin_frame[scene.take.marks.play[rows]]]
    return np.where(off_ns > 0, np.maximum(off_ns - explained, 0), off_ns)


def _bursts(scene: Scene, rows: Array, came: Array) -> Array:
    """Return which marks came in one frame with others of their play that were due more than a frame before or after, and
    that the machine's doing alone did not bring together.
    """
    marks, known, times = scene.take.marks, scene.once(clips), scene.once(frame_times)
    found = np.zeros(len(rows), bool)
    sent = np.flatnonzero(came >= 0)
    if not len(sent):
        return found
    group, _ = factorised(marks.play[rows[sent]], came[sent])
    runs = Runs(group)
    due = marks.due_ns[rows[sent]][runs.order]
    spread = np.maximum.reduceat(due, runs.starts) - np.minimum.reduceat(due, runs.starts)
    firsts = sent[runs.order[runs.starts]]
    frame = times.frame_ns(known.peer[marks.play[rows[firsts]]])
    found[sent[runs.order]] = (spread - times.taken_ns(came[firsts]) > frame)[runs.group]
    return found


def after_stall(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether every frame of a finding is one that froze, or follows one right after."""
    frozen = np.asarray(root.frame_rows, np.int64)
    near = np.concatenate((frozen, frozen + 1, frozen + 2))
    return len(frozen) > 0 and bool(np.isin(finding.frame_rows, near).all())


FROM_A_STALL = (Spring("freeze", after_stall),)
