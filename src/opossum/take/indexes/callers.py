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

    A recorder that tells it for one record of the kind tells it for all of them.  Of one that never does, it is the call
    of the same frame and thread that ran innermost.  Linear in the records; of a silent recorder, besides a sort of the calls of
    their frames.
    """
    table = recording.tables[kind]
    told = np.asarray(call_ids.rows(table["p"], table["c"]), np.int32)
    peers = np.asarray(table["p"], np.int64)
    tells = np.zeros(len(recording.peers) + 1, bool)
    tells[peers[told >= 0]] = True
    silent = np.flatnonzero(~tells[peers])
    if not len(silent) or not len(calls):
        return told
    lines = np.asarray(table["line"], np.int64)[silent]
    frame = frames.rows_of_lines(peers[silent], lines)
    asked = np.zeros(len(frames) + 1, bool)
    asked[frame[frame >= 0]] = True
    among = np.flatnonzero(asked[np.asarray(calls.frame, np.int64)])
    threads = np.asarray(table["th"], np.int64)[silent]
    call = Nesting(recording, calls, among).call_at(peers[silent], threads, lines)
    # one that has run since an earlier frame was suspended: what others do meanwhile is not its doing
    told[silent] = np.where(np.append(calls.frame, -2)[call] == frame, call, -1)
    return told
