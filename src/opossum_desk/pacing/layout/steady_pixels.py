"""Pixels that stay the same while one pans: counted from the beginning of the axis, not from the edge of the window.

What is found for a pixel is found once, and with those that come into view some that will be next: a step to the side costs
next to nothing, and nothing shimmers.
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
        self.moments = self.moments_of(self.first, self.first + self.count)

    def moments_of(self, first: int, stop: int) -> Array:
        """Return the edges (stop - first + 1,) of other pixels of the axis, int64 ns."""
        places = np.arange(first, stop + 1) / self.per_unit
        # whole, as firings' times are: needles of another type would have NumPy convert all of a row's firings first
        return np.ceil(np.interp(places, self.axis.edges, self.axis.starts_ns)).astype(np.int64)

    def continues(self, other: SteadyPixels) -> bool:
        """Say whether these are pixels of the same axis and of the same width."""
        return self.axis is other.axis and abs(self.per_unit - other.per_unit) <= SAME_ZOOM * self.per_unit


class Reach(NamedTuple):
    """How far off in ns firings are at most in each pixel: `lowest`, `highest` (pixels,), 0 where none is `held`."""

    held: Array
    lowest: Array
    highest: Array


class _Known(NamedTuple):
    """What was found of the pixels from `first` on, of those that `pixels` are some of."""

    pixels: SteadyPixels
    first: int
    reach: Reach

    @property
    def stop(self) -> int:
        return self.first + len(self.reach.held)


_known: WeakKeyDictionary[Firings, _Known] = WeakKeyDictionary()
MOST_KNOWN = 8
"""So many times the pixels in view are kept."""


def reach_of(firings: Firings, pixels: SteadyPixels) -> Reach:
    """Return how far off firings are in each pixel.

    Cost: that of `Firings.reach` for the pixels that were not in view before, and for as many again to that side as are in
    view: the next steps will ask for them.
    """
    first, stop = pixels.first, pixels.first + pixels.count
    known = _known.get(firings)
    if known is None or not known.pixels.continues(pixels) or first > known.stop or stop < known.first:
        known = _Known(pixels, first, _found(firings, pixels, first, stop))
    if first < known.first:
        start = first - pixels.count
        own = _found(firings, pixels, start, known.first)
        known = _Known(pixels, start, _joined(own, known.reach, 0, MOST_KNOWN * pixels.count))
    if stop > known.stop:
        own = _found(firings, pixels, known.stop, stop + pixels.count)
        left_out = max(0, stop + pixels.count - known.first - MOST_KNOWN * pixels.count)
        known = _Known(pixels, known.first + left_out, _joined(known.reach, own, left_out, None))
    _known[firings] = known
    return Reach(*(part[first - known.first : stop - known.first] for part in known.reach))


def _found(firings: Firings, pixels: SteadyPixels, first: int, stop: int) -> Reach:
    """Return how far off firings are in pixels of the axis, from one up to another."""
    count = stop - first
    reach = Reach(np.zeros(count, bool), np.zeros(count), np.zeros(count))
    places, lowest, highest = firings.reach(pixels.moments_of(first, stop))
    reach.held[places], reach.lowest[places], reach.highest[places] = True, lowest, highest
    return reach


def _joined(left: Reach, right: Reach, first: int, stop: int | None) -> Reach:
    return Reach(*(np.concatenate(parts)[first:stop] for parts in zip(left, right, strict=True)))
