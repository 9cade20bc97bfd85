"""A take told anew without what goes: times closed up, ends told sooner, sends moved."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from opossum.rehearse.consequences import Gone
from opossum.rehearse.plan import Plan
from opossum.stream.contents import PeerSpan
from opossum.stream.kinds import KINDS
from opossum.stream.tables import ABSENT, Array, Column, JsonColumn, Table
from opossum.take.grouping import parted
from opossum.take.recording import Recording
from opossum.take.sieve import frame_budget_ns
from opossum.take.take import Take
from opossum.words import tr

BARELY_LONGER = 0.05
"""A frame is longer than its budget if it is by more than this share of it: less is how clocks tick."""


def retold(take: Take, plan: Plan, gone: Gone) -> Take:
    """Return the take as it would have been told. Linear in its records, and one sort of them.

    Frames shorten by what was taken out of them; those that were longer than their budget let the next begin sooner.
    """
    times = _Times(take, plan, gone)
    strings = [*take.strings]
    added = _ends(take, plan, strings)
    lines, moved_t = _moved(take, plan)
    tables: dict[str, Table] = {}
    keys: dict[str, Array] = {}
    for kind, table in take.tables.items():
        rows = np.flatnonzero(~gone.flags[kind])
        columns = {name: _picked(column, rows) for name, column in table.columns.items()}
        times_of_rows = times.shifted(kind)[rows]
        key = np.stack((np.asarray(table["line"], np.float64)[rows], np.zeros(len(rows))))
        where = np.searchsorted(lines[0], np.asarray(table["line"], np.int64)[rows])
        is_moved = (where < len(lines[0])) & (
            np.append(lines[0], -1)[where] == np.asarray(table["line"], np.int64)[rows]
        )
        key[:, is_moved] = lines[1][:, where[is_moved]]
        columns["t"] = np.where(is_moved, np.append(moved_t, 0)[where], times_of_rows)
        if kind == "ret" and len(plan.silenced):
            columns["eff"] = _without_effect(take, plan.silenced, rows, columns["eff"])
        if kind == "send" and len(plan.events):
            columns |= _of_themselves(take, plan.events, rows, columns)
        if kind == "frame":
            columns["dt"] = times.told_steps(rows)
        if kind in added:
            columns, key = _with_more(kind, columns, key, added[kind], times)
        tables[kind] = Table(kind, key.shape[1], columns)
        keys[kind] = key
    _number_lines(tables, keys)
    recording = Recording(tables, strings, _spans(take, tables), [], list(take.sources))
    return Take(recording, f"{take.name} rehearsed")


def _picked(column: Column, rows: Array) -> Column:
    """Return some rows of a column."""
    if not isinstance(column, JsonColumn):
        return column[rows]
    if not column.data:
        return JsonColumn.absent(len(rows))
    offsets = np.asarray(column.offsets, np.int64)
    sizes = (offsets[1:] - offsets[:-1])[rows]
    ends = np.cumsum(sizes)
    data = np.frombuffer(column.data, np.uint8)
    within = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - sizes, sizes)
    return JsonColumn(np.concatenate(([0], ends)), data[np.repeat(offsets[rows], sizes) + within].tobytes())


class _Times:
    """When everything comes once what goes takes no time: by frame, and within a frame by what came before."""

    def __init__(self, take: Take, plan: Plan, gone: Gone) -> None:
        self.take = take
        peers = max(1, len(take.peers))
        self.cuts = [self._cuts(plan, gone, peer) for peer in range(peers)]
        self.frame_shift = [self._frame_shifts(peer) for peer in range(peers)]

    def _cuts(self, plan: Plan, gone: Gone, peer: int) -> tuple[Array, Array]:
        """Return (begin, end) in ns of the stretches of a peer's time that are taken out, sorted and disjoint."""
        calls = self.take.calls
        mine = np.asarray(self.take.tables["call"]["p"]) == peer
        # within what goes, nothing else was written on that thread: its outermost calls are the stretches
        rows = np.flatnonzero(gone.flags["call"] & mine & calls.returned)
        begins, ends = [calls.start_ns[rows]], [calls.end_ns[rows]]
        quick, less = plan.quicker
        kept = mine[quick] if len(quick) else np.zeros(0, bool)
        begins.append(calls.end_ns[quick[kept]] - less[kept])
        ends.append(calls.end_ns[quick[kept]])
        gap_begin, gap_ns = plan.gaps
        at = self._peer_of_gaps(gap_begin) == peer
        begins.append(gap_begin[at])
        ends.append(gap_begin[at] + gap_ns[at])
        begin, end = np.concatenate(begins), np.concatenate(ends)
        order = np.argsort(begin, kind="stable")
        begin, end = begin[order], np.maximum.accumulate(end[order]) if len(order) else end
        if not len(begin):
            return begin, end
        fresh = np.concatenate(([True], begin[1:] > end[:-1]))
        last = np.append(np.flatnonzero(fresh)[1:] - 1, len(begin) - 1)
        return begin[fresh], end[last]

    def _peer_of_gaps(self, begins: Array) -> Array:
        frames = self.take.frames
        peers = np.zeros(len(begins), np.int64)
        for peer in range(len(self.take.peers)):
            rows = frames.of_peer(peer)
            if rows.stop > rows.start:
                inside = (begins >= frames.start_ns[rows.start]) & (begins <= frames.end_ns[rows.stop - 1])
                peers[inside] = peer
        return peers

    def cut_before(self, peer: int, times: Array) -> Array:
        """Return how much of the stretches lies before each moment."""
        begin, end = self.cuts[peer]
        if not len(begin):
            return np.zeros(len(times), np.int64)
        sums = np.concatenate(([0], np.cumsum(end - begin)))
        place = np.searchsorted(begin, times, "right") - 1
        known = np.maximum(place, 0)
        return np.where(place >= 0, sums[known] + np.minimum(times, end[known]) - begin[known], 0)

    def _frame_shifts(self, peer: int) -> Array:
        """Return (frames of the peer + 1,): how much sooner each frame begins, and what comes after the last."""
        frames, take = self.take.frames, self.take
        rows = frames.of_peer(peer)
        start, end = frames.start_ns[rows], frames.end_ns[rows]
        if not len(start):
            return np.zeros(1, np.int64)
        taken = self.cut_before(peer, end) - self.cut_before(peer, start)
        spare = end - start - int(frame_budget_ns(take, peer))
        # a frame that kept its budget waits for the next as before; a longer one is as long as what is left of it
        too_long = spare > BARELY_LONGER * (end - start)
        shorter = np.where(too_long, np.minimum(taken, spare), 0)
        return np.concatenate(([0], np.cumsum(shorter)))

    def shifted(self, kind: str) -> Array:
        """Return int64 (rows,): the new times of a table."""
        table, frames = self.take.tables[kind], self.take.frames
        times, peers = np.asarray(table["t"], np.int64).copy(), np.asarray(table["p"], np.int64)
        frame = frames.rows_of_lines(peers, table["line"]).astype(np.int64)
        for peer in range(len(self.cuts)):
            mine = np.flatnonzero(peers == peer)
            if not len(mine) or not (len(self.cuts[peer][0])):
                continue
            start_row = int(frames.peer_starts[peer])
            in_frame = frame[mine] >= 0
            begin = np.where(in_frame, np.append(frames.start_ns, 0)[frame[mine]], 0)
            within = self.cut_before(peer, times[mine]) - np.where(in_frame, self.cut_before(peer, begin), 0)
            shift = np.where(in_frame, self.frame_shift[peer][np.maximum(frame[mine] - start_row, 0)], 0)
            times[mine] -= shift + within
        return times

    def told_steps(self, rows: Array) -> Array:
        """Return float64 (n,): the steps of time frames are told, less what the frame before is shorter."""
        table, frames = self.take.tables["frame"], self.take.frames
        steps = np.asarray(table["dt"], np.float64).copy()
        peers = np.asarray(table["p"], np.int64)
        frame = frames.rows_of_lines(peers, table["line"]).astype(np.int64)
        for peer, shifts in enumerate(self.frame_shift):
            mine = peers == peer
            place = frame[mine] - int(frames.peer_starts[peer])
            before = np.where(place > 0, shifts[np.maximum(place, 0)] - shifts[np.maximum(place - 1, 0)], 0)
            # a game that was not told of the stall is told nothing less without it
            usual = np.minimum(steps[mine], frame_budget_ns(self.take, peer) / 1e9)
            steps[mine] = np.maximum(steps[mine] - before / 1e9, usual)
        return steps[rows]


def _without_effect(take: Take, silenced: Array, rows: Array, effects: Column) -> Array:
    """Return effects of returns, none for calls that are silenced."""
    quiet = np.zeros(len(take.tables["ret"]) + 1, bool)
    quiet[take.calls.ret[silenced]] = True
    quiet[-1] = False
    return np.where(quiet[rows], 0, np.asarray(effects, np.int64))


def _of_themselves(take: Take, events: Array, rows: Array, columns: dict[str, Column]) -> dict[str, Column]:
    """Return the columns in which sends tell what they sprang from, without it for `events`."""
    own = np.zeros(len(take.tables["send"]), bool)
    own[events] = True
    fields = [field for field in KINDS["send"].fields if field.name in ("c", "via", "a")]
    return {field.name: np.where(own[rows], ABSENT[field.type], np.asarray(columns[field.name])) for field in fields}


# --- ends that are told sooner ------------------------------------------------------------------------------


def _ends(take: Take, plan: Plan, strings: list[str]) -> dict[str, dict[str, Array]]:
    """Return the records to add: kind → (peer, id, the line right after which, what more)."""
    added: dict[str, dict[str, Array]] = {}
    for kind, field, of, (rows, lines) in (("unbind", "b", "bind", plan.unbound), ("disarm", "a", "arm", plan.cleared)):
        if len(rows):
            table = take.tables[of]
            added[kind] = {
                "p": np.asarray(table["p"], np.int64)[rows],
                field: np.asarray(table[field], np.int64)[rows],
                "line": np.asarray(lines, np.int64),
            }
            if kind == "disarm":
                if "cleared" not in strings:
                    strings.append("cleared")
                added[kind]["how"] = np.full(len(rows), strings.index("cleared"))
    return added


def _with_more(
    kind: str, columns: dict[str, Column], key: Array, more: dict[str, Array], times: _Times
) -> tuple[dict[str, Column], Array]:
    """Return a table's columns and keys with the records that are added; what is not told of them is absent."""
    count = len(more["line"])
    absent = {field.name: ABSENT[field.type] for field in KINDS[kind].fields if field.type in ABSENT}
    given = {**more, "t": _time_of_lines(times, more["p"], more["line"])}
    joined: dict[str, Column] = {}
    for name, column in columns.items():
        if isinstance(column, JsonColumn):
            raise TypeError(tr("`{kind}` has JSON in `{name}`: records of it cannot be added", kind=kind, name=name))
        # wide, since what is added need not fit the narrow type of what was there
        value = given[name] if name in given else np.full(count, absent.get(name, -1))
        joined[name] = np.concatenate((np.asarray(column).astype(value.dtype), value))
    return joined, np.concatenate((key, np.stack((more["line"].astype(np.float64), np.ones(count)))), axis=1)


def _time_of_lines(times: _Times, peers: Array, lines: Array) -> Array:
    """Return the new times of the records that stand at lines."""
    found = np.zeros(len(lines), np.int64)
    for kind, table in times.take.tables.items():
        own = np.asarray(table["line"], np.int64)
        place = np.searchsorted(own, lines)
        hit = (place < len(own)) & (np.append(own, -1)[place] == lines)
        if hit.any():
            found[hit] = times.shifted(kind)[place[hit]]
    return found


# --- sends that come at another time --------------------------------------------------------------------------


def _moved(take: Take, plan: Plan) -> tuple[tuple[Array, Array], Array]:
    """Return ((lines that move, their new keys (2, n)), their new times): each send with all that ran because of it."""
    sends, due = plan.moved
    if not len(sends):
        return (np.zeros(0, np.int64), np.zeros((2, 0))), np.zeros(0, np.int64)
    records = list(take.tables.values())
    lines, times, peers = (
        np.concatenate([np.asarray(table[name], np.int64) for table in records]) for name in ("line", "t", "p")
    )
    order = np.argsort(lines, kind="stable")
    lines, times, peers = lines[order], times[order], peers[order]
    of_peer = [np.flatnonzero(peers == peer) for peer in range(max(1, len(take.peers)))]
    table = take.tables["send"]
    last = _last_lines(take, sends)
    parts: list[tuple[Array, Array, Array]] = []
    for send, when, end in zip(sends.tolist(), _between_calls(take, sends, due).tolist(), last.tolist(), strict=True):
        line, time, peer = int(table["line"][send]), int(table["t"][send]), int(table["p"][send])
        block = np.arange(*np.searchsorted(lines, [line, end + 1]))
        block = block[peers[block] == peer]
        # right after the last record of the peer that came before
        mine = of_peer[peer]
        anchor = mine[max(0, int(np.searchsorted(times[mine], when, "right")) - 1)]
        key = np.stack((np.full(len(block), float(lines[anchor])), 2.0 + np.arange(len(block)) / (len(block) + 1)))
        parts.append((lines[block], key, when + times[block] - time))
    moved, first = np.unique(np.concatenate([part[0] for part in parts]), return_index=True)
    keys = np.concatenate([part[1] for part in parts], axis=1)
    return (moved, keys[:, first]), np.concatenate([part[2] for part in parts])[first]


def _between_calls(take: Take, sends: Array, due: Array) -> Array:
    """Return when sends come that are due at moments, (n,) each: what runs then on their thread runs to its end first.

    Else they would be told within a call that had nothing to do with them. Calls that outlast their frame stand aside.
    Linear in the calls, for each thread that sends move on.
    """
    calls, comes = take.calls, np.asarray(due, np.int64).copy()
    peer, thread = (np.asarray(take.tables["call"][name]) for name in ("p", "th"))
    sent_peer, sent_thread = (np.asarray(take.tables["send"][name])[sends] for name in ("p", "th"))
    returned = np.append(np.asarray(take.tables["ret"]["line"], np.int64), 0)[calls.ret]
    brief = calls.returned & (take.frames.rows_of_lines(peer, returned) == calls.frame)
    for part in parted(sent_peer, sent_thread):
        rows = np.flatnonzero(brief & (peer == sent_peer[part[0]]) & (thread == sent_thread[part[0]]))
        ends = np.append(np.maximum.accumulate(calls.end_ns[rows]), 0)
        begun = np.searchsorted(calls.start_ns[rows], comes[part], "right") - 1
        comes[part] = np.maximum(comes[part], ends[begun])
    return comes


def _last_lines(take: Take, sends: Array) -> Array:
    """Return the last line of what ran because of each send before anything else did: its calls' returns."""
    end = np.asarray(take.tables["send"]["line"], np.int64).copy()
    came = np.flatnonzero((take.calls.ret >= 0) & (take.calls.send >= 0))
    returned = np.asarray(take.tables["ret"]["line"], np.int64)[take.calls.ret[came]]
    np.maximum.at(end, take.calls.send[came], returned)
    return end[sends]


# --- lines and peers -----------------------------------------------------------------------------------------


def _number_lines(tables: dict[str, Table], keys: dict[str, Array]) -> None:
    """Number all records anew in the order of their keys, and put each table in that order."""
    kinds = [kind for kind in tables if keys[kind].shape[1]]
    if not kinds:
        return
    joined = np.concatenate([keys[kind] for kind in kinds], axis=1)
    order = np.lexsort((joined[1], joined[0]))
    lines = np.empty(len(order), np.int64)
    lines[order] = np.arange(1, len(order) + 1)
    begin = 0
    for kind in kinds:
        table = tables[kind]
        own = lines[begin : begin + len(table)]
        begin += len(table)
        rows = np.argsort(own, kind="stable")
        table.columns = {name: _picked(column, rows) for name, column in table.columns.items()}
        table.columns["line"] = own[rows]


def _spans(take: Take, tables: dict[str, Table]) -> list[PeerSpan]:
    """Return what is known of each peer, with its new first and last line and time."""
    spans = []
    for peer, span in enumerate(take.peers):
        lines, times = [], []
        for table in tables.values():
            mine = np.asarray(table["p"]) == peer
            lines.append(np.asarray(table["line"], np.int64)[mine])
            times.append(np.asarray(table["t"], np.int64)[mine])
        all_lines, all_times = np.concatenate(lines), np.concatenate(times)
        if len(all_lines):
            span = replace(
                span,
                first_line=int(all_lines.min()),
                last_line=int(all_lines.max()),
                first_t=int(all_times.min()),
                last_t=int(all_times.max()),
                records=len(all_lines),
            )
        spans.append(span)
    return spans
