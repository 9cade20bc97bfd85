"""Strands that have a level at each moment: the length of a queue, a watched value."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.json_values import json_numbers
from opossum_desk.flow.layout.strand_marks import VIA_OF_KIND, Mark, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strokes import Stroke
from opossum_desk.layout.heights import Band
from opossum_desk.layout.row_picture import PixelBars, pixel_times
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

NUMBER_PX = 46.0
TEXT_PX, MOST_LETTERS = 40, 24
"""Words of values stand no closer than this, and are no longer."""
LINE_PX = 2.0
FILL_ALPHA = 120


_numbers: WeakKeyDictionary[StrandRow, Array] = WeakKeyDictionary()


def layout_queue(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the filled curve of a queue's length."""
    if row not in _numbers:
        _numbers[row] = session.take.queues.length[row.items].astype(np.float64)
    return _steps(session, row, _numbers[row], scale, band, window, is_filled=True)


def layout_values(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the stepped line of a value that is a number, or the words of one that is not."""
    column = session.take.tables["watch"].json("v")
    if row not in _numbers:
        # once a row, for every painting asks
        _numbers[row] = json_numbers(column, row.items)
    first, stop = _around(row.starts_ns, window)
    if not np.isnan(_numbers[row][first:stop]).any():
        return _steps(session, row, _numbers[row], scale, band, window, is_filled=False)
    return _texts(session, row, scale, band, (first, stop))


def _texts(session: Session, row: StrandRow, scale: Scale, band: Band, places: tuple[int, int]) -> list[Mark]:
    """Return words where there is room for them, of values from one place up to another: of each pixel its last."""
    column = session.take.tables["watch"].json("v")
    first, stop = places
    moments = np.ceil(pixel_times(session.axis.edges, session.axis.starts_ns, scale)).astype(np.int64)
    last = np.searchsorted(row.starts_ns[first:stop], moments[1:]) + first - 1
    told = distinct(last[last >= first])
    xs = scale.xs(session.axis.positions(row.starts_ns[told]))
    strokes: list[Mark] = []
    last_x = -np.inf
    for place, x in zip(told.tolist(), xs.tolist(), strict=True):
        if x - last_x >= TEXT_PX:
            text = column[int(row.items[place])].strip('"')[:MOST_LETTERS]
            strokes.append(Stroke("text", x, band.top + 4, x, band.bottom - 4, "quiet", text))
            last_x = x
    return strokes


def _around(times: Array, window: Array) -> tuple[int, int]:
    """Return the slice of times within the window, with one more on either side."""
    low, high = np.searchsorted(times, window.astype(np.int64))
    return max(0, int(low) - 1), min(len(times), int(high) + 1)


def _steps(
    session: Session, row: StrandRow, values: Array, scale: Scale, band: Band, window: Array, is_filled: bool
) -> list[Mark]:
    """Return a row's `values` (items,), each held from its moment to the next, as a line of steps, its extremes a pixel.

    A filled one stands on 0; another on the least in view. Cost: the values in view and the pixels, all in NumPy.
    """
    axis = session.axis
    first, stop = _around(row.starts_ns, window)
    if first == stop:
        return []
    times, values = row.starts_ns[first:stop], values[first:stop]
    bottom = 0.0 if is_filled else float(values.min())
    span = max(float(values.max()) - bottom, 1e-9)
    base = band.bottom - 5
    moments = np.ceil(pixel_times(axis.edges, axis.starts_ns, scale)).astype(np.int64)
    # of each pixel: what held when it began, and what came within it; nothing before the first and after the take's end
    before = np.searchsorted(times, moments)
    seen = np.flatnonzero((before[1:] > 0) & (moments[:-1] < axis.starts_ns[-1]))
    marks: list[Mark] = []
    if len(seen):
        stretches = np.column_stack((np.maximum(before[seen] - 1, 0), before[seen + 1])).ravel()
        padded = np.append(values, values[-1])
        # whole pixels, or the line would be now one strong, now two
        bottoms, tops = (
            np.round(base - (extreme.reduceat(padded, stretches)[::2] - bottom) / span * (band.height - 10))
            for extreme in (np.minimum, np.maximum)
        )
        role, left = f"via:{VIA_OF_KIND[row.kind]}", scale.left + int(seen[0])
        if is_filled:
            marks.append(PixelBars(role, left, tops, np.full(len(tops), base), FILL_ALPHA))
        marks.append(PixelBars(role, left, tops - LINE_PX / 2, bottoms + LINE_PX / 2))
    # the present number stands at the edge of what is seen, over everything
    now = int(np.searchsorted(times, window[1], "right")) - 1
    if now >= 0:
        right = min(x_of(session, scale, float(times[now])) + 4, scale.left + scale.width - NUMBER_PX)
        marks.append(Stroke("number", right, band.top + 3, right, band.bottom - 3, "quiet", f"{values[now]:g}"))
    return marks
