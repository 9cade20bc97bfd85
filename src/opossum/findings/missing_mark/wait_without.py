"""Wait without: code waits for a mark that the clip it plays does not have, though others of its class do."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np

from opossum.findings.clips import clips, open_waits
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.missing_mark.lacking import marked_clips, tell
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.spans import LineSpans
from opossum.words import counted, tr

MOST_CLIPS = 4
"""Clips of an owner that end after a wait began and are looked at."""


def waited_in_vain(scene: Scene) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """Return, by (clip's number, mark), the (play, wait) rows of waits left open by a clip that lacks the mark.

    The wait was opened while the clip played, or at most a frame before; another clip of the owner that has the mark, or
    meets the wait right after, is the one that was waited for.  Cost: a sort of the plays, a look at a few for each wait that outlives one.
    """
    take = scene.take
    known, waits, all_clips = scene.once(clips), scene.once(open_waits), scene.once(marked_clips)
    found: dict[tuple[int, int], list[tuple[int, int]]] = {}
    table = take.tables["wait"]
    if not len(table) or not len(known.line):
        return found
    wait_frame = take.frames.rows_of_lines(table["p"], table["line"]).astype(np.int64)
    order, first = _ended_after(scene)
    texts = len(take.strings) + 2
    owner = known.peer * texts + known.owner
    waiter = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    events = np.asarray(table["ev"], np.int64)
    likely = _outlived(scene)
    # a mark that no clip has is nobody's to miss
    likely = likely[np.isin(events[likely], [name for _, name in all_clips.having])]
    # the next few clips of its owner for each wait (rows: waits), and which of them had begun by then
    place = first[likely][:, None] + np.arange(MOST_CLIPS)
    plays = np.append(order, 0)[np.minimum(place, len(order))]
    fit = (place < len(order)) & (owner[plays] == waiter[likely][:, None])
    fit &= known.begin_frame[plays] <= wait_frame[likely][:, None] + 1
    asked = np.broadcast_to(events[likely][:, None], plays.shape)
    nearest = plays[np.arange(len(plays)), fit.argmax(axis=1)]
    likely_lacking = fit.any(axis=1) & _among(all_clips.having, all_clips.class_of_play[nearest], events[likely])
    marked = {(clip, mark) for clip, marks in all_clips.marks_of_clip.items() for mark in marks}
    likely_lacking &= ~(fit & _among(marked, all_clips.clip_of_play[plays], asked)).any(axis=1)
    playing = fit & known.outlived()[plays] & (known.stop_line[plays] < waits.end[likely][:, None])
    likely_lacking &= playing.any(axis=1)
    for row in np.flatnonzero(likely_lacking).tolist():
        wait, mine = int(likely[row]), plays[row][playing[row]]
        if not (_met_right_after(scene, wait, int(mine[-1])) or _may_yet_be_met(scene, wait, int(mine[-1]))):
            found.setdefault((int(all_clips.clip_of_play[mine[0]]), int(events[wait])), []).append((int(mine[0]), wait))
    return found


def _among(pairs: Collection[tuple[int, int]], first: Array, second: Array) -> Array:
    """Return a boolean array of the shape of `first` and `second`: the two are one of the pairs."""
    stride = 1 + max((two for _, two in pairs), default=0)
    codes = [one * stride + two for one, two in pairs]
    return np.isin(np.asarray(first, np.int64) * stride + second, codes) & (second >= 0) & (second < stride)


def _ended_after(scene: Scene) -> tuple[Array, Array]:
    """Return (plays in order of owner and end, for each wait the place of its owner's first play that ends after it began)."""
    take, known, waits = scene.take, scene.once(clips), scene.once(open_waits)
    table = take.tables["wait"]
    texts = len(take.strings) + 2
    ended = np.flatnonzero(known.counted() & known.stopped)
    order = ended[np.lexsort((known.stop_line[ended], known.peer[ended] * texts + known.owner[ended]))]
    owners = known.peer[order] * texts + known.owner[order]
    distinct_owners = np.unique(owners)
    stride = 2 + int(max(np.max(known.stop_line[order], initial=0), np.max(waits.begin, initial=0)))
    placed = np.searchsorted(distinct_owners, owners) * stride + known.stop_line[order]
    asked = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    return order, np.searchsorted(placed, np.searchsorted(distinct_owners, asked) * stride + waits.begin, "right")


def _outlived(scene: Scene) -> Array:
    """Return the waits (rows) during which a clip of their owner ended."""
    table = scene.take.tables["wait"]
    known, waits = scene.once(clips), scene.once(open_waits)
    texts = len(scene.take.strings) + 2
    ended = np.flatnonzero(known.counted() & known.stopped)
    stops = LineSpans(
        known.peer[ended] * texts + known.owner[ended], known.stop_line[ended], known.stop_line[ended] + 1
    )
    owners = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    between = stops.begun_before(owners, waits.end) - stops.begun_before(owners, waits.begin)
    return np.flatnonzero(between > 0)


def _met_right_after(scene: Scene, wait: int, play: int) -> bool:
    """Say whether the wait was met by a clip that took over from this one."""
    take, known = scene.take, scene.once(clips)
    met = int(take.waits.met[wait])
    if met < 0:
        return False
    send = int(take.send_ids.rows(take.tables["met"]["p"][met : met + 1], take.tables["met"]["s"][met : met + 1])[0])
    if send < 0:
        return True
    sends = take.tables["send"]
    by = int(take.play_ids.rows(sends["p"][send : send + 1], sends["y"][send : send + 1])[0])
    return by < 0 or bool(known.begin_frame[by] <= known.end_frame[play] + 1)


def _may_yet_be_met(scene: Scene, wait: int, play: int) -> bool:
    """Say whether a clip with the mark took over from this one, and plays on where the take ends."""
    known, all_clips = scene.once(clips), scene.once(marked_clips)
    following = int(known.following[play])
    if following < 0 or known.stopped[following] or known.begin_frame[following] > known.end_frame[play] + 1:
        return False
    awaited = int(scene.take.tables["wait"]["ev"][wait])
    return awaited in all_clips.marks_of_clip.get(int(all_clips.clip_of_play[following]), ())


def find(scene: Scene) -> Iterator[Found]:
    """Yield clips without the mark that is waited for."""
    known, all_clips = scene.once(clips), scene.once(marked_clips)
    for (_, name), pairs in scene.once(waited_in_vain).items():
        plays = np.array([play for play, _ in pairs])
        waits = np.array([wait for _, wait in pairs])
        others = sorted(all_clips.having[int(all_clips.class_of_play[plays[0]]), name])
        yield tell(
            scene,
            plays,
            name,
            known.end_frame[plays],
            tr("it ended {times} while {who} waited for it", times=counted(len(plays), "time"), who=_who(scene, waits)),
            others,
            scene.evidence("wait", waits[:3].tolist(), tr("waits for it")),
        )


def _who(scene: Scene, waits: Array) -> str:
    table = scene.take.tables["wait"]
    return scene.take.text(int(table["o"][waits[0]])) or "code"


WAIT_WITHOUT = Cause(
    "wait-without",
    "lacks a mark waited for",
    Severity.FAULT,
    find,
    about="A clip ends while its owner waits for a mark that it lacks and another clip of the class has.",
    quiet="a wait that another clip, begun at once, meets or may yet meet; a clip that ends with the take.",
)
