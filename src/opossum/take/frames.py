"""Frames of a take: where each begins, works and ends, and which frame a record belongs to."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from opossum.stream.tables import Array

if TYPE_CHECKING:
    from opossum.take.take import Take

STARTUP = -1
"""Frame number of the stretch before a peer's first frame (start-up), where it holds any record."""


_FLAGS = ("idle", "loading", "settled")


@dataclass(eq=False, repr=False)
class Frames:
    """Columns over all frames, peer after peer, each peer's in stream order.

    `number` is the game's own frame number; `work_ns` is the time from its beginning to `idle` (or to its
    end), less time held at a tripwire and less phases in which the engine waits; `late_ns` is what calls
    after `idle` took.  `loading` marks frames strictly before the one the first `idle` closes; `settled`
    those after it, the only ones whose length is judged.
    """

    number: Array
    peer: Array
    line: Array
    start_ns: Array
    work_end_ns: Array
    end_ns: Array
    work_ns: Array
    held_ns: Array
    idle: Array
    loading: Array
    settled: Array
    peer_starts: Array
    """Rows of peer p are peer_starts[p] … peer_starts[p + 1] - 1."""

    def __len__(self) -> int:
        return len(self.number)

    def of_peer(self, peer: int) -> slice:
        """Return the rows of one peer."""
        return slice(int(self.peer_starts[peer]), int(self.peer_starts[peer + 1]))

    def rows_of_lines(self, peers: Array, lines: Array) -> Array:
        """Return int32 (n,): the frame row each (peer, line) falls in; -1 where the peer has none before it."""
        rows = np.full(len(lines), -1, np.int32)
        peer_count = len(self.peer_starts) - 1
        for peer in range(peer_count):
            span = self.of_peer(peer)
            if span.start == span.stop:
                continue
            own_lines = self.line[span]
            if peer_count == 1:
                return (np.searchsorted(own_lines, lines, "right") - 1 + span.start).astype(np.int32)
            mine = np.asarray(peers) == peer
            place = np.searchsorted(own_lines, lines[mine], "right") - 1
            rows[mine] = np.where(place >= 0, place + span.start, -1)
        return rows


def make_frames(take: Take) -> Frames:
    """Build the frames of every peer. Cost: linear in frames, phases and idles."""
    parts = [_peer_frames(take, peer) for peer in range(len(take.peers))]
    names = [name for name in Frames.__dataclass_fields__ if name != "peer_starts"]
    nothing = np.zeros(0, np.int64)
    joined = {
        name: np.concatenate([nothing.astype(bool if name in _FLAGS else np.int64), *(part[name] for part in parts)])
        for name in names
    }
    starts = np.concatenate(([0], np.cumsum([len(part["number"]) for part in parts], dtype=np.int64)))
    return Frames(**joined, peer_starts=starts.astype(np.int64))


def _peer_frames(take: Take, peer: int) -> dict[str, Array]:
    table = take.tables["frame"]
    mine = np.flatnonzero(np.asarray(table["p"]) == peer)
    number = np.asarray(table["n"], np.int64)[mine]
    line = np.asarray(table["line"], np.int64)[mine]
    start = np.asarray(table["t"], np.int64)[mine]
    span = take.peers[peer]
    if _works_before(take, peer, int(line[0]) if len(line) else None):
        number = np.concatenate(([STARTUP], number))
        line = np.concatenate(([span.first_line], line))
        start = np.concatenate(([span.first_t], start))
    count = len(number)
    # a stream may go backwards in time; what is drawn must not
    start = np.maximum.accumulate(start) if count else start
    end = np.concatenate((start[1:], [max(span.last_t, int(start[-1]))])) if count else start
    work_end, has_idle = end.copy(), np.zeros(count, bool)
    idle = take.tables["idle"]
    idle_mine = np.flatnonzero(np.asarray(idle["p"]) == peer)
    if count and len(idle_mine):
        idle_line = np.asarray(idle["line"], np.int64)[idle_mine]
        place = np.searchsorted(line, idle_line, "right") - 1
        known = place >= 0
        place, idle_t = place[known][::-1], np.asarray(idle["t"], np.int64)[idle_mine][known][::-1]
        work_end[place] = np.clip(idle_t, start[place], end[place])  # reversed: the first idle counts
        has_idle[place] = True
    held = _overlap(start, work_end, *_held_spans(take, peer))
    waited = _overlap(start, work_end, *_waiting_spans(take, peer, end))
    if has_idle.any():
        first_idle = int(np.argmax(has_idle))
        loading = np.arange(count) < first_idle
        settled = np.arange(count) > first_idle
    else:
        loading = number == STARTUP
        settled = ~loading
    return {
        "number": number,
        "peer": np.full(count, peer, np.int64),
        "line": line,
        "start_ns": start,
        "work_end_ns": work_end,
        "end_ns": end,
        "work_ns": np.maximum(work_end - start - held - waited, 0),
        "held_ns": held,
        "idle": has_idle,
        "loading": loading,
        "settled": settled,
    }


def _works_before(take: Take, peer: int, first_frame_line: int | None) -> bool:
    """Say whether the peer did anything before its first frame (or has no frames at all)."""
    for kind in ("send", "call", "bind", "spawn", "arm", "play", "wait", "watch"):
        table = take.tables[kind]
        rows = np.flatnonzero(np.asarray(table["p"]) == peer)
        if len(rows) and (first_frame_line is None or table["line"][rows[0]] < first_frame_line):
            return True
    return False


def game_times(take: Take, peers: Array, times_ns: Array) -> Array:
    """Return int64 (n,): moments on a clock that stands still while the game is held at a tripwire."""
    times = np.asarray(times_ns, np.int64)
    if not len(take.tables["held"]):
        return times
    game = times.copy()
    for peer in range(len(take.peers)):
        starts, ends = _held_spans(take, peer)
        mine = np.asarray(peers) == peer
        game[mine] -= _covered(starts, ends, times[mine])
    return game


def _held_spans(take: Take, peer: int) -> tuple[Array, Array]:
    """Return (starts, ends) in ns of the time the game was held; a hold without an end lasts to the take's end."""
    spans = []
    for kind in ("held", "went"):
        table = take.tables[kind]
        spans.append(np.sort(np.asarray(table["t"], np.int64)[np.asarray(table["p"]) == peer]))
    held, went = spans
    if not len(held):
        return held, held
    place = np.searchsorted(went, held, "left")
    went = np.append(went, take.peers[peer].last_t)
    ends = went[np.minimum(place, len(went) - 1)]
    first_of_end = np.concatenate(([True], ends[1:] != ends[:-1]))
    return held[first_of_end], ends[first_of_end]


def _waiting_spans(take: Take, peer: int, frame_end: Array) -> tuple[Array, Array]:
    """Return (starts, ends) in ns of phases in which the engine itself waits (the head's `waits`)."""
    names = take.head_list(peer, "waits")
    nothing = np.zeros(0, np.int64)
    table = take.tables["phase"]
    if not names or not len(table):
        return nothing, nothing
    mine = np.flatnonzero(np.asarray(table["p"]) == peer)
    starts = np.asarray(table["t"], np.int64)[mine]
    marks = np.sort(np.concatenate((starts, frame_end, take.tables["idle"]["t"])))
    ends = marks[np.minimum(np.searchsorted(marks, starts, "right"), len(marks) - 1)]
    waiting = np.isin(np.asarray(table["name"])[mine], [take.code(name) for name in names])
    return starts[waiting], np.maximum(ends, starts)[waiting]


def _overlap(frame_start: Array, frame_end: Array, span_start: Array, span_end: Array) -> Array:
    """Return int64 (frames,): how many ns of each frame lie within the spans (sorted, disjoint)."""
    return _covered(span_start, span_end, frame_end) - _covered(span_start, span_end, frame_start)


def _covered(span_start: Array, span_end: Array, time: Array) -> Array:
    """Return int64 (n,): how many ns of the spans (sorted, disjoint) lie before each moment."""
    if not len(span_start) or not len(time):
        return np.zeros(len(time), np.int64)
    before = np.concatenate(([0], np.cumsum(span_end - span_start)))
    place = np.searchsorted(span_start, time, "right") - 1
    known = np.maximum(place, 0)
    inside = np.minimum(time, span_end[known]) - span_start[known]
    return np.where(place >= 0, before[known] + inside, 0)


def parsed_list(text: str) -> list[str]:
    """Return a JSON list of strings, or nothing where the text is not one."""
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return []
    return [item for item in value if isinstance(item, str)] if isinstance(value, list) else []
