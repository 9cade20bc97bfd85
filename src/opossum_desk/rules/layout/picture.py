"""The layout of Rules: each sentence above a strip of where it held (low, quiet) and broke (tall, rose).

Cost: the occasions on screen of the rules on screen, counted into pixels.
"""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import Dots, Label, Lines, PixelBars, RowPicture, RowStack, RowsView, Words, ground
from opossum_desk.layout.scale import Scale, pixel_columns
from opossum_desk.layout.wording import wrapped
from opossum_desk.rules.layout.rows import RuleRow, Sort
from opossum_desk.state.session import Session

STRIP_PX = 20.0
HELD_PX, BROKE_PX = 5.0, 14.0
NOTHING = (
    "There are no rules beside this take.\n\nWrite one above: every send of oven_on is heard.\n"
    "They are kept in a file of sentences beside the take, and `opossum check` holds later takes to them."
)


def stack_rows(rows: list[RuleRow], line_px: float, width: float) -> RowStack:
    """Return the heights of all rows; sentences take as many lines as they need in `width`."""
    heights = []
    for row in rows:
        lines = max(1, len(wrapped(row.text, width)))
        heights.append(lines * line_px + (STRIP_PX if row.sort is Sort.RULE else 0.0) + 6)
    return RowStack(np.array(heights))


def layout_rules(session: Session, rows: list[RuleRow], stack: RowStack, view: RowsView) -> RowPicture:
    """Return what to paint."""
    left, room = view.label_px, max(1.0, view.width - view.label_px - 12)
    scale = Scale(session.low, session.high, left, room)
    if session.rules.checked is None and not rows:
        return RowPicture(scale, empty="Checking the rules beside this take …")
    if all(row.sort is Sort.HEAD and row.key == "suggested" and not row.opened for row in rows):
        picture = RowPicture(scale)
        picture.words += [
            Words(left + 8, 60 + number * view.line_px, line, "quiet", False)
            for number, line in enumerate(NOTHING.split("\n"))
        ]
    else:
        picture = ground(session, scale)
    columns = _columns_of_frames(session)
    borders = pixel_columns(session, scale)
    for place, top, height in stack.seen(view):
        row = rows[place]
        broke = row.outcome is not None and row.outcome.broken > 0
        rose = broke or row.sort is Sort.MISTAKE
        fold = ("–" if row.opened else "+") if row.key else ""
        role = "rose" if rose else "ink" if row.sort is Sort.HEAD else "quiet"
        picture.labels.append(Label(top, height, place, row.title, role=role, fold=fold, heads=row.sort is Sort.HEAD))
        for number, text in enumerate(wrapped(row.text, room)):
            y = top + 3 + view.line_px * (number + 0.5)
            ink = "quiet" if row.sort in (Sort.HEAD, Sort.SUGGESTED) else "ink"
            picture.words.append(Words(left + 8, y - 4, text, ink, False))
        if row.outcome is not None:
            _draw_strip(picture, row, columns, borders, top + height - 6)
        picture.lines.append(Lines("band", np.array([[left, top, left + room, top]]), 1.0))
    return picture


def _columns_of_frames(session: Session) -> Array:
    """Return int64 (frames + 1,): the axis' column of each frame row, -1 for those of other peers and for none."""
    return np.append(session.axis_columns(np.arange(len(session.take.frames))), -1).astype(np.int64)


def _draw_strip(picture: RowPicture, row: RuleRow, columns: Array, borders: Array, base: float) -> None:
    assert row.outcome is not None
    scale = picture.scale
    picture.lines.append(Lines("line", np.array([[scale.left, base, scale.left + scale.width, base]]), 1.0))
    at = columns[row.outcome.frames]
    for held, role, height in ((True, "quiet", HELD_PX), (False, "rose", BROKE_PX)):
        mine = np.sort(at[(row.outcome.held == held) & (at >= 0)])
        counts = np.diff(np.searchsorted(mine, borders))
        if counts.any():
            picture.bars.append(
                PixelBars.standing(role, scale.left, base, np.where(counts > 0, height, 0.0), 255 if not held else 150)
            )
    if row.outcome.broken:
        # what can be pointed at: one place a pixel
        mine = np.unique(at[~row.outcome.held & (at >= 0)])
        pixel = np.clip(np.searchsorted(borders, mine, "right") - 1, 0, len(borders) - 2)
        inside = (mine >= borders[0]) & (mine < borders[-1])
        mine, pixel = mine[inside], pixel[inside]
        first = np.diff(pixel, prepend=-1) != 0
        xs = scale.left + pixel[first] + 0.5
        ys = np.full(len(xs), base - BROKE_PX / 2)
        picture.dots.append(Dots("wrong", BeadState.DID, xs, ys, "column", mine[first], 0.0))
