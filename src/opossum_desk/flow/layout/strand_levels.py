"""Strands that have a level at each moment: the length of a queue, a watched value."""

from __future__ import annotations

import json

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.sounding import Stroke
from opossum_desk.flow.layout.strand_marks import VIA_OF_KIND, Mark, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.layout.heights import Band
from opossum_desk.layout.row_picture import PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MOST_VALUES = 4000
"""Values of one row read for a picture; of more, the last in each pixel: what comes and goes within one shows nearer by."""

NUMBER_PX = 46.0
LINE_PX = 2.0
FILL_ALPHA = 120


def layout_queue(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the filled curve of a queue's length."""
    lengths = session.take.queues.length[row.items].astype(np.float64)
    return _steps(session, row, (row.starts_ns, lengths), scale, band, window, 0.0)


def layout_values(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the stepped line of a value that is a number, or the words of one that is not."""
    column = session.take.tables["watch"].json("v")
    places = np.arange(*_around(row.starts_ns, window))
    times = row.starts_ns[places]
    if len(places) > MOST_VALUES:
        pixel = scale.xs(session.axis.positions(times)).astype(np.int64)
        last = np.append(np.diff(pixel) != 0, True)
        places, times = places[last], times[last]
    texts = [column[item] for item in row.items[places].tolist()]
    numbers = [_as_number(text) for text in texts]
    if all(number is not None for number in numbers):
        return _steps(session, row, (times, np.array(numbers, np.float64)), scale, band, window, None)
    strokes: list[Mark] = []
    last_x = -1e9
    for time, text in zip(times.tolist(), texts, strict=True):
        x = x_of(session, scale, time)
        if x - last_x >= 40:
            strokes.append(Stroke("text", x, band.top + 4, x, band.bottom - 4, "quiet", text.strip('"')[:24]))
            last_x = x
    return strokes


def _as_number(text: str) -> float | None:
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return float(value) if isinstance(value, bool | int | float) else None


def _around(times: Array, window: Array) -> tuple[int, int]:
    """Return the slice of times within the window, with one more on either side."""
    low, high = np.searchsorted(times, window)
    return max(0, int(low) - 1), min(len(times), int(high) + 1)


def _steps(
    session: Session,
    row: StrandRow,
    levels: tuple[Array, Array],
    scale: Scale,
    band: Band,
    window: Array,
    floor: float | None,
) -> list[Mark]:
    """Return what holds from each moment to the next (`levels`: times in ns, values) as a line of steps, its extremes a pixel.

    `floor`: the value at the foot, from which all below the line is filled; None: the least in view, and nothing is filled.
    """
    low, high = _around(levels[0], window)
    times, values = levels[0][low:high], levels[1][low:high]
    if not len(times):
        return []
    bottom = float(values.min()) if floor is None else floor
    span = max(float(values.max()) - bottom, 1e-9)
    xs = scale.xs(session.axis.positions(times)) - scale.left
    base = band.bottom - 5
    ys = base - (values - bottom) / span * (band.height - 10)
    end = min(scale.width, x_of(session, scale, float(session.axis.starts_ns[-1])) - scale.left)
    first, last = max(0, int(xs[0])), int(np.ceil(max(end, min(float(xs[-1]) + 1, scale.width))))
    marks: list[Mark] = []
    if first < last:
        # of each pixel: what held when it began, and what came within it
        before = np.searchsorted(xs, np.arange(first, last + 1))
        stretches = np.column_stack((np.maximum(before[:-1] - 1, 0), np.maximum(before[1:], 1))).ravel()
        # whole, or the line would be now one pixel strong, now two
        padded = np.round(np.append(ys, ys[-1]))
        tops, bottoms = (extreme.reduceat(padded, stretches)[::2] for extreme in (np.minimum, np.maximum))
        role, left = f"via:{VIA_OF_KIND[row.kind]}", scale.left + first
        if floor is not None:
            marks.append(PixelBars(role, left, tops, np.full(len(tops), base), FILL_ALPHA))
        marks.append(PixelBars(role, left, tops - LINE_PX / 2, bottoms + LINE_PX / 2))
    # the present number stands at the edge of what is seen, over everything
    now = int(np.searchsorted(times, window[1], "right")) - 1
    if now >= 0:
        right = scale.left + min(float(xs[now]) + 4, scale.width - NUMBER_PX)
        marks.append(Stroke("number", right, band.top + 3, right, band.bottom - 3, "quiet", f"{values[now]:g}"))
    return marks
