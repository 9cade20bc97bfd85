"""Pacing's layout: each firing a dot at its distance from where it should have come.

Cost: the rows on screen times the width in pixels; a row's firings in view are found by binary search and reduced to the
lowest and the highest a pixel, so that a lone late one never disappears.
"""

from __future__ import annotations

from collections.abc import Collection
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
    RowPicture,
    RowStack,
    RowsView,
    Words,
    ground,
)
from opossum_desk.layout.scale import Scale
from opossum_desk.pacing.layout.crowded import EDGE_PX, CrowdedRow, draw_crowded
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.steady_pixels import SteadyPixels
from opossum_desk.pacing.layout.verdict import right_bounds_ns
from opossum_desk.state.session import Session

ROW_PX = 64.0
SPREAD_PX = 72.0
"""Room at the right for how the firings spread."""
REACH_MARGIN = 1.12
WORD_PX = 12.0
"""How tall the word beside a row's spread is."""
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
    drawing = _Drawing(session, picture, SteadyPixels(session.axis, scale), spread_px)
    for place, top, height in stack.seen(view):
        row = rows[place]
        picture.labels.append(_label(row, place, top, height, place in lit))
        drawing.row(row, top, height)
    drawing.finish()
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


class _Drawing:
    """Draws rows, and gathers what is of one look from all of them, so that each look is drawn at once."""

    def __init__(self, session: Session, picture: RowPicture, pixels: SteadyPixels, spread_px: float) -> None:
        self._session, self._picture, self._pixels, self._spread_px = session, picture, pixels, spread_px
        self._edges_ns = pixels.moments[[0, -1]]
        self._crowded: list[CrowdedRow] = []
        self._bands: list[tuple[float, float, float, float]] = []
        self._middles: list[tuple[float, float, float, float]] = []
        self._edges: list[tuple[float, float, float, float]] = []
        self._spreads: dict[str, list[Array]] = {}

    def row(self, row: PacedRow, top: float, height: float) -> None:
        """Draw one row: its firings, each at its distance from where it should have come, and how they spread."""
        scale, item, firings = self._picture.scale, row.recurring, row.recurring.firings
        middle = top + height / 2
        least = LEAST_RANGE_NS if item.sort == "answer" else max(item.unit_ns, LEAST_RANGE_NS)
        reach = max(firings.usual_reach_ns, least) * REACH_MARGIN
        drawn = CrowdedRow(item, middle, height, (height / 2 - 6) / reach, row.faded)
        right = scale.left + scale.width
        if item.sort != "answer":
            above, below = drawn.ys(np.array([item.unit_ns, -item.unit_ns / 2])).tolist()
            self._bands.append((scale.left, above, scale.width, below - above))
        self._middles.append((scale.left, middle, right, middle))
        self._edges.append((scale.left, top + height - 0.5, right, top + height - 0.5))
        low, high = np.searchsorted(firings.times_ns, self._edges_ns).tolist()
        if high - low > EXACT_DOTS:
            self._crowded.append(drawn)
        else:
            self._dots(drawn, low, high)
        self._spread(drawn, row.finding is not None)

    def _dots(self, row: CrowdedRow, low: int, high: int) -> None:
        """Draw firings one by one, from one place to another."""
        item, firings, scale = row.recurring, row.recurring.firings, self._picture.scale
        off = firings.off_ns[low:high]
        xs = scale.xs(self._session.axis.positions(firings.times_ns[low:high]))
        early, late = right_bounds_ns(item.sort, item.unit_ns)
        wrong = (off < early) | (off > late)
        for is_wrong in (False, True):
            mine = wrong == is_wrong
            if mine.any():
                via = "wrong" if is_wrong else item.via
                rows = firings.rows[low:high][mine]
                dots = Dots(via, BeadState.DID, xs[mine], row.ys(off[mine]), item.rows_of, rows, DOT_PX, row.faded)
                self._picture.dots.append(dots)

    def _spread(self, row: CrowdedRow, wrong: bool) -> None:
        """Draw at the right how all firings of the take spread over the row's height."""
        item, half = row.recurring, row.height / 2 - EDGE_PX
        if not len(item.firings):
            return
        left = self._picture.scale.left + self._picture.scale.width + 6
        spread = _spread(item.firings, half, row.per_ns, self._spread_px - 30)
        boxes = spread.boxes + np.array([left, row.middle, 0, 0])
        self._spreads.setdefault("rose" if wrong else "quiet", []).append(boxes)
        told = f"{'≤' if item.sort == 'answer' else '±'} {spread.reach}"
        self._picture.words.append(Words(left, row.middle + spread.word_y, told))

    def finish(self) -> None:
        """Hand over what was gathered."""
        picture = self._picture
        if self._bands:
            picture.boxes.append(Boxes("band", np.array(self._bands)))
        picture.boxes += [Boxes(role, np.concatenate(boxes)) for role, boxes in self._spreads.items()]
        picture.lines += [Lines("line", np.array(self._middles), 1.2), Lines("band", np.array(self._edges), 1.0)]
        if self._crowded:
            draw_crowded(picture, self._crowded, self._pixels, DOT_PX)


class _Spread(NamedTuple):
    """Boxes (n, 4) about the row's middle, x y width height; what half the row's height stands for, and where to say it."""

    boxes: Array
    reach: str
    word_y: float


_spreads: WeakKeyDictionary[Firings, tuple[tuple[float, ...], _Spread]] = WeakKeyDictionary()
"""What was drawn of firings last, and how tall and wide: while one pans, it stays."""


def _spread(firings: Firings, half: float, per_ns: float, room: float) -> _Spread:
    """Return how firings spread over a row, and where its scale is told."""
    known, size = _spreads.get(firings), (half, per_ns, room)
    if known is None or known[0] != size:
        counts, edges = firings.spread(half / per_ns)
        edges = -edges[::-1] * per_ns
        counts = counts[::-1]
        widths = np.maximum(counts / counts.max() * room, 1.0)
        boxes = np.column_stack((np.zeros(len(counts)), edges[:-1] + 0.5, widths, np.diff(edges) - 1.0))[counts > 0]
        known = _spreads[firings] = (size, _Spread(boxes, milliseconds(half / per_ns), _room_for_word(boxes, half)))
    return known[1]


def _room_for_word(boxes: Array, half: float) -> float:
    """Return the middle of the topmost line, of those from a row's top to its foot, over which the shortest boxes lie."""
    top = WORD_PX / 4 - half
    middles = np.arange(top, max(half - WORD_PX, top + 1.0), WORD_PX)
    tops, bottoms = boxes[:, 1, None], boxes[:, 1, None] + boxes[:, 3, None]
    over = (tops < middles + WORD_PX / 2) & (bottoms > middles - WORD_PX / 2)
    return float(middles[np.argmin((over * boxes[:, 2, None]).max(axis=0, initial=0.0))])
