"""The phase each call ran in."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.indexes.calls import CALLS, Calls
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.recording import Recording


def build_phase_of_call(recording: Recording, calls: Calls, frames: Frames) -> Array:
    """Return int64 (calls,): the string code of the phase each call ran in, -1 outside any."""
    table, call_table = recording.tables["phase"], recording.tables["call"]
    found = np.full(len(call_table), -1, np.int64)
    lines = np.asarray(call_table["line"], np.int64)
    for peer in range(len(recording.peers)):
        rows = recording.rows_of_peer("phase", peer)
        mine = recording.rows_of_peer("call", peer)
        if not len(rows) or not len(mine):
            continue
        phase_lines = np.asarray(table["line"], np.int64)[rows]
        place = np.searchsorted(phase_lines, lines[mine], "right") - 1
        known = place >= 0
        frame_lines = np.append(frames.line, 2**62)[calls.frame[mine]]
        known &= phase_lines[np.maximum(place, 0)] >= frame_lines
        idle_lines = np.asarray(recording.tables["idle"]["line"], np.int64)[recording.rows_of_peer("idle", peer)]
        if len(idle_lines):
            before = np.searchsorted(idle_lines, lines[mine], "right") - 1
            known &= (before < 0) | (idle_lines[np.maximum(before, 0)] < phase_lines[np.maximum(place, 0)])
        found[mine[known]] = np.asarray(table["name"])[rows[place[known]]]
    return found


PHASE_OF_CALL = Index("phase_of_call", build_phase_of_call, (CALLS, FRAMES))
