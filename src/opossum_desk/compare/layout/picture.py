"""The layout of Compare: each listener on two lanes, before above, after below; what agrees is faint.

Cost: the calls on screen of the rows on screen, at most one dot a pixel and lane.
"""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.words import tr
from opossum_desk.compare.layout.rows import CompareRow, Sort
from opossum_desk.compare.layout.side_by_side import Lane, SideBySide
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import Boxes, Dots, Label, Lines, RowPicture, RowStack, RowsView, Words, ground
from opossum_desk.layout.scale import Scale
from opossum_desk.layout.wording import LETTER_PX, wrapped
from opossum_desk.state.session import Session

LISTENER_PX = 40.0
LANE_PX = 8.0
"""How far each lane lies from the middle of its row."""
DOT_PX, AGREED_PX = 8.0, 4.6
TICK_PX = 7.0
NOTHING = "Nothing lies beside this take.\n\nFile, Set another take beside … (Ctrl+B) compares it with one from before or after a change.\nOr choose a finding, and rehearse its fix from the Story."


def stack_rows(rows: list[CompareRow], line_px: float, width: float, letter_px: float = LETTER_PX) -> RowStack:
    """Return the heights of all rows; sentences take as many lines as they need in `width`."""
    heights = []
    for row in rows:
        if row.sort is Sort.LISTENER:
            heights.append(max(LISTENER_PX, line_px * 2))
        else:
            heights.append(line_px * max(1, len(wrapped(row.text, width, letter_px))) + 6)
    return RowStack(np.array(heights))


class Clock:
    """Turns seconds of the take on the desk into places on its axis."""

    def __init__(self, known: SideBySide, session: Session) -> None:
        axis = self._axis = session.axis
        self._known = known
        side = known.comparison.sides[known.own]
        self._seconds = side.seconds(np.full(len(axis.starts_ns), axis.peer), axis.starts_ns)
        self._edges = axis.edges

    def is_of(self, known: SideBySide, session: Session) -> bool:
        """Say whether it is of what a session shows."""
        return self._known is known and self._axis is session.axis

    def positions(self, seconds: Array) -> Array:
        """Return float64 (n,): where moments lie on the axis."""
        return np.interp(seconds, self._seconds, self._edges)

    def window(self, session: Session) -> tuple[float, float]:
        """Return the visible stretch in seconds."""
        low, high = np.interp([session.low, session.high], self._edges, self._seconds)
        return float(low), float(high)


def layout_compare(
    known: SideBySide | None,
    clock: Clock | None,
    session: Session,
    rows: list[CompareRow],
    stack: RowStack,
    view: RowsView,
) -> RowPicture:
    """Return what to paint."""
    left, room = view.label_px, max(1.0, view.width - view.label_px - 12)
    scale = Scale(session.low, session.high, left, room)
    if known is None or clock is None or not rows:
        return RowPicture(scale, empty=tr(NOTHING))
    picture = ground(session, scale)
    window = clock.window(session)
    marker = -1.0
    for place, top, height in stack.seen(view):
        row = rows[place]
        picture.labels.append(_label(known, row, place, top, height))
        if row.sort is Sort.LISTENER:
            _draw_listener(picture, known, row, clock, window, top + height / 2)
        elif row.text:
            lines = wrapped(row.text, room, view.letter_px)
            for number, text in enumerate(lines):
                y = top + 3 + view.line_px * (number + 0.5)
                picture.words.append(
                    Words(left + 8, y - 4, text, "ink" if row.sort is Sort.DIFFERENCE else "quiet", False)
                )
        if row.sort is Sort.DIFFERENCE and row.number >= 0:
            marker = float(scale.xs(clock.positions(known.difference_seconds[[row.number]]))[0])
        if row.sort in (Sort.HEAD, Sort.TEXT):
            marker = -1.0
        if left <= marker <= left + room and row.sort in (Sort.LISTENER, Sort.DIFFERENCE):
            # under a sentence a short one, so that the words can be read
            begin = top if row.sort is Sort.LISTENER else top + height - TICK_PX
            picture.lines.append(Lines("focus", np.array([[marker, begin, marker, top + height]]), 1.8))
        if row.sort is Sort.DIFFERENCE:
            picture.lines.append(Lines("line", np.array([[left, top, left + room, top]]), 1.0))
    return picture


def _label(known: SideBySide, row: CompareRow, place: int, top: float, height: float) -> Label:
    fold = ("–" if row.faded else "+") if row.key else ""
    if row.sort is Sort.LISTENER and row.listener is not None:
        _, function, event = row.listener.name
        name = function or event
        remark = known.remark(row.listener)
        return Label(
            top,
            height,
            place,
            name,
            remark,
            detail_role="rose" if row.listener.differs else "quiet",
            indent=14.0,
            faded=row.faded,
        )
    if row.sort is Sort.TEXT:
        return Label(top, height, place, row.title, role="quiet")
    return Label(top, height, place, row.title, role="rose" if row.wrong else "ink", fold=fold, heads=True)


def _draw_listener(
    picture: RowPicture, known: SideBySide, row: CompareRow, clock: Clock, window: tuple[float, float], middle: float
) -> None:
    assert row.listener is not None
    item, scale = row.listener, picture.scale
    edge = middle + LISTENER_PX / 2
    picture.lines.append(Lines("band", np.array([[scale.left, edge, scale.left + scale.width, edge]]), 1.0))
    for side, y in ((0, middle - LANE_PX), (1, middle + LANE_PX)):
        if item.is_stretch:
            span = item.stretch[side]
            if span is not None:
                xs = scale.xs(clock.positions(np.array(span))).clip(scale.left, scale.left + scale.width)
                role = "rose" if item.differs else "via:tick"
                half = 2.0 if item.differs else 1.0
                picture.boxes.append(Boxes(role, np.array([[xs[0], y - half, max(2.0, xs[1] - xs[0]), 2 * half]])))
        _draw_lane(picture, item.lanes[side], clock, window, y, side == known.own, side == 0, row.faded)


def _draw_lane(
    picture: RowPicture,
    lane: Lane,
    clock: Clock,
    window: tuple[float, float],
    y: float,
    own: bool,
    before: bool,
    faded: bool,
) -> None:
    low, high = np.searchsorted(lane.seconds, [window[0] - 1e-9, window[1] + 1e-9])
    if low >= high:
        return
    seconds, lone, rows = lane.seconds[low:high], lane.lone[low:high], lane.rows[low:high]
    xs = picture.scale.xs(clock.positions(seconds))
    for alone in (False, True):
        mine = np.flatnonzero(lone == alone)
        if not len(mine):
            continue
        # rising already: the first of each pixel
        mine = mine[np.diff(np.round(xs[mine]), prepend=-1e9) != 0]
        # gone is hollow, new is filled; what agrees is a small faint dot
        state = BeadState.IDLE if alone and before else BeadState.DID
        via, size = ("wrong", DOT_PX) if alone else ("direct", AGREED_PX)
        told = rows[mine].astype(np.int64) if own else np.full(len(mine), -1)
        picture.dots.append(Dots(via, state, xs[mine], np.full(len(mine), y), "call", told, size, faded or not alone))
