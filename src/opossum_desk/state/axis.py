"""The shared axis: one horizontal line that all views draw on, by frame or by time.

A position on the axis is a float.  By frame, every frame is one wide, save frozen ones, which are drawn
wider; by time, positions are seconds.
"""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.take import Take

FROZEN_WIDTH = 7.0
"""How many ordinary frames wide a frozen frame is drawn: to be seen from across the room."""


class AxisMode(Enum):
    """What a step along the axis means."""

    FRAME = "frame"
    TIME = "time"


class Axis(NamedTuple):
    """Places the frames of one peer along a line.

    `edges` (frames + 1): where each begins; `starts_ns` (frames + 1): the moments of the edges;
    `first_row`: row of the first of them among all frames; `frozen`: columns drawn wide; `counts_up`: the frames' numbers
    never fall, so that one is found by search.
    """

    mode: AxisMode
    peer: int
    first_row: int
    edges: Array
    starts_ns: Array
    work_ends_ns: Array
    numbers: Array
    frozen: Array
    counts_up: bool = True

    @property
    def columns(self) -> int:
        """Return the number of frames (columns)."""
        return len(self.numbers)

    @property
    def extent(self) -> tuple[float, float]:
        """Return the positions of the first and the last edge."""
        return (float(self.edges[0]), float(self.edges[-1])) if self.columns else (0.0, 1.0)

    def column_at(self, position: float) -> int:
        """Return the column that holds a position (the nearest, beyond the ends)."""
        column = int(np.searchsorted(self.edges, position, "right")) - 1
        return max(0, min(column, self.columns - 1))

    def columns_of_times(self, times_ns: Array) -> Array:
        """Return int32 (n,): the column each moment falls in; -1 where there are no columns."""
        if not self.columns:
            return np.full(len(times_ns), -1, np.int32)
        columns = np.searchsorted(self.starts_ns[:-1], times_ns, "right") - 1
        return np.clip(columns, 0, self.columns - 1).astype(np.int32)

    def columns_of_rows(self, frame_rows: Array, start_ns: Array) -> list[int]:
        """Return the columns of rows among all frames; those of other peers go by their time (`start_ns`: of all frames)."""
        rows = np.asarray(frame_rows, np.int64)
        rows = rows[rows >= 0]
        if not len(rows) or not self.columns:
            return []
        columns = rows - self.first_row
        foreign = (columns < 0) | (columns >= self.columns)
        columns[foreign] = self.columns_of_times(start_ns[rows[foreign]])
        return distinct(columns).tolist()

    def positions(self, times_ns: Array) -> Array:
        """Return float64 (n,): where moments lie, linear between the edges of their frame."""
        if not self.columns:
            return np.zeros(len(times_ns))
        return np.interp(times_ns, self.starts_ns, self.edges)

    def row_of_column(self, column: int) -> int:
        """Return the row among all frames of a column."""
        return self.first_row + column


def make_axis(take: Take, peer: int, mode: AxisMode, frozen_rows: Array) -> Axis:
    """Return the axis over one peer's frames. Linear in them."""
    frames = take.frames
    span = frames.of_peer(peer) if len(take.peers) else slice(0, 0)
    starts = frames.start_ns[span].astype(np.float64)
    count = len(starts)
    end = float(frames.end_ns[span][-1]) if count else 1.0
    # frames of no length would share an edge and could not be pointed at
    moments = np.maximum.accumulate(np.append(starts, max(end, starts[-1] + 1 if count else 1.0)))
    frozen = np.asarray(frozen_rows, np.int64) - span.start
    frozen = frozen[(frozen >= 0) & (frozen < count)]
    if mode is AxisMode.TIME:
        edges = (moments - moments[0]) / 1e9
    else:
        widths = np.ones(count)
        widths[frozen] = FROZEN_WIDTH
        edges = np.concatenate(([0.0], np.cumsum(widths)))
    numbers = frames.number[span]
    counts_up = bool(np.all(numbers[1:] >= numbers[:-1]))
    return Axis(mode, peer, span.start, edges, moments, frames.work_end_ns[span], numbers, frozen, counts_up)
