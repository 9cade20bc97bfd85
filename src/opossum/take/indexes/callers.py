"""Which call a send, timer, delay, clip or value came from: as its record tells, else as calls enclose it."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.indexes.frames import Frames
from opossum.take.indexes.nesting import Nesting
from opossum.take.recording import Recording


def first_returns(recording: Recording, call_ids: IdIndex) -> Array:
    """Return int32 (calls,): the row of each call's `ret`, the first where there are several, -1 where there is none."""
    rets = recording.tables["ret"]
    call = call_ids.rows(rets["p"], rets["c"])[::-1]  # reversed: the first return counts
    rows = np.arange(len(rets) - 1, -1, -1)
    found = np.full(len(recording.tables["call"]), -1, np.int32)
    found[call[call >= 0]] = rows[call >= 0]
    return found


def callers(recording: Recording, kind: str, frames: Frames, call_ids: IdIndex, ret: Array) -> Array:
    """Return int32 (records,): the call (row) that each record of a kind was written in, -1 where in none.

    Of a record that does not tell, it is the call of the same frame and thread that ran innermost.  Costs a search in the calls' lines for
    each silent record, and a sort of the calls of those frames where one lies within any call.

    Args:
        ret: int (calls,), the row of each call's `ret`, -1 where it never returned (`first_returns`).
    """
    table = recording.tables[kind]
    told = np.full(len(table), -1, np.int32)
    if "c" in table.columns:
        told = np.asarray(call_ids.rows(table["p"], table["c"]), np.int32)
    silent = np.flatnonzero(told < 0)
    silent = silent[_within_any(recording, ret, np.asarray(table["line"], np.int64)[silent])]
    if not len(silent):
        return told
    peers, threads, lines = (np.asarray(table[name], np.int64)[silent] for name in ("p", "th", "line"))
    frame = frames.rows_of_lines(peers, lines)
    asked = np.zeros(len(frames) + 1, bool)
    asked[frame[frame >= 0]] = True
    calls = recording.tables["call"]
    frame_of_call = frames.rows_of_lines(calls["p"], calls["line"])
    call = Nesting(recording, ret, np.flatnonzero(asked[frame_of_call])).call_at(peers, threads, lines)
    # one that has run since an earlier frame was suspended: what others do meanwhile is not its doing
    told[silent] = np.where(np.append(frame_of_call, -2)[call] == frame, call, -1)
    return told


def _within_any(recording: Recording, ret: Array, lines: Array) -> Array:
    """Return a boolean array (n,): some call, of whatever peer and thread, had begun before a line and not ended."""
    if not len(lines):
        return np.zeros(0, bool)
    begins, ends = recording.tables["call"]["line"], recording.tables["ret"]["line"]
    returned = ret >= 0
    if np.count_nonzero(returned) < len(ends):  # some return from what is not known, or return again
        ends = np.sort(ends[ret[returned]])
    return _before(begins, lines) > _before(ends, lines)


def _before(column: Array, lines: Array) -> Array:
    """Return int64 (n,): how many of a column's lines, ascending, come before each line."""
    if lines.max() <= np.iinfo(column.dtype).max:
        lines = lines.astype(column.dtype)  # a search for numbers of another type would copy the column
    return np.searchsorted(column, lines, "left")
