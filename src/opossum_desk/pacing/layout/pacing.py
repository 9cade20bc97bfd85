"""Pacing's layout: each firing a dot at its distance from where it should have come.

Cost: the rows on screen times the width in pixels; a row's firings in view are found by binary search and reduced to the
lowest and the highest a pixel, so that a lone late one never disappears.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import lru_cache
from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from opossum.findings.finding import Finding
from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.words import tr
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.heights import DETAIL_PX
from opossum_desk.layout.row_picture import (
    Boxes,
    Dots,
    Label,
    Lines,
    PixelBars,
    RowPicture,
    RowStack,
    RowsView,
    Words,
    ground,
    pixel_times,
)
from opossum_desk.layout.scale import Scale
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.verdict import EARLY_FRAMES, LATE_FRAMES
from opossum_desk.state.session import Session

ROW_PX = 64.0
SPREAD_PX = 72.0
"""Room at the right for how the firings spread."""
REACH_MARGIN = 1.12
DOT_PX = 5.5
EXACT_DOTS = 200
"""So many firings in view are drawn one by one; more of them as the lowest and highest a pixel."""
LEAST_RANGE_NS = 1e5
"""The height of a row stands for at least this much to either side."""


class PacedRow(NamedTuple):
    """One row: what recurs, the worst finding about it, and whether the sieve lets it through."""

    recurring: Recurring
    finding: Finding | None = None
    faded: bool = False


def row_px(line_px: float, detail_px: float = DETAIL_PX) -> float:
    """Return the height of a row: a name and three lines below it."""
    return max(ROW_PX, line_px + 3 * detail_px + 2)


def stack_rows(rows: list[PacedRow], line_px: float, detail_px: float = DETAIL_PX) -> RowStack:
    """Return the heights of all rows."""
    return RowStack(np.full(len(rows), row_px(line_px, detail_px)))


def layout_pacing(
    session: Session,
    rows: list[PacedRow],
    stack: RowStack,
    view: RowsView,
    lit: Collection[int],
    spread_px: float = SPREAD_PX,
) -> RowPicture:
    """Return what to paint; `lit`: places of the rows that the chosen finding is about; `spread_px`: room for how firings spread."""
    scale = Scale(session.low, session.high, view.label_px, max(1.0, view.width - view.label_px - spread_px))
    if not rows:
        empty = (
            tr("Nothing that recurs passes the sieve. Empty it to see all.")
            if session.sieve.active
            else tr("Nothing recurs in this take: no timer, delay, tick or cue came often enough to have a rhythm.")
        )
        return RowPicture(scale, empty=empty)
    picture = ground(session, scale)
    # whole, as firings' times are: needles of another type would have NumPy convert all of a row's firings first
    times = np.ceil(pixel_times(session.axis.edges, session.axis.starts_ns, scale)).astype(np.int64)
    for place, top, height in stack.seen(view):
        row = rows[place]
        picture.labels.append(_label(row, place, top, height, place in lit))
        _draw(picture, session, row, top, height, times, spread_px)
    return picture


def _label(row: PacedRow, place: int, top: float, height: float, lit: bool) -> Label:
    text, wrong = row.recurring.verdict
    # what costs most is told first, for the last line may have no room
    lines = [row.recurring.rhythm, text]
    if row.finding is not None and row.finding.instead:
        lines.insert(1, tr("{instead} could call it instead", instead=row.finding.instead))
    if row.recurring.cost_ns:
        lines.insert(1, cost_told(row.recurring))
    detail = "\n".join(lines)
    role = "rose" if wrong or row.finding is not None else "quiet"
    return Label(top, height, place, row.recurring.name, detail, "ink", role, 0.0, "", True, lit, row.faded)


def cost_told(row: Recurring) -> str:
    """Say what it costs a second, and how much of it was for nothing."""
    return _cost_told(row.cost_ns, row.wasted) if row.cost_ns else ""


@lru_cache(maxsize=512)
def _cost_told(cost_ns: float, wasted: float) -> str:
    told = tr("{cost_ns:.2f} ms a second", cost_ns=cost_ns / 1e6)
    if wasted > 0:
        told += tr(", {wasted:.1%} for nothing", wasted=wasted)
    return told


def _draw(
    picture: RowPicture, session: Session, row: PacedRow, top: float, height: float, times: Array, spread_px: float
) -> None:
    scale, item = picture.scale, row.recurring
    firings = item.firings
    middle = top + height / 2
    least = LEAST_RANGE_NS if item.sort == "answer" else max(item.unit_ns, LEAST_RANGE_NS)
    reach = max(firings.usual_reach_ns, least) * REACH_MARGIN
    per_ns = (height / 2 - 6) / reach

    def ys(values: Array) -> Array:
        return middle - np.clip(values * per_ns, -(height / 2 - 4), height / 2 - 4)

    band = ys(np.array([item.unit_ns, -item.unit_ns / 2])).tolist()
    if item.sort != "answer":
        picture.boxes.append(Boxes("band", np.array([[scale.left, band[0], scale.width, band[1] - band[0]]])))
    picture.lines.append(Lines("line", np.array([[scale.left, middle, scale.left + scale.width, middle]]), 1.2))
    edge = top + height - 0.5
    picture.lines.append(Lines("band", np.array([[scale.left, edge, scale.left + scale.width, edge]]), 1.0))
    low, high = np.searchsorted(firings.times_ns, times[[0, -1]]).tolist()
    if high - low > EXACT_DOTS:
        _draw_dense(picture, row, times, ys)
    else:
        off = firings.off_ns[low:high]
        xs = scale.xs(session.axis.positions(firings.times_ns[low:high]))
        wrong = _is_wrong(item, off)
        for is_wrong in (False, True):
            mine = wrong == is_wrong
            if mine.any():
                via = "wrong" if is_wrong else item.via
                rows = firings.rows[low:high][mine]
                dots = Dots(via, BeadState.DID, xs[mine], ys(off[mine]), item.rows_of, rows, DOT_PX, row.faded)
                picture.dots.append(dots)
    _draw_spread(picture, item, middle, per_ns, height, row.finding is not None, spread_px)


def _is_wrong(item: Recurring, off: Array) -> Array:
    """Return a boolean array (n,): off by more than waiting for a frame explains; intervals of frames never are."""
    if item.sort == "tick":
        return np.zeros(len(off), bool)
    late, early = off > LATE_FRAMES * item.unit_ns, off < -EARLY_FRAMES * item.unit_ns
    return late if item.sort == "answer" else early if item.sort == "cooldown" else late | early


def _draw_dense(picture: RowPicture, row: PacedRow, times: Array, ys: Callable[[Array], Array]) -> None:
    """Draw a bar a pixel from the lowest to the highest that came there; what is wrong of it in rose at its ends."""
    item, scale = row.recurring, picture.scale
    firings = item.firings
    pixels, lowest_ns, highest_ns = firings.reach(times)
    count = max(1, int(scale.width))
    role = "quiet" if row.faded else f"via:{item.via}"
    low, high = ys(lowest_ns), ys(highest_ns)
    half = DOT_PX / 2

    def bars(role: str, pixels: Array, tops: Array, bottoms: Array) -> None:
        all_tops, all_bottoms = np.zeros(count), np.zeros(count)
        all_tops[pixels], all_bottoms[pixels] = tops, bottoms
        picture.bars.append(PixelBars(role, scale.left, all_tops, all_bottoms))

    bars(role, pixels, high - half, low + half)
    for off, at in ((lowest_ns, low), (highest_ns, high)):
        wrong = np.flatnonzero(_is_wrong(item, off))
        if len(wrong):
            bars("rose", pixels[wrong], at[wrong] - half, at[wrong] + half)

    def which() -> list[Dots]:
        xs = scale.left + pixels + 0.5
        return [
            Dots(item.via, BeadState.DID, xs, at, item.rows_of, firings.rows[places], 0.0)
            for places, at in zip(firings.extremes(times)[1:], (low, high), strict=True)
        ]

    picture.when_asked.append(which)


def _draw_spread(
    picture: RowPicture, item: Recurring, middle: float, per_ns: float, height: float, wrong: bool, room: float
) -> None:
    """Draw at the right, in so much room, how all firings of the take spread over the row's height."""
    half = height / 2 - 4
    if not len(item.firings):
        return
    left = picture.scale.left + picture.scale.width + 6
    boxes, reach = _spread(item.firings, half, per_ns, room - 30)
    picture.boxes.append(Boxes("rose" if wrong else "quiet", boxes + np.array([left, middle, 0.0, 0.0])))
    picture.words.append(Words(left, middle - half + 3, f"{'≤' if item.sort == 'answer' else '±'} {reach}"))


_spreads: WeakKeyDictionary[Firings, tuple[tuple[float, ...], Array, str]] = WeakKeyDictionary()
"""What was drawn of firings last, and how tall and wide: while one pans, it stays."""


def _spread(firings: Firings, half: float, per_ns: float, room: float) -> tuple[Array, str]:
    """Return boxes (n, 4) about the row's middle, x y width height, and what half the row's height stands for."""
    known, size = _spreads.get(firings), (half, per_ns, room)
    if known is None or known[0] != size:
        counts, edges = firings.spread(half / per_ns)
        edges = -edges[::-1] * per_ns
        counts = counts[::-1]
        widths = np.maximum(counts / counts.max() * room, 1.0)
        boxes = np.column_stack((np.zeros(len(counts)), edges[:-1] + 0.5, widths, np.diff(edges) - 1.0))
        known = _spreads[firings] = (size, boxes[counts > 0], milliseconds(half / per_ns))
    return known[1:]
