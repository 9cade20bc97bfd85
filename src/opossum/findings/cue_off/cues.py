"""What the causes share: the cues of tracks, how far off each came, and which tracks drift."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.frame_times import frame_times
from opossum.findings.marks_told import by_mark
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array

CUE_OFF_MS = Threshold("cue_off_ms", 20.0, "ms", "nobody hears less beside the beat")
CUE_OFF_FRAMES = Threshold("cue_off_frames", 1.0, "frames", "a cue comes with a frame, and may wait for it")
CUE_DRIFT_MS = Threshold("cue_drift_ms", 20.0, "ms a minute", "clocks that run apart by less stay together for a song")

FEWEST_FITTED = 3
"""With fewer cues no growth is told from jitter."""


class Cues(NamedTuple):
    """Cues of tracks in play (rows of `take.marks`) that came: how much later than planned (`off_ns`), the frame in which,
    and whether its track drifts; `growth_ms`: by row, the fitted growth a minute of its track's offsets."""

    rows: Array
    off_ns: Array
    frame: Array
    drifts: Array
    growth_ms: Array


def cues(scene: Scene) -> Cues:
    """Return how cues came. Linear in marks, and a fit for each track."""
    take, marks, known = scene.take, scene.take.marks, scene.once(clips)
    rows = np.flatnonzero((known.track & known.timed())[marks.play] & (marks.send >= 0))
    send = marks.send[rows]
    frame = take.sends.frame[send].astype(np.int64)
    counted = scene.in_play(frame)
    rows, frame = rows[counted], frame[counted]
    off = scene.once(frame_times).beside("send", send[counted], rows)
    drifts, growth = np.zeros(len(rows), bool), np.zeros(len(rows))
    for part in by_mark(scene, rows, whole_clip=True):
        # by the time within each play: a track that begins anew begins on its beat
        ran = marks.due_ns[rows[part]] - marks.begin_ns[marks.play[rows[part]]]
        growth[part] = _growth(ran, off[part])
        last = part[np.argmax(ran)]
        grows = (
            abs(growth[part[0]]) > scene[CUE_DRIFT_MS] and abs(off[last]) > off_limit(scene, rows[last : last + 1])[0]
        )
        # its offset must run away from none, not towards it; what waits for its frame is not off yet
        drifts[part] = grows and growth[part[0]] * off[last] > 0 and _mostly_growth(off[part], ran)
    return Cues(rows, off, frame, drifts, growth)


def _growth(due_ns: Array, off_ns: Array) -> float:
    """Return by how many ms a minute offsets grow, fitted by least squares; 0 where too few are known."""
    times = due_ns / 60e9
    spread = times - times.mean()
    if len(times) < FEWEST_FITTED or not (spread * spread).sum() > 0:
        return 0.0
    offs = off_ns / 1e6
    return float((spread * (offs - offs.mean())).sum() / (spread * spread).sum())


def _mostly_growth(off_ns: Array, due_ns: Array) -> bool:
    """Say whether a straight line explains most of how the offsets differ: they grow, they do not jump about."""
    times = due_ns - due_ns.mean()
    offs = off_ns - off_ns.mean()
    both = float((times * offs).sum()) ** 2
    return both >= 0.5 * float((times * times).sum()) * float((offs * offs).sum())


def off_limit(scene: Scene, rows: Array) -> Array:
    """Return float64 (n,): from how many ns on a cue (row of `take.marks`) counts as off."""
    frame = scene.once(frame_times).frame_ns(scene.once(clips).peer[scene.take.marks.play[rows]])
    return np.maximum(scene[CUE_OFF_MS] * 1e6, scene[CUE_OFF_FRAMES] * frame)
