"""`queue … is empty at the end of each frame`, `… holds at most …`, `… keeps nothing longer than …`."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.sentence import Form, Span
from opossum.stream.tables import Array
from opossum.words import tr


def queue(ground: Ground, form: Form) -> Occasions:
    """Judge a queue: at frames' ends, at each put, or by how long each put stayed."""
    name, what = form.children
    return {"isempty": _is_empty, "holds": _holds, "waits": _waits}[str(what.data)](ground, name, what)


def _steps(ground: Ground, name: str) -> tuple[Array, Array, Array]:
    """Return (peer, line, length after it) of every put and pull of a queue, peer after peer."""
    take = ground.take
    parts = []
    for kind, step in (("put", 1), ("pull", -1)):
        table = take.tables[kind]
        rows = np.flatnonzero(ground.is_named(table["q"], (name,)))
        parts.append(
            np.stack(
                (
                    np.asarray(table["p"], np.int64)[rows],
                    np.asarray(table["line"], np.int64)[rows],
                    np.full(len(rows), step, np.int64),
                )
            )
        )
    peers, lines, steps = np.concatenate(parts, axis=1)
    order = np.lexsort((lines, peers))
    peers, lines, steps = peers[order], lines[order], steps[order]
    total = np.cumsum(steps)
    fresh = np.diff(peers, prepend=-1) != 0
    base = (total - steps)[fresh]
    return peers, lines, total - (base[np.cumsum(fresh) - 1] if len(total) else 0)


def _is_empty(ground: Ground, name: str, what: Form) -> Occasions:
    frames = ground.take.frames
    peers, lines, length = _steps(ground, name)
    held, rows_of, left = [], [], []
    for peer in np.unique(peers).tolist():
        mine = peers == peer
        rows = np.arange(len(frames))[frames.of_peer(int(peer))]
        # what stands at the line before the next frame begins; the last frame has no end to look at
        ends = np.asarray(frames.line, np.int64)[rows[1:]] - 1
        place = np.searchsorted(lines[mine], ends, "right") - 1
        inside = np.where(place >= 0, length[mine][np.maximum(place, 0)], 0)
        held.append(inside <= 0)
        left.append(inside)
        rows_of.append(rows[:-1])
    nothing = [np.zeros(0, np.int64)]
    rows, holds, many = (np.concatenate(parts or nothing) for parts in (rows_of, held, left))
    return occasions(
        np.asarray(frames.line, np.int64)[rows],
        rows,
        holds,
        lambda place: tr("{many} left", many=many[place]),
        ground.frame_peer[rows],
    )


def _holds(ground: Ground, name: str, what: Form) -> Occasions:
    most = int(float(what.children[0]))
    peers, lines, length = _steps(ground, name)
    frames = ground.take.frames.rows_of_lines(peers, lines)
    return occasions(lines, frames, length <= most, lambda place: tr("holds {length}", length=length[place]), peers)


def _waits(ground: Ground, name: str, what: Form) -> Occasions:
    span: Span = what.children[0]
    take, waits = ground.take, ground.take.queue_waits
    table = take.tables["put"]
    rows = np.flatnonzero(ground.is_named(table["q"], (name,)))
    peers = np.asarray(table["p"], np.int64)[rows]
    pulled = waits.pull[rows] >= 0
    if span.frames:
        since = waits.frame[rows].astype(np.int64)
        until = np.where(pulled, waits.pull_frame[rows], np.append(ground.last_frame, 0)[peers])
    else:
        since, until = waits.time_ns[rows], waits.pull_ns[rows].copy()
        end = take.holds.game_times(peers, take.recording.end_of_peers(peers))
        until = np.where(pulled, until, end)
    stayed = until - since
    # what still lies there at the end is too long if it is already
    judged = pulled | (stayed > span.value)
    rows, stayed = rows[judged], stayed[judged]
    lines = np.asarray(table["line"], np.int64)[rows]
    return occasions(
        lines,
        waits.frame[rows],
        stayed <= span.value,
        lambda place: tr("stayed {span}", span=Span(float(stayed[place]), span.frames)),
        peers[judged],
    )
