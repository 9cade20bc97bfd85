"""Strands that have a level at each moment: the length of a queue, a watched value."""

from __future__ import annotations

import json

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.sounding import Stroke
from opossum_desk.flow.layout.strand_marks import Mark, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.layout.heights import Band
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MOST_VALUES = 4000
"""Values of one row read for a picture; of more, the last in each pixel: what comes and goes within one shows nearer by."""

NUMBER_PX = 46.0


def layout_queue(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return the filled curve of a queue's length."""
    lengths = session.take.queues.length[row.items].astype(np.float64)
    return _steps(session, row.starts_ns, lengths, scale, band, window, "fill", 0.0)


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
        values = np.array(numbers, np.float64)
        return _steps(session, times, values, scale, band, window, "step", None)
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
    times: Array,
    values: Array,
    scale: Scale,
    band: Band,
    window: Array,
    shape: str,
    floor: float | None,
) -> list[Mark]:
    """Return a stepped line (or filled curve) reduced to its extremes a pixel."""
    low, high = _around(times, window)
    times, values = times[low:high], values[low:high]
    if not len(times):
        return []
    bottom = float(values.min()) if floor is None else floor
    span = max(float(values.max()) - bottom, 1e-9)
    xs = scale.xs(session.axis.positions(times))
    ys = band.bottom - 5 - (values - bottom) / span * (band.height - 10)
    ends = np.append(
        xs[1:],
        max(float(xs[-1]), min(scale.left + scale.width, x_of(session, scale, float(session.axis.starts_ns[-1])))),
    )
    pixel = np.round(xs).astype(np.int64)
    heads = np.flatnonzero(np.concatenate(([True], np.diff(pixel) != 0)))
    highest, lowest = np.minimum.reduceat(ys, heads), np.maximum.reduceat(ys, heads)
    tails = np.append(heads[1:], len(xs)) - 1
    base = band.bottom - 5
    strokes: list[Mark] = []
    for index, (head, tail) in enumerate(zip(heads.tolist(), tails.tolist(), strict=True)):
        if shape == "step" and lowest[index] - highest[index] > 0.5:
            strokes.append(
                Stroke("rise", float(xs[head]), float(highest[index]), float(xs[head]), float(lowest[index]))
            )
        y = float(ys[tail])
        strokes.append(Stroke(shape, float(xs[head]), y, float(ends[tail]), base if shape == "fill" else y))
        if shape == "step" and tail + 1 < len(ys):
            strokes.append(Stroke("rise", float(ends[tail]), y, float(ends[tail]), float(ys[tail + 1])))
    # the present number stands at the edge of what is seen, over everything
    now = int(np.searchsorted(times, window[1], "right")) - 1
    if now >= 0:
        right = min(float(xs[now]) + 4, scale.left + scale.width - NUMBER_PX)
        strokes.append(Stroke("number", right, band.top + 3, right, band.bottom - 3, "quiet", f"{values[now]:g}"))
    return strokes
