"""Strands that have a level at each moment: the length of a queue, a watched value."""

from __future__ import annotations

from typing import NamedTuple
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
MOST_VALUES = 50_000
"""So many values of a row in view are parsed, once; of more, the last of each pixel: what comes and goes within one shows nearer by."""
BLOCK, MOST_BLOCKS = 4096, 64
"""Values are parsed, and their numbers kept, so many at a time; so many such blocks of a row are kept."""


class _Levels(NamedTuple):
    """What holds from each of some moments on: times in ns, ascending, and values (both (n,))."""

    times_ns: Array
    values: Array


_numbers: WeakKeyDictionary[StrandRow, dict[int, Array]] = WeakKeyDictionary()


def layout_queue(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the filled curve of a queue's length."""
    seen = slice(*_around(row.starts_ns, window))
    lengths = session.take.queues.length[row.items[seen]].astype(np.float64)
    return _steps(session, row, _Levels(row.starts_ns[seen], lengths), scale, band, window, is_filled=True)


def layout_values(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the stepped line of a value that is a number, or the words of one that is not."""
    first, stop = _around(row.starts_ns, window)
    if stop - first > MOST_VALUES:
        places = _last_of_pixels(session, row, scale, (first, stop))
        numbers = json_numbers(session.take.tables["watch"].json("v"), row.items[places])
    else:
        places = np.arange(first, stop)
        numbers = _numbers_of(session, row, first, stop)
    if np.isnan(numbers).any():
        return _texts(session, row, scale, band, (first, stop))
    return _steps(session, row, _Levels(row.starts_ns[places], numbers), scale, band, window, is_filled=False)


def _numbers_of(session: Session, row: StrandRow, first: int, stop: int) -> Array:
    """Return a row's values from one place up to another as numbers, NaN for what is none; parsed once, for every painting asks."""
    column = session.take.tables["watch"].json("v")
    known = _numbers.setdefault(row, {})
    if len(known) > MOST_BLOCKS:
        known.clear()
    begin, end = first // BLOCK, -(-stop // BLOCK)
    for block in range(begin, end):
        if block not in known:
            known[block] = json_numbers(column, row.items[block * BLOCK : (block + 1) * BLOCK])
    parts = [known[block] for block in range(begin, end)]
    return np.concatenate(parts)[first - begin * BLOCK : stop - begin * BLOCK] if parts else np.zeros(0)


def _last_of_pixels(session: Session, row: StrandRow, scale: Scale, places: tuple[int, int]) -> Array:
    """Return of a row's values from one place up to another the last that comes in, or holds through, each pixel."""
    first, stop = places
    moments = np.ceil(pixel_times(session.axis.edges, session.axis.starts_ns, scale)).astype(np.int64)
    last = np.searchsorted(row.starts_ns[first:stop], moments[1:]) + first - 1
    return distinct(last[last >= first])


def _texts(session: Session, row: StrandRow, scale: Scale, band: Band, places: tuple[int, int]) -> list[Mark]:
    """Return words where there is room for them, of values from one place up to another: of each pixel its last."""
    column = session.take.tables["watch"].json("v")
    told = _last_of_pixels(session, row, scale, places)
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
    session: Session, row: StrandRow, levels: _Levels, scale: Scale, band: Band, window: Array, is_filled: bool
) -> list[Mark]:
    """Return what is in view of a row as a line of steps, each level held to the next, its extremes a pixel.

    A filled one stands on 0; another on the least in view. Cost: the levels and the pixels, all in NumPy.
    """
    axis, (times, values) = session.axis, levels
    if not len(times):
        return []
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
