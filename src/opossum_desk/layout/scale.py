"""From axis positions to pixels and back, and which labels fit along the way."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.words import number, tr
from opossum_desk.state.axis import Axis, AxisMode
from opossum_desk.state.session import Session

LEAST_STRIPE_PX = 5.0
"""A frozen frame is never drawn narrower."""

MOST_SOUGHT = 4096
"""Round numbers that are sought one by one; where the game's frame numbers jump further, its frames are looked through."""

LEAST_PX_A_SECOND = 1e-9
"""A second that is shorter is not marked: only a damaged take tells of such lengths."""


MOST_FROZEN_NAMES = 12
"""So many frozen frames say at once what they cost."""


class Scale(NamedTuple):
    """A window of the axis laid over `width` pixels that begin at `left`."""

    low: float
    high: float
    left: float
    width: float

    def x(self, position: float) -> float:
        """Return the pixel of a position."""
        return self.left + (position - self.low) * self.per_unit

    def xs(self, positions: Array) -> Array:
        """Return the pixels of positions; float64 (n,)."""
        return self.left + (np.asarray(positions, np.float64) - self.low) * self.per_unit

    def position(self, x: float) -> float:
        """Return the position under a pixel."""
        return self.low + (x - self.left) / self.per_unit

    @property
    def per_unit(self) -> float:
        """Return pixels per unit of the axis."""
        return self.width / max(self.high - self.low, 1e-12)


def takes_room(written: list[tuple[float, float]], left: float, right: float) -> bool:
    """Say whether what is written from `left` to `right` has room beside what was written (from, to) before; then it is added."""
    has_room = all(left >= end or right <= begin for begin, end in written)
    if has_room:
        written.append((left, right))
    return has_room


def grid_marks(axis: Axis, scale: Scale, least_px: float = 90.0) -> list[tuple[float, str]]:
    """Return (x, label) of round frame numbers or seconds, at least `least_px` apart."""
    if not axis.columns:
        return []
    if axis.mode is AxisMode.TIME:
        return seconds_marks(scale, least_px)
    step = max(1, round(_round_step(least_px / scale.per_unit)))
    first, last = axis.column_at(scale.low), axis.column_at(scale.high)
    numbers = axis.numbers[first : last + 1]
    if axis.counts_up and (int(numbers[-1]) - int(numbers[0])) // step < MOST_SOUGHT:
        round_numbers = np.arange(-(-int(numbers[0]) // step) * step, int(numbers[-1]) + 1, step)
        found = np.minimum(np.searchsorted(numbers, round_numbers.astype(numbers.dtype)), len(numbers) - 1)
        columns = found[numbers[found] == round_numbers] + first
    else:
        columns = np.flatnonzero(numbers % step == 0) + first
    if len(columns) > 400:
        columns = columns[:: len(columns) // 200]
    marks: list[tuple[float, str]] = []
    for column in columns.tolist():
        x = scale.x(float(axis.edges[column]))
        if scale.left - 1 <= x <= scale.left + scale.width and (not marks or x - marks[-1][0] >= least_px * 0.7):
            marks.append((x, f"{axis.numbers[column]}"))
    return marks


def seconds_marks(scale: Scale, least_px: float = 90.0) -> list[tuple[float, str]]:
    """Return (x, label) of round seconds of a scale in seconds, at least `least_px` apart."""
    if not scale.per_unit > LEAST_PX_A_SECOND:
        return []
    step = _round_step(least_px / scale.per_unit)
    first = np.ceil(scale.low / step) * step
    places = np.arange(first, scale.high + step * 1e-6, step)
    digits = max(0, int(np.ceil(-np.log10(step) - 1e-9)))
    return [(scale.x(place), f"{number(place, f'.{digits}f')} s") for place in places.tolist()]


def _round_step(least: float) -> float:
    """Return the smallest of 1, 2, 5 × a power of ten that is at least `least`."""
    power = 10.0 ** np.floor(np.log10(max(least, 1e-12)))
    for factor in (1, 2, 5, 10):
        if factor * power >= least * (1 - 1e-9):
            return float(factor * power)
    return float(10 * power)


def pixel_columns(session: Session, scale: Scale) -> Array:
    """Return int64 (pixels + 1,): the first column whose edge is at or right of each pixel: each frame falls into one pixel."""
    positions = scale.low + np.arange(int(scale.width) + 1) / scale.per_unit
    borders = np.searchsorted(session.axis.edges[:-1], positions, "left")
    # a frame that begins left of the window but reaches into it belongs to the first pixel
    borders[0] = session.visible_columns[0]
    return borders


def frozen_stripes(session: Session, scale: Scale) -> list[tuple[float, float]]:
    """Return (left, right) of the frozen frames within the window, never narrower than `LEAST_STRIPE_PX`, at most one a stripe."""
    axis = session.axis
    first, last = session.visible_columns
    columns = axis.frozen[(axis.frozen >= first) & (axis.frozen <= last)]
    if not len(columns):
        return []
    lefts, rights = scale.xs(axis.edges[columns]), scale.xs(axis.edges[columns + 1])
    middles = (lefts + rights) / 2
    half = np.maximum((rights - lefts) / 2, LEAST_STRIPE_PX / 2)
    stripes: list[tuple[float, float]] = []
    for left, right in zip((middles - half).tolist(), (middles + half).tolist(), strict=True):
        if not stripes or left >= stripes[-1][1]:
            stripes.append((left, right))
    return stripes


def axis_title(grid: list[tuple[float, str]]) -> str:
    """Return what the labels of a grid, (x, label) each, count: frames, or seconds."""
    return tr("frame →") if grid and not grid[0][1].endswith("s") else tr("time →")


def selected_band(session: Session, scale: Scale) -> tuple[float, float] | None:
    """Return (left, right) of the selected frame, None where none is."""
    if session.column < 0:
        return None
    edges = session.axis.edges
    return scale.x(float(edges[session.column])), scale.x(float(edges[session.column + 1]))
