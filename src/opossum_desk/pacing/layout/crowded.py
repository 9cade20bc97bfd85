"""Rows of which more came than can be told apart: a bar a pixel, from the lowest to the highest that came there.

All such rows in view are drawn at once.  Cost: the rows times the width in pixels.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import Dots, PixelBars, RowPicture
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.verdict import right_bounds_ns

EDGE_PX = 4.0
"""Nothing is drawn nearer to the edges of a row."""


class CrowdedRow(NamedTuple):
    """What recurs, where its row lies, and how many pixels stand for a nanosecond off."""

    recurring: Recurring
    middle: float
    height: float
    per_ns: float
    faded: bool

    def ys(self, off_ns: Array) -> Array:
        """Return where firings stand that are so far off (ns)."""
        return _ys(off_ns, self.middle, self.per_ns, self.height / 2 - EDGE_PX)


def _ys(off_ns: Array, middle: float | Array, per_ns: float | Array, reach: float | Array) -> Array:
    return middle - np.minimum(np.maximum(off_ns * per_ns, -reach), reach)


def draw_crowded(picture: RowPicture, rows: list[CrowdedRow], times: Array, dot_px: float) -> None:
    """Add the bars of rows, what is wrong of them in rose at their ends, and what stands there, when it is asked for.

    `times` (pixels + 1,), int64 ns: the edges of the pixels.
    """
    left, half = picture.scale.left, dot_px / 2
    shape = len(rows), len(times) - 1
    held = np.zeros(shape, bool)
    lowest_ns, highest_ns = np.zeros(shape), np.zeros(shape)
    for place, row in enumerate(rows):
        pixels, least, most = row.recurring.firings.reach(times)
        held[place, pixels] = True
        lowest_ns[place, pixels], highest_ns[place, pixels] = least, most
    middle, per_ns, reach = np.array([(row.middle, row.per_ns, row.height / 2 - EDGE_PX) for row in rows]).T[:, :, None]
    low, high = _ys(lowest_ns, middle, per_ns, reach), _ys(highest_ns, middle, per_ns, reach)
    tops, bottoms = np.where(held, high - half, 0.0), np.where(held, low + half, 0.0)
    roles = ["quiet" if row.faded else f"via:{row.recurring.via}" for row in rows]
    for role in dict.fromkeys(roles):
        mine = [place for place, own in enumerate(roles) if own == role]
        picture.bars.append(PixelBars(role, left, tops[mine], bottoms[mine]))
    bounds = np.array([right_bounds_ns(row.recurring.sort, row.recurring.unit_ns) for row in rows])
    early, late = bounds[:, :1], bounds[:, 1:]
    for off, at in ((lowest_ns, low), (highest_ns, high)):
        wrong = held & ((off < early) | (off > late))
        if wrong.any():
            tops, bottoms = np.where(wrong, at - half, 0.0), np.where(wrong, at + half, 0.0)
            picture.bars.append(PixelBars("rose", left, tops, bottoms))

    def which() -> list[Dots]:
        found = []
        for place, row in enumerate(rows):
            pixels, *extremes = row.recurring.firings.extremes(times)
            for places, ys in zip(extremes, (low, high), strict=True):
                what = row.recurring.firings.rows[places]
                xs, via = left + pixels + 0.5, row.recurring.via
                found.append(Dots(via, BeadState.DID, xs, ys[place, pixels], row.recurring.rows_of, what, 0.0))
        return found

    picture.when_asked.append(which)
