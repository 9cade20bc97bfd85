"""The time a game was told (`dt`, frame by frame), which stands still while the machine or a stall holds it up."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.indexes.frames import FRAMES, STARTUP, Frames
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.recording import Recording

FARTHEST_APART = 0.1
"""A `dt` that adds up to more or less than the time by this share is no measure of it (scaled, fixed, another unit)."""


class ToldTime:
    """What each peer's game was told of time: a line through its frames' beginnings, (game time, time told) in ns."""

    def __init__(self, lines: list[tuple[Array, Array] | None]) -> None:
        self._lines = lines

    def at(self, peers: Array, times_ns: Array) -> Array:
        """Return int64 (n,): the time told at moments in game time; the moments themselves where nothing is told."""
        times = np.asarray(times_ns, np.int64)
        told = times.copy()
        for peer, line in enumerate(self._lines):
            if line is None:
                continue
            start, sums = line
            mine = np.asarray(peers) == peer
            moments = times[mine]
            inside = np.interp(moments, start, sums)
            # before the first frame and after the last one, time is what it is
            inside += np.minimum(moments - start[0], 0) + np.maximum(moments - start[-1], 0)
            told[mine] = np.rint(inside).astype(np.int64)
        return told

    def known(self, peer: int) -> bool:
        """Say whether a peer tells its time."""
        return self._lines[peer] is not None


def build_told_time(recording: Recording, frames: Frames, holds: Holds) -> ToldTime:
    """Add up what each peer's frames were told. Linear in frames."""
    return ToldTime([_line_of(recording, frames, holds, peer) for peer in range(len(recording.peers))])


def _line_of(recording: Recording, frames: Frames, holds: Holds, peer: int) -> tuple[Array, Array] | None:
    mine = np.arange(len(frames))[frames.of_peer(peer)]
    mine = mine[frames.number[mine] != STARTUP]
    dt = np.asarray(recording.tables["frame"]["dt"], np.float64)[recording.rows_of_peer("frame", peer)]
    if len(mine) < 3 or len(dt) != len(mine) or not np.isfinite(dt[1:]).all() or (dt[1:] < 0).any():
        return None
    start = holds.game_times(frames.peer[mine], frames.start_ns[mine])
    passed = np.diff(start) / 1e9
    # what is told must be what passes: stalls apart, or over all where the frames after a stall make up for it
    usual = passed <= 3 * np.median(passed)
    if not any(_as_told(dt[1:][counted], passed[counted]) for counted in (usual, slice(None))):
        return None
    return start, start[0] + np.concatenate(([0.0], np.cumsum(dt[1:]))) * 1e9


def _as_told(told: Array, passed: Array) -> bool:
    return abs(float(told.sum()) - float(passed.sum())) <= FARTHEST_APART * float(passed.sum())


TOLD_TIME = Index("told_time", build_told_time, (FRAMES, HOLDS))
