"""Rows of which more came than can be told apart: a bar a pixel, from the lowest to the highest that came there.

All such rows in view are drawn at once.  Cost: the rows times the width in pixels; while one pans, times those that come into view.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import Dots, PixelBars, RowPicture
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.steady_pixels import SteadyPixels, reach_of
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


def draw_crowded(picture: RowPicture, rows: list[CrowdedRow], pixels: SteadyPixels, dot_px: float) -> None:
    """Add the bars of rows, what is wrong of them in rose at their ends, and what stands there, when it is asked for."""
    left, half = picture.scale.left, dot_px / 2
    reached = [reach_of(row.recurring.firings, pixels) for row in rows]
    held, lowest_ns, highest_ns = (np.stack(part) for part in zip(*reached, strict=True))
    middle, per_ns, reach = np.array([(row.middle, row.per_ns, row.height / 2 - EDGE_PX) for row in rows]).T[:, :, None]
    low, high = _ys(lowest_ns, middle, per_ns, reach), _ys(highest_ns, middle, per_ns, reach)
    early, late = np.array([right_bounds_ns(row.recurring.sort, row.recurring.unit_ns) for row in rows]).T[:, :, None]
    foot_wrong = held & ((lowest_ns < early) | (lowest_ns > late))
    top_wrong = held & ((highest_ns < early) | (highest_ns > late))
    # each pixel once: what is right between the ends, and the wrong ends, which are one where nothing is between them
    upper, lower = high + np.where(top_wrong, half, -half), low + np.where(foot_wrong, -half, half)
    roles = np.array(["quiet" if row.faded else f"via:{row.recurring.via}" for row in rows])
    for role in dict.fromkeys(roles.tolist()):
        _add_bars(picture, role, held & (upper < lower) & (roles == role)[:, None], upper, lower)
    both = top_wrong & foot_wrong
    one = both & (upper >= lower)
    tops, feet = np.where(top_wrong, high, low) - half, np.where(top_wrong & ~one, high, low) + half
    _add_bars(picture, "rose", top_wrong | foot_wrong, tops, feet)
    _add_bars(picture, "rose", both & ~one, low - half, low + half)

    def which() -> list[Dots]:
        found = []
        for place, row in enumerate(rows):
            there, *extremes = row.recurring.firings.extremes(pixels.moments)
            for places, ys in zip(extremes, (low, high), strict=True):
                what = row.recurring.firings.rows[places]
                xs, via = left + there + 0.5, row.recurring.via
                found.append(Dots(via, BeadState.DID, xs, ys[place, there], row.recurring.rows_of, what, 0.0))
        return found

    picture.when_asked.append(which)


def _add_bars(picture: RowPicture, role: str, where: Array, tops: Array, bottoms: Array) -> None:
    """Add bars of one colour where they are wanted, (rows, pixels), of the rows that have any."""
    some = where.any(axis=1)
    if some.any():
        where = where[some]
        tops, bottoms = np.where(where, tops[some], 0.0), np.where(where, bottoms[some], 0.0)
        picture.bars.append(PixelBars(role, picture.scale.left, tops, bottoms))
