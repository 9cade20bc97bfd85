"""Which call a timer, delay or clip was set in: as its record tells, else as calls enclose it."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.indexes.calls import Calls
from opossum.take.indexes.frames import Frames
from opossum.take.indexes.nesting import Nesting
from opossum.take.recording import Recording


def callers(recording: Recording, kind: str, frames: Frames, calls: Calls, call_ids: IdIndex) -> Array:
    """Return int32 (records,): the call (row) that each record of a kind was written in, -1 where in none.

    Of a record that does not tell, it is the call of the same frame and thread that ran innermost.  Costs a search in the calls' lines for
    each silent record, and a sort of the calls of those frames where one lies within any call.
    """
    table = recording.tables[kind]
    told = np.asarray(call_ids.rows(table["p"], table["c"]), np.int32)
    silent = np.flatnonzero(told < 0)
    silent = silent[_within_any(recording, calls, np.asarray(table["line"], np.int64)[silent])]
    if not len(silent):
        return told
    peers, threads, lines = (np.asarray(table[name], np.int64)[silent] for name in ("p", "th", "line"))
    frame = frames.rows_of_lines(peers, lines)
    asked = np.zeros(len(frames) + 1, bool)
    asked[frame[frame >= 0]] = True
    among = np.flatnonzero(asked[np.asarray(calls.frame, np.int64)])
    call = Nesting(recording, calls, among).call_at(peers, threads, lines)
    # one that has run since an earlier frame was suspended: what others do meanwhile is not its doing
    told[silent] = np.where(np.append(calls.frame, -2)[call] == frame, call, -1)
    return told


def _within_any(recording: Recording, calls: Calls, lines: Array) -> Array:
    """Return a boolean array (n,): some call, of whatever peer and thread, had begun before a line and not ended."""
    begins = np.asarray(recording.tables["call"]["line"], np.int64)
    ends = np.sort(np.asarray(recording.tables["ret"]["line"], np.int64)[calls.ret[calls.ret >= 0]])
    return np.searchsorted(begins, lines, "left") > np.searchsorted(ends, lines, "left")
