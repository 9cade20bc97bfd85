"""Timers as strands: a line while one is set, a gap where it is paused, dots where it fires, rose once its owner is gone.

All rows in view at once: there may be a timer for each of a hundred objects, and NumPy costs more a call than a timer.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.pauses import paused_stretches
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS, VIA_OF_KIND, DotRun, Mark, crowd, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strokes import Stroke, StrokeRun
from opossum_desk.layout.heights import Band
from opossum_desk.layout.row_picture import Boxes
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

DENSE_PX = 5.0
"""Firings closer together than this are drawn as one thick stretch of their line, not as dots."""
DENSE_TALL_PX = 4.0
LINE_PX = 1.0
MOST_LANES, LANE_PX = 4, 5.0
"""Timers of one row that are set at once lie beside each other, in so many lanes so far apart."""
ROLE = f"via:{VIA_OF_KIND['timer']}"


class _Lives(NamedTuple):
    """Timers in view, arrays (timers,): which, when set and cleared, when the owner went (NaN: not), ever paused, height."""

    arms: Array
    starts_ns: Array
    ends_ns: Array
    gone_ns: Array
    paused: Array
    ys: Array


def layout_timers(session: Session, placed: list[tuple[StrandRow, Band]], scale: Scale, window: Array) -> list[Mark]:
    """Return what the rows of timers in view are drawn of, each in its band; `window`: from and to, in ns."""
    marks: list[Mark] = []
    gathered: list[_Lives] = []
    for row, band in placed:
        places = row.visible(window)
        if len(places) > MOST_ITEMS:
            marks += crowd(session, scale, band, row, places)
        elif len(places):
            gathered.append(_lives(row, places, band))
    if not gathered:
        return marks
    lives = _Lives(*(np.concatenate(columns) for columns in zip(*gathered, strict=True)))
    axis = session.axis
    until = np.minimum(lives.ends_ns, axis.starts_ns[-1])
    # what was set by one that is gone is no line, but a wrong
    ends = np.where(np.isnan(lives.gone_ns), until, lives.gone_ns)
    lefts, rights, lasts = np.split(scale.xs(axis.positions(np.concatenate((lives.starts_ns, ends, until)))), 3)
    orphaned = ~np.isnan(lives.gone_ns)
    if orphaned.any():
        hanging = np.column_stack((rights, lives.ys, lasts, lives.ys))[orphaned]
        marks.append(StrokeRun("dashed", hanging, "timer", "wrong"))
    gaps, lines = _paused(session, lives, scale, lefts, rights)
    return [*marks, *gaps, lying(lines, LINE_PX, ROLE), *_firings(session, lives, scale, window)]


def lying(ends: Array, tall: float, role: str) -> Boxes:
    """Return lying bars as boxes: `ends` (n, 3) are left, right and the middle's height."""
    return Boxes(
        role,
        np.column_stack((ends[:, 0], ends[:, 2] - tall / 2, ends[:, 1] - ends[:, 0], np.full(len(ends), tall))),
    )


def _lives(row: StrandRow, places: Array, band: Band) -> _Lives:
    starts, ends = row.starts_ns[places], row.ends_ns[places].astype(np.float64)
    if (starts[1:] >= ends[:-1]).all():  # one after the other, as most are
        ys = np.full(len(places), band.middle)
    else:
        lanes = _lanes(starts.tolist(), ends.tolist())
        count = min(MOST_LANES, max(lanes) + 1)
        ys = band.middle + (np.array(lanes) % MOST_LANES - (count - 1) / 2) * LANE_PX
    return _Lives(row.items[places], starts.astype(np.float64), ends, row.gone_ns[places], row.paused[places], ys)


def _lanes(starts: list[float], ends: list[float]) -> list[int]:
    """Return for each stretch of time, ascending by start, the first lane in which it overlaps no earlier one."""
    busy: list[float] = []
    lanes = []
    for start, end in zip(starts, ends, strict=True):
        lane = next((number for number, until in enumerate(busy) if until <= start), len(busy))
        busy[lane : lane + 1] = [end]
        lanes.append(lane)
    return lanes


def _paused(session: Session, lives: _Lives, scale: Scale, lefts: Array, rights: Array) -> tuple[list[Stroke], Array]:
    """Return gaps where timers were paused, and the lines (left, right, y) between them."""
    whole = np.column_stack((lefts, rights, lives.ys))
    if not lives.paused.any():
        return [], whole
    gaps: list[Stroke] = []
    pieces: list[tuple[float, float, float]] = []
    for place in np.flatnonzero(lives.paused).tolist():
        left, right, y = whole[place].tolist()
        for begin, finish in paused_stretches(session.take, int(lives.arms[place])):
            x, x2 = x_of(session, scale, begin), x_of(session, scale, finish)
            gaps.append(Stroke("gap", x, y, x2, y, "quiet", kind="timer"))
            pieces.append((left, min(x, right), y))
            left = x2
        if left < right:
            pieces.append((left, right, y))
    return gaps, np.concatenate((whole[~lives.paused], np.array(pieces).reshape(-1, 3)))


def _firings(session: Session, lives: _Lives, scale: Scale, window: Array) -> list[Mark]:
    """Return timers' firings in view, each on its height: dots, or a thick stretch where dots would run together.

    They are sought in place: what a timer fired in a long take is not copied for the little of it that is seen.
    """
    take = session.take
    firings, send_times = take.arms.firings, np.asarray(take.tables["send"]["t"])
    order = firings.order
    firsts, lasts = firings.starts[lives.arms], firings.starts[lives.arms + 1]
    count = len(firsts)
    moments = np.repeat(window.astype(np.int64), count)
    found = _sought(order, send_times, np.tile(firsts, 2), np.tile(lasts, 2), moments)
    lows, highs = found[:count], found[count:]
    having = np.flatnonzero(highs > lows)
    if not len(having):
        return []
    lows, highs, ys = lows[having], highs[having], lives.ys[having]
    ends = send_times[order[np.concatenate((lows, highs - 1))]]
    lefts, rights = np.split(scale.xs(session.axis.positions(ends)), 2)
    many = highs - lows
    dense = (many > 2) & (rights - lefts < DENSE_PX * (many - 1))
    marks: list[Mark] = []
    if dense.any():
        marks.append(lying(np.column_stack((lefts, rights, ys))[dense], DENSE_TALL_PX, ROLE))
    lone = np.flatnonzero(~dense)
    if len(lone):
        sends = [order[low:high] for low, high in zip(lows[lone].tolist(), highs[lone].tolist(), strict=True)]
        xs = scale.xs(session.axis.positions(send_times[np.concatenate(sends)]))
        borders = np.cumsum([len(own) for own in sends]).tolist()
        for own, y, border in zip(sends, ys[lone].tolist(), borders, strict=True):
            marks.append(DotRun(xs[border - len(own) : border], y, own, "timer"))
    return marks


def _sought(order: Array, times: Array, lows: Array, highs: Array, moments: Array) -> Array:
    """Return for each stretch lows … highs of `order`, whose `times` ascend, the first place not before its moment.

    A binary search in all stretches at once, by steps that halve: its rounds are the logarithm of the longest.
    """
    step = 1 << int((highs - lows).max(initial=0)).bit_length()
    while step := step >> 1:
        following = lows + step
        earlier = times.take(order.take(following - 1, mode="clip")) < moments
        lows = np.where(earlier & (following <= highs), following, lows)
    return lows
