"""Pixels that stay the same while one pans: counted from the beginning of the axis, not from the edge of the window.

What is found for a pixel is found once; a step to the side costs the pixels that came into view, and nothing shimmers.
"""

from __future__ import annotations

from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.scale import Scale
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.state.axis import Axis

SAME_ZOOM = 1e-9
"""Two zooms that differ by less than this share are one: panning changes the last bits of a width."""


class SteadyPixels:
    """Pixels of an axis that lie nearest to those of a scale, at most half a pixel off; `count`: how many.

    `first`: which of all of the axis the first is; `moments` (count + 1,), int64 ns: their edges.
    """

    def __init__(self, axis: Axis, scale: Scale) -> None:
        self.axis, self.per_unit = axis, scale.per_unit
        self.first, self.count = round(scale.low * scale.per_unit), max(1, int(scale.width))
        places = (self.first + np.arange(self.count + 1)) / self.per_unit
        # whole, as firings' times are: needles of another type would have NumPy convert all of a row's firings first
        self.moments: Array = np.ceil(np.interp(places, axis.edges, axis.starts_ns)).astype(np.int64)

    def continues(self, other: SteadyPixels) -> bool:
        """Say whether these are pixels of the same axis and of the same width."""
        return self.axis is other.axis and abs(self.per_unit - other.per_unit) <= SAME_ZOOM * self.per_unit


class Reach(NamedTuple):
    """How far off in ns firings are at most in each pixel: `lowest`, `highest` (pixels,), 0 where none is `held`."""

    held: Array
    lowest: Array
    highest: Array


_known: WeakKeyDictionary[Firings, tuple[SteadyPixels, Reach]] = WeakKeyDictionary()


def reach_of(firings: Firings, pixels: SteadyPixels) -> Reach:
    """Return how far off firings are in each pixel.  Cost: that of `Firings.reach` for the pixels that were not in view before."""
    count = pixels.count
    reach = Reach(np.zeros(count, bool), np.zeros(count), np.zeros(count))
    before = _known.get(firings)
    first = stop = 0  # which of the pixels are known
    if before is not None and pixels.continues(before[0]):
        moved = before[0].first - pixels.first
        first, stop = max(0, moved), min(count, moved + before[0].count)
        if first < stop:
            for now, known in zip(reach, before[1], strict=True):
                now[first:stop] = known[first - moved : stop - moved]
    for start, end in ((0, first), (stop, count)) if first < stop else ((0, count),):
        if start < end:
            places, lowest, highest = firings.reach(pixels.moments[start : end + 1])
            places += start
            reach.held[places], reach.lowest[places], reach.highest[places] = True, lowest, highest
    _known[firings] = pixels, reach
    return reach
