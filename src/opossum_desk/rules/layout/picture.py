"""The layout of Rules: each sentence above a strip of where it held (low, quiet) and broke (tall, rose).

Cost: the occasions on screen of the rules on screen, counted into pixels.
"""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Outcome
from opossum.stream.tables import Array
from opossum.words import tr
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import (
    Dots,
    Label,
    Lines,
    RowPicture,
    RowStack,
    RowsView,
    StandingBars,
    Words,
    ground,
)
from opossum_desk.layout.scale import Scale, pixel_columns
from opossum_desk.layout.wording import LETTER_PX, wrapped
from opossum_desk.rules.layout.rows import RuleRow, Sort
from opossum_desk.state.session import Session

STRIP_PX = 20.0
HELD_PX, BROKE_PX = 5.0, 14.0
NOTHING = "There are no rules beside this take.\n\nWrite one above: every send of oven_on is heard.\nThey are kept in a file of sentences beside the take, and `opossum check` holds later takes to them."


def stack_rows(rows: list[RuleRow], line_px: float, width: float, letter_px: float = LETTER_PX) -> RowStack:
    """Return the heights of all rows; sentences take as many lines as they need in `width`."""
    heights = []
    for row in rows:
        lines = max(1, len(wrapped(row.text, width, letter_px)))
        heights.append(lines * line_px + (STRIP_PX if row.sort is Sort.RULE else 0.0) + 6)
    return RowStack(np.array(heights))


class Strips:
    """Where rules held and broke along an axis: columns in order, found once a rule and axis."""

    def __init__(self, session: Session) -> None:
        self._take, self._axis = session.take, session.axis
        frames = np.arange(len(session.take.frames))
        self._columns = np.append(session.axis_columns(frames), -1).astype(np.int64)
        self._known: dict[int, tuple[Outcome, Array, Array]] = {}

    def are_of(self, session: Session) -> bool:
        """Say whether they are of what a session shows."""
        return self._take is session.take and self._axis is session.axis

    def of(self, outcome: Outcome) -> tuple[Array, Array]:
        """Return the columns, ascending, in which a rule held, and in which it broke."""
        known = self._known.get(id(outcome))
        if known is None or known[0] is not outcome:
            at = self._columns[outcome.frames]
            held, broke = (np.sort(at[mine & (at >= 0)]) for mine in (outcome.held, ~outcome.held))
            known = self._known[id(outcome)] = (outcome, held, broke)
        return known[1], known[2]


def layout_rules(session: Session, strips: Strips, rows: list[RuleRow], stack: RowStack, view: RowsView) -> RowPicture:
    """Return what to paint."""
    left, room = view.label_px, max(1.0, view.width - view.label_px - 12)
    scale = Scale(session.low, session.high, left, room)
    if session.rules.checked is None and not rows:
        return RowPicture(scale, empty=tr("Checking the rules beside this take …"))
    if all(row.sort is Sort.HEAD and row.key == "suggested" and not row.opened for row in rows):
        picture = RowPicture(scale)
        lines = [line for text in tr(NOTHING).split("\n") for line in wrapped(text, room - 8, view.letter_px) or [""]]
        picture.words += [
            Words(left + 8, view.header_px + (1.5 + number) * view.line_px, line, "quiet", False)
            for number, line in enumerate(lines)
        ]
    else:
        picture = ground(session, scale)
    borders, bars = pixel_columns(session, scale), StandingBars(left)
    for place, top, height in stack.seen(view):
        row = rows[place]
        broke = row.outcome is not None and row.outcome.broken > 0
        rose = broke or row.sort is Sort.MISTAKE
        fold = ("–" if row.opened else "+") if row.key else ""
        role = "rose" if rose else "ink" if row.sort is Sort.HEAD else "quiet"
        picture.labels.append(Label(top, height, place, row.title, role=role, fold=fold, heads=row.sort is Sort.HEAD))
        for number, text in enumerate(wrapped(row.text, room, view.letter_px)):
            y = top + 3 + view.line_px * (number + 0.5)
            ink = "quiet" if row.sort in (Sort.HEAD, Sort.SUGGESTED) else "ink"
            picture.words.append(Words(left + 8, y - 4, text, ink, False))
        if row.outcome is not None:
            _draw_strip(picture, bars, *strips.of(row.outcome), borders, top + height - 6)
        picture.lines.append(Lines("band", np.array([[left, top, left + room, top]]), 1.0))
    picture.bars += bars.gathered()
    return picture


def _draw_strip(
    picture: RowPicture, bars: StandingBars, held: Array, broke: Array, borders: Array, base: float
) -> None:
    scale = picture.scale
    picture.lines.append(Lines("line", np.array([[scale.left, base, scale.left + scale.width, base]]), 1.0))
    for layer, (columns, role, height) in enumerate(((held, "faint", HELD_PX), (broke, "rose", BROKE_PX))):
        places = np.searchsorted(columns, borders)
        if places[-1] > places[0]:
            bars.add(role, base, (places[1:] > places[:-1]) * height, layer=layer)
    # what can be pointed at: the first break of each pixel
    first = np.searchsorted(broke, borders)
    pixels = np.flatnonzero(np.diff(first) > 0)
    if len(pixels):
        ys = np.full(len(pixels), base - BROKE_PX / 2)
        picture.dots.append(
            Dots("wrong", BeadState.DID, scale.left + pixels + 0.5, ys, "column", broke[first[pixels]], 0.0)
        )
