"""The Loom's layout: which beads, or how dense, where, and what joins them.

Words: a *row* is a listener, or a folded class of them, a *bead* one call (or several of one row in one frame), a *stitch* joins two
beads that ran in the other order than their rows stand.  Cost: the rows on screen times the width in
pixels (density) or times the visible frames (beads), each found by binary search; the take's length enters
only as a logarithm.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.beads import STITCH_FROM_PX, Beads, bead_size, beads_in_view
from opossum_desk.flow.layout.frozen import FrozenBand, frozen_bands
from opossum_desk.layout.heights import USUAL, Heights
from opossum_desk.layout.scale import Scale, grid_marks, pixel_columns, selected_band
from opossum_desk.layout.wording import short_time
from opossum_desk.state.axis import Axis, AxisMode
from opossum_desk.state.row_index import Level, Row
from opossum_desk.state.session import Session

LABEL_PX = 216.0
"""Width of the labels at the left, at least."""

BEAD_FROM_PX = 5.5
"""Beads are drawn from this width of a frame on; below, density."""
NAMES_FROM_PX = 120.0
MOST_STITCHES = 400
MOST_WIDTHS = 512
"""So many frames, evenly chosen, are asked how wide a frame usually is."""
MOST_NAMES = 250


class Density(NamedTuple):
    """Arrays (rows on screen, pixel columns): calls, of them for nothing, twin, gone, and matched (where a sieve is active).

    `via` (rows,): how most of a row's calls came about.  Pixel column j stands at `left + j`.
    """

    left: float
    calls: Array
    wasted: Array
    twin: Array
    gone: Array
    matched: Array
    via: Array


class RowLine(NamedTuple):
    """A row on screen: its top in px, what it is, and its label."""

    top: float
    row: Row
    owner: str
    function: str
    members: int
    phase: str
    faded: bool
    rests: bool = False


class RestingLine(NamedTuple):
    """The one line for all rows that are at rest in what is visible: its top in px, how many, and whether it is open."""

    top: float
    rows: int
    opened: bool


FEWEST_RESTING = 2
"""One row at rest takes no more room than the line that would stand for it."""


def folds_resting(session: Session) -> bool:
    """Say whether there is a line that stands for rows at rest."""
    return len(session.rows) - session.awake >= FEWEST_RESTING


def line_count(session: Session) -> int:
    """Return how many lines there are to scroll through: rows, and the one for those at rest."""
    if not folds_resting(session):
        return len(session.rows)
    return session.awake + 1 + (len(session.rows) - session.awake if session.shows_resting else 0)


def is_folded_away(session: Session, place: int) -> bool:
    """Say whether a row, by its place among the session's rows, is behind the line that stands for those at rest."""
    return place >= session.awake and folds_resting(session) and not session.shows_resting


def line_of_row(session: Session, place: int) -> int:
    """Return the line of a row by its place among the session's rows; that of all resting ones where it is folded away."""
    if place < session.awake or not folds_resting(session):
        return place
    return session.awake if is_folded_away(session, place) else place + 1


@dataclass(eq=False, repr=False)
class LoomPicture:
    """All there is to paint."""

    scale: Scale
    lines: list[RowLine]
    grid: list[tuple[float, str]]
    frozen: list[FrozenBand]
    phases: list[tuple[float, float, str]]
    beads: Beads | None = None
    density: Density | None = None
    stitches: Array = field(default_factory=lambda: np.zeros((0, 4)))
    names: list[tuple[float, float, str]] = field(default_factory=list)
    selected: tuple[float, float] | None = None
    bead_px: float = 0.0
    resting: RestingLine | None = None
    heights: Heights = USUAL

    def hit(self, x: float, y: float) -> int:
        """Return the call of the bead under a point, -1 where there is none."""
        if self.beads is None or not len(self.beads):
            return -1
        line = self.line_at(y)
        if line < 0:
            return -1
        on_line = np.flatnonzero(self.beads.line == line)
        if not len(on_line):
            return -1
        distance = np.maximum(self.beads.x[on_line] - x, x - (self.beads.x[on_line] + self.beads.stretch[on_line]))
        nearest = int(np.argmin(distance))
        reach = max(4.0, self.bead_px / 2 + 1)
        return int(self.beads.call[on_line[nearest]]) if distance[nearest] <= reach else -1

    def line_at(self, y: float) -> int:
        """Return the index of the row under a height, -1 where there is none."""
        for index, line in enumerate(self.lines):
            if line.top <= y < line.top + self.heights.row:
                return index
        return -1


def layout_loom(
    session: Session,
    width: float,
    height: float,
    scroll: float,
    label_px: float = LABEL_PX,
    heights: Heights = USUAL,
) -> LoomPicture:
    """Return what to paint on `width` × `height` px with the rows scrolled by `scroll` px."""
    axis = session.axis
    scale = Scale(session.low, session.high, label_px, max(1.0, width - label_px))
    first = max(0, int(scroll // heights.row))
    last = min(line_count(session), int((scroll + height - heights.header) // heights.row) + 1)
    columns = session.visible_columns
    window = np.array([columns[0], columns[1] + 1])
    folds = folds_resting(session)
    lines, resting = [], None
    for place in range(first, last):
        top = heights.header + place * heights.row - scroll
        if folds and place == session.awake:
            resting = RestingLine(top, len(session.rows) - session.awake, session.shows_resting)
        else:
            row = session.rows[place - 1 if folds and place > session.awake else place]
            lines.append(_line(session, row, top, window))
    rows = [line.row for line in lines]
    frame_px = scale.per_unit * _usual_width(axis, *columns)
    picture = {
        "scale": scale,
        "lines": lines,
        "grid": grid_marks(axis, scale),
        "frozen": frozen_bands(session, scale),
        "phases": _phase_bands(lines, heights.row),
        "selected": selected_band(session, scale),
        "resting": resting,
        "heights": heights,
    }
    if not rows or not axis.columns:
        return LoomPicture(**picture)  # type: ignore[arg-type]
    if frame_px < BEAD_FROM_PX:
        return LoomPicture(**picture, density=_density(session, rows, scale))  # type: ignore[arg-type]
    beads = beads_in_view(session, rows, scale, columns, frame_px)
    stitches = _stitches(session, beads, lines, frame_px, heights.row)
    return LoomPicture(
        **picture,  # type: ignore[arg-type]
        beads=beads,
        stitches=stitches,
        names=_names(session, beads, lines, frame_px, heights.row),
        bead_px=bead_size(frame_px),
    )


def _usual_width(axis: Axis, first: int, last: int) -> float:
    """Return the usual width on the axis of a visible frame."""
    if axis.mode is AxisMode.FRAME and last - first > MOST_WIDTHS:
        return 1.0  # by frame only the frozen ones are wider, and they are few
    asked = np.linspace(first, last, min(MOST_WIDTHS, max(1, last - first + 1))).astype(np.int64)
    widths = axis.edges[np.minimum(asked + 1, axis.columns)] - axis.edges[asked] if axis.columns else np.zeros(0)
    return float(np.sort(widths)[len(widths) // 2]) if len(widths) else 1.0


def _line(session: Session, row: Row, top: float, window: Array) -> RowLine:
    row_index = session.row_index
    told = row_index.told(row)
    level = row_index.level(row)
    start, stop = level.groups.starts[row.number], level.groups.starts[row.number + 1]
    faded = session.sieve.active and level.sums["matched"][stop] == level.sums["matched"][start]
    rests = row_index.rests(row, window)
    phase = "resting" if rests else session.take.text(told.phase)
    return RowLine(top, row, told.owner, told.function, told.members, phase, bool(faded), rests)


def _phase_bands(lines: list[RowLine], row_px: float) -> list[tuple[float, float, str]]:
    bands: list[tuple[float, float, str]] = []
    for line in lines:
        if bands and bands[-1][2] == line.phase and bands[-1][1] == line.top:
            bands[-1] = (bands[-1][0], line.top + row_px, line.phase)
        else:
            bands.append((line.top, line.top + row_px, line.phase))
    return bands


# --- density -------------------------------------------------------------------------------------


def _density(session: Session, rows: list[Row], scale: Scale) -> Density:
    row_index = session.row_index
    borders = pixel_columns(session, scale)
    pixels = len(borders) - 1
    via = np.array([via_of_row(session, row_index.level(row), row) for row in rows], np.int64)
    counted = {name: np.zeros((len(rows), pixels), np.int32) for name in ("calls", "wasted", "twin", "gone", "matched")}
    flags = ("wasted", "twin", "gone", *(("matched",) if session.sieve.active else ()))
    for level in (row_index.single, row_index.folded):
        mine = [index for index, row in enumerate(rows) if row_index.level(row) is level]
        if not mine:
            continue
        places = np.array([level.places(rows[index].number, borders) for index in mine])
        counted["calls"][mine] = places[:, 1:] - places[:, :-1]
        for name in flags:
            level.fill(name, (rows[index].number for index in mine))
            sums = level.sums[name]
            # only rows that have the flag in view: places lie far apart in a long take, and each look costs
            having = np.flatnonzero(sums[places[:, -1]] != sums[places[:, 0]])
            if len(having):
                counted[name][np.array(mine)[having]] = np.diff(sums[places[having]])
    return Density(scale.left, **counted, via=via)


def via_of_row(session: Session, level: Level, row: Row) -> int:
    """Return the string code of how a row's middle call came about."""
    start, stop = int(level.groups.starts[row.number]), int(level.groups.starts[row.number + 1])
    if start == stop:
        return -1
    call = int(level.groups.order[(start + stop) // 2])
    send = int(session.take.calls.send[call])
    return int(session.take.tables["send"]["via"][send]) if send >= 0 else -1


def _stitches(session: Session, beads: Beads, lines: list[RowLine], frame_px: float, row_px: float) -> Array:
    """Return float64 (n, 4): x1 y1 x2 y2 between calls that ran in the other order than their rows stand.

    Between peers there is no order within a frame.
    """
    if frame_px < STITCH_FROM_PX or len(beads) < 2:
        return np.zeros((0, 4))
    column = session.row_index.column[beads.call]
    peer = np.asarray(session.take.tables["call"]["p"])[beads.call]
    order = np.lexsort((beads.call, peer, column))
    first, second = order[:-1], order[1:]
    together = (column[first] == column[second]) & (peer[first] == peer[second])
    swapped = together & (beads.line[second] < beads.line[first])
    first, second = first[swapped][:MOST_STITCHES], second[swapped][:MOST_STITCHES]
    tops = np.array([line.top for line in lines]) + row_px / 2
    return np.column_stack((beads.x[first], tops[beads.line[first]], beads.x[second], tops[beads.line[second]]))


def _names(
    session: Session, beads: Beads, lines: list[RowLine], frame_px: float, row_px: float
) -> list[tuple[float, float, str]]:
    """Return (x, y, text) beside beads when few frames are in view: what ran it, and how long it took."""
    if frame_px < NAMES_FROM_PX:
        return []
    names = []
    size = bead_size(frame_px)
    take = session.take
    right_of: dict[int, float] = {}
    for index in np.argsort(beads.x, kind="stable")[:MOST_NAMES].tolist():
        call, line = int(beads.call[index]), int(beads.line[index])
        x = float(beads.x[index] + beads.stretch[index]) + size / 2 + 4
        if x < right_of.get(line, -1e9):
            continue
        time = short_time(float(take.calls.duration_ns[call]))
        text = (
            f"{take.event_of_call(call)} · {time}"
            if beads.count[index] == 1
            else f"×{beads.count[index]} · {take.event_of_call(call)}"
        )
        names.append((x, lines[line].top + row_px / 2, text))
        right_of[line] = x + 6.2 * len(text) + size
    return names
