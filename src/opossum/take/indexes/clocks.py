"""The game's own clock of each peer as a line in pieces: what time of day it was when, where it was set, where it wrapped."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.index import Index
from opossum.take.indexes.frames import FRAMES, Frames
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.indexes.told_time import TOLD_TIME, ToldTime
from opossum.take.recording import Recording

DAY = 86_400.0
"""Seconds of a day of the game's clock."""


FARTHEST_BACK = 21_600.0
"""A clock that shows a time of day earlier by more than this was set on over midnight, not back."""


class Clock(NamedTuple):
    """One peer's clock, one row a piece (a `clock` record): from `begin_ns` (the time told, see `ToldTime`) on it shows `shown` seconds of day
    and runs at `rate` in-game seconds a second.

    `running`: in-game seconds since the first piece, never wrapped, so that a day later is 86,400 more; a clock that is
    set back runs back.  `jump`: how far the piece's beginning lies from where the piece before would have been, 0 for what
    a step of the clock explains.  `line`, `row`: of its record.
    """

    begin_ns: Array
    shown: Array
    rate: Array
    running: Array
    jump: Array
    line: Array
    row: Array

    def at(self, times_ns: Array) -> Array:
        """Return float64 (n,): what the clock had run to (as `running`) at each time told."""
        piece = np.maximum(np.searchsorted(self.begin_ns, times_ns, "right") - 1, 0)
        return self.running[piece] + (np.asarray(times_ns) - self.begin_ns[piece]) / 1e9 * self.rate[piece]


def build_clocks(recording: Recording, frames: Frames, holds: Holds, told: ToldTime) -> list[Clock | None]:
    """Return the clock of each peer, None where it tells of none. Linear in the `clock` records."""
    return [_clock_of(recording, frames, holds, told, peer) for peer in range(len(recording.peers))]


def _clock_of(recording: Recording, frames: Frames, holds: Holds, told: ToldTime, peer: int) -> Clock | None:
    table = recording.tables["clock"]
    rows = recording.rows_of_peer("clock", peer)
    shown, rate = (np.asarray(table[name], np.float64)[rows] for name in ("v", "rate"))
    sound = np.isfinite(shown) & (np.abs(shown) < 1e12)
    rows, shown, rate = rows[sound], shown[sound], rate[sound]
    if not len(rows):
        return None
    rate = np.where(np.isfinite(rate) & (rate >= 0) & (rate < 1e9), rate, 1.0)
    peers = np.full(len(rows), peer)
    begin = told.at(peers, holds.game_times(peers, np.asarray(table["t"], np.int64)[rows]))
    starts = frames.start_ns[frames.of_peer(peer)]
    frame_ns = float(np.median(np.diff(starts))) if len(starts) > 1 else 0.0
    passed = np.diff(begin) / 1e9 * rate[:-1]
    off = np.remainder(shown[1:], DAY) - np.remainder(shown[:-1] + passed, DAY)
    # what a wrap at midnight explains is no jump; a clock set on by hours over midnight is one
    wrapped = np.remainder(off + DAY / 2, DAY) - DAY / 2
    step = np.maximum(rate[:-1], rate[1:]) * frame_ns / 1e9
    explained = np.abs(wrapped) <= 2 * step + 0.5
    # a clock set back by much was set on to the next morning
    jump = np.where(explained, 0.0, np.where(off < -FARTHEST_BACK, off + DAY, off))
    moved = np.where(explained, passed + wrapped, passed + jump)
    running = shown[0] + np.concatenate(([0.0], np.cumsum(moved)))
    lines = np.asarray(table["line"], np.int64)[rows]
    return Clock(begin, np.remainder(shown, DAY), rate, running, np.concatenate(([0.0], jump)), lines, rows)


CLOCKS = Index("clocks", build_clocks, (FRAMES, HOLDS, TOLD_TIME), holds=(Clock,))
