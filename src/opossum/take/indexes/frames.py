"""Frames of a take: where each begins, works and ends, and which frame a record belongs to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.index import Index
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.recording import Recording
from opossum.take.stretches import overlap_ns

STARTUP = -1
"""Frame number of the stretch before a peer's first frame (start-up), where it holds any record."""

DRAWS = ("draw", "render", "paint")
"""A phase whose name holds one of these words makes the picture."""

FIRST_PICTURES = 3
"""So many frames that draw are loading where the engine makes its first picture after the first `idle`: what it
draws with is built then."""

CLOSING_NS = 2_000_000_000
"""A game that says `bye` in the middle of a frame has closed itself: so long that may take without counting as work."""
_NO_WORK = ("head", "lost", "bye")

_FLAGS = ("idle", "loading", "gap", "settled")


@dataclass(eq=False, repr=False)
class Frames:
    """Columns over all frames, peer after peer, each peer's in stream order.

    `number` is the game's own frame number; `work_ns` is the time from its beginning to `idle` (or to its end; where the game
    closed itself in it, to what it told last), less time held at a tripwire, less phases in which the engine waits, and less what `idle` tells to be the machine's doing
    (`ready`); where it tells the thread's processor time alone (`cpu`), never more than that.  `loading` marks frames up
    to the one the first `idle` closes, and the first that draw where they come later; `gap` those from
    which records are missing; `settled` all others, the only ones whose length is judged.  `machine_ns`: how long `idle` tells
    that the thread could have run and was not run, 0 where nothing; `cpu_ns` how long it ran, -1 where that is not told.
    """

    number: Array
    peer: Array
    line: Array
    start_ns: Array
    work_end_ns: Array
    end_ns: Array
    work_ns: Array
    held_ns: Array
    machine_ns: Array
    cpu_ns: Array
    idle: Array
    loading: Array
    gap: Array
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
        if not len(self):
            return np.full(len(lines), -1, np.int32)
        if len(self.peer_starts) == 2:
            return (np.searchsorted(self.line, lines, "right") - 1).astype(np.int32)
        peers = np.asarray(peers, np.int64)
        # (peer, line) as one ascending number; a line may be far beyond them all, where it stands for none
        beyond = int(self.line.max()) + 1
        stride = beyond + 1
        asked = peers * stride + np.minimum(np.asarray(lines, np.int64), beyond)
        rows = np.searchsorted(self.peer * stride + self.line, asked, "right") - 1
        return np.where(rows >= self.peer_starts[peers], rows, -1).astype(np.int32)


def build_frames(recording: Recording, holds: Holds) -> Frames:
    """Build the frames of every peer. Cost: linear in frames, phases and idles."""
    parts = [_frames_of(recording, holds, peer) for peer in range(len(recording.peers))]
    names = [name for name in Frames.__dataclass_fields__ if name != "peer_starts"]
    nothing = np.zeros(0, np.int64)
    joined = {
        name: np.concatenate([nothing.astype(bool if name in _FLAGS else np.int64), *(part[name] for part in parts)])
        for name in names
    }
    starts = np.concatenate(([0], np.cumsum([len(part["number"]) for part in parts], dtype=np.int64)))
    return Frames(**joined, peer_starts=starts.astype(np.int64))


def _frames_of(recording: Recording, holds: Holds, peer: int) -> dict[str, Array]:
    number, line, start = _beginnings(recording, peer)
    count = len(number)
    # a stream may go backwards in time; what is drawn must not
    start = np.maximum.accumulate(start) if count else start
    last_t = recording.peers[peer].last_t
    end = np.concatenate((start[1:], [max(last_t, int(start[-1]))])) if count else start
    work_end, has_idle, cpu, ready = _work_ends(recording, peer, line, start, end)
    if count and not has_idle[-1] and recording.closed(peer):
        work_end[-1] = max(int(start[-1]), _closing_began(recording, peer, int(line[-1]), int(end[-1])))
    held = overlap_ns(start, work_end, holds.starts[peer], holds.ends[peer])
    waited = overlap_ns(start, work_end, *_waiting_stretches(recording, peer, end))
    work = np.maximum(work_end - start - held - waited, 0)
    loading = _loading(recording, peer, line, number, has_idle)
    return {
        "number": number,
        "peer": np.full(count, peer, np.int64),
        "line": line,
        "start_ns": start,
        "work_end_ns": work_end,
        "end_ns": end,
        "work_ns": np.where(ready >= 0, np.maximum(work - ready, 0), np.where(cpu >= 0, np.minimum(work, cpu), work)),
        "held_ns": held,
        "machine_ns": np.maximum(ready, 0),
        "cpu_ns": cpu,
        "idle": has_idle,
        "loading": loading,
        "gap": (gap := _gaps(recording, peer, line)),
        "settled": ~loading & ~gap,
    }


def _gaps(recording: Recording, peer: int, line: Array) -> Array:
    """Return in which frames of a peer records were lost: how long they were, and what happened in them, is not known."""
    gap = np.zeros(len(line), bool)
    rows = recording.rows_of_peer("lost", peer)
    place = np.searchsorted(line, np.asarray(recording.tables["lost"]["line"], np.int64)[rows], "right") - 1
    gap[place[place >= 0]] = True
    return gap


def _beginnings(recording: Recording, peer: int) -> tuple[Array, Array, Array]:
    """Return (number, line, start in ns) of a peer's frames, start-up among them where it holds anything."""
    table = recording.tables["frame"]
    mine = recording.rows_of_peer("frame", peer)
    number, line, start = (np.asarray(table[name], np.int64)[mine] for name in ("n", "line", "t"))
    span = recording.peers[peer]
    if _works_before(recording, peer, int(line[0]) if len(line) else None):
        number = np.concatenate(([STARTUP], number))
        line = np.concatenate(([span.first_line], line))
        start = np.concatenate(([span.first_t], start))
    return number, line, start


def _works_before(recording: Recording, peer: int, first_frame_line: int | None) -> bool:
    """Say whether the peer did anything before its first frame (or has no frames at all)."""
    for kind in ("send", "call", "bind", "spawn", "arm", "play", "wait", "watch"):
        rows = recording.rows_of_peer(kind, peer)
        if len(rows) and (first_frame_line is None or recording.tables[kind]["line"][rows[0]] < first_frame_line):
            return True
    return False


def _work_ends(
    recording: Recording, peer: int, line: Array, start: Array, end: Array
) -> tuple[Array, Array, Array, Array]:
    """Return (end of work in ns, whether there was an `idle`, its `cpu`, its `ready`, each in ns or -1) of a peer's frames."""
    work_end, has_idle = end.copy(), np.zeros(len(line), bool)
    cpu, ready = np.full(len(line), -1, np.int64), np.full(len(line), -1, np.int64)
    table = recording.tables["idle"]
    rows = recording.rows_of_peer("idle", peer)
    if len(line) and len(rows):
        place = np.searchsorted(line, np.asarray(table["line"], np.int64)[rows], "right") - 1
        rows, place = rows[place >= 0][::-1], place[place >= 0][::-1]  # reversed: the first idle of a frame counts
        work_end[place] = np.clip(np.asarray(table["t"], np.int64)[rows], start[place], end[place])
        cpu[place] = np.asarray(table["cpu"], np.int64)[rows]
        ready[place] = np.asarray(table["ready"], np.int64)[rows]
        has_idle[place] = True
    return work_end, has_idle, cpu, ready


def _closing_began(recording: Recording, peer: int, line: int, end_ns: int) -> int:
    """Return when a peer's last frame, of this line, did what it told last before it said `bye`.

    Its end, where a call is open by then or the game took longer than closing does.
    """
    tables = recording.tables
    mine = {kind: np.flatnonzero((table["p"] == peer) & (table["line"] >= line)) for kind, table in tables.items()}
    told = [
        (int(tables[kind]["line"][rows[-1]]), int(tables[kind]["t"][rows[-1]]))
        for kind, rows in mine.items()
        if len(rows) and kind not in _NO_WORK
    ]
    _, last_t = max(told, default=(line, end_ns))
    is_in_a_call = not np.isin(tables["call"]["c"][mine["call"]], tables["ret"]["c"][mine["ret"]]).all()
    return end_ns if is_in_a_call or end_ns - last_t > CLOSING_NS else min(last_t, end_ns)


def _loading(recording: Recording, peer: int, line: Array, number: Array, has_idle: Array) -> Array:
    """Return which frames of a peer are loading: up to the first `idle`, and first pictures that come later; of a peer that
    tells of none, its first frame.
    """
    loading = number == STARTUP
    if not has_idle.any():
        loading[np.flatnonzero(~loading)[:-1][:1]] = True  # the only frame may be what it froze in
        return loading
    first_idle = int(np.argmax(has_idle))
    loading[: first_idle + 1] = True
    phases = recording.tables["phase"]
    rows = recording.rows_of_peer("phase", peer)
    drawing = [code for code in distinct(np.asarray(phases["name"])[rows]).tolist() if _draws(recording.text(code))]
    drawn = rows[np.isin(np.asarray(phases["name"])[rows], drawing)]
    pictures = distinct(np.searchsorted(line, np.asarray(phases["line"], np.int64)[drawn], "right") - 1)
    if len(pictures) and pictures[0] > first_idle:
        loading[pictures[:FIRST_PICTURES]] = True
    return loading


def _draws(phase: str) -> bool:
    return any(word in phase.casefold() for word in DRAWS)


def _waiting_stretches(recording: Recording, peer: int, frame_end: Array) -> tuple[Array, Array]:
    """Return (starts, ends) in ns of phases in which the peer's engine itself waits (its head's `waits`)."""
    names = recording.head_list(peer, "waits")
    nothing = np.zeros(0, np.int64)
    table = recording.tables["phase"]
    mine = recording.rows_of_peer("phase", peer)
    if not names or not len(mine):
        return nothing, nothing
    starts = np.asarray(table["t"], np.int64)[mine]
    idle = np.asarray(recording.tables["idle"]["t"], np.int64)[recording.rows_of_peer("idle", peer)]
    marks = np.sort(np.concatenate((starts, frame_end, idle)))
    ends = marks[np.minimum(np.searchsorted(marks, starts, "right"), len(marks) - 1)]
    waiting = np.isin(np.asarray(table["name"])[mine], [recording.code(name) for name in names])
    return starts[waiting], np.maximum(ends, starts)[waiting]


FRAMES = Index("frames", build_frames, (HOLDS,), holds=(Frames,), first=True)
