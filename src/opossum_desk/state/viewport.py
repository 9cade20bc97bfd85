"""The viewport: which stretch of the axis is seen."""

from __future__ import annotations

import numpy as np

from opossum_desk.state.axis import Axis, AxisMode

NARROWEST_FRAMES = 3.0
"""The closest zoom by frame; by time, the shortest span of seconds is below."""
SHORTEST_SECONDS = 0.002
SLIVER = 1e-9
"""A frame that reaches into view by less than this share of its width is not seen."""


class Viewport:
    """From `low` to `high` of an axis; never beyond its ends, never narrower than a few frames."""

    def __init__(self, axis: Axis) -> None:
        self.axis = axis
        self.low, self.high = axis.extent

    @property
    def width(self) -> float:
        """Return how much of the axis is seen."""
        return self.high - self.low

    @property
    def visible_columns(self) -> tuple[int, int]:
        """Return the first and last column that are (partly) visible."""
        sliver = self.width * SLIVER
        return self.axis.column_at(self.low + sliver), self.axis.column_at(self.high - sliver)

    @property
    def whole(self) -> bool:
        """Say whether all of the axis is seen."""
        low, high = self.axis.extent
        return self.width >= high - low - SLIVER

    @property
    def at_end(self) -> bool:
        """Say whether the end of the axis is seen."""
        return self.high >= self.axis.extent[1] - SLIVER

    def show(self, low: float, high: float) -> None:
        """Show from `low` to `high`, as far as there is any."""
        first, last = self.axis.extent
        shortest = NARROWEST_FRAMES if self.axis.mode is AxisMode.FRAME else SHORTEST_SECONDS
        width = float(np.clip(high - low, min(shortest, last - first), last - first))
        centre = (low + high) / 2
        self.low = float(np.clip(centre - width / 2, first, last - width))
        self.high = self.low + width

    def show_columns(self, first: int, last: int) -> None:
        """Show the columns from `first` up to (not with) `last`."""
        edges, count = self.axis.edges, self.axis.columns
        if count:
            self.show(float(edges[np.clip(first, 0, count)]), float(edges[np.clip(last, 0, count)]))

    def reveal(self, column: int) -> bool:
        """Move so that a column is well inside; say whether that was necessary."""
        low, high = float(self.axis.edges[column]), float(self.axis.edges[column + 1])
        if low >= self.low and high <= self.high:
            return False
        centre, width = (low + high) / 2, self.width
        self.show(centre - width / 2, centre + width / 2)
        return True

    def lay_on(self, axis: Axis) -> None:
        """Take another axis of the same frames, keeping the same frames in view."""
        low, high = np.interp([self.low, self.high], self.axis.edges, axis.edges).tolist()
        self.axis = axis
        self.show(low, high)

    def lay_on_moments(self, axis: Axis) -> None:
        """Take the axis of another peer, keeping the same moments in view as far as that peer was there."""
        moments = np.interp([self.low, self.high], self.axis.edges, self.axis.starts_ns)
        self.axis = axis
        self.show(*(np.interp(moments, axis.starts_ns, axis.edges).tolist() if axis.columns else axis.extent))
