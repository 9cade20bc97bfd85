"""When something came and how far off, kept so that any stretch of it is drawn at the cost of its pixels."""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array

BLOCK = 4
"""So many firings, or blocks of the level below, are one block of a level."""
BLOCKS_A_PIXEL = 4
"""A level is used where a pixel holds at least so many of its blocks: then no border is off by half a pixel."""
SPREAD_BINS = 21
USUAL_PERCENTILE = 99.0
"""The height of a row fits so many of a hundred firings; the rest is drawn at its edge."""


class Level(NamedTuple):
    """Blocks of `size` firings each: the place of the earliest-for-its-time and of the latest firing of each block.

    `lowest_ns`, `highest_ns`: how far off those are; `times_ns`: when each block begins.
    """

    size: int
    lowest: Array
    highest: Array
    lowest_ns: Array
    highest_ns: Array
    times_ns: Array


class Firings:
    """Moments in order (`times_ns`, (n,)), how far each is off (`off_ns`, (n,)), and which record it is (`rows`, (n,))."""

    def __init__(self, times_ns: Array, off_ns: Array, rows: Array) -> None:
        order = np.argsort(times_ns, kind="stable")
        self.times_ns: Array = np.asarray(times_ns, np.int64)[order]
        self.off_ns: Array = np.asarray(off_ns, np.float64)[order]
        self.rows: Array = np.asarray(rows, np.int64)[order]

    def __len__(self) -> int:
        return len(self.times_ns)

    @cached_property
    def levels(self) -> list[Level]:
        """Blocks of rising size; building is linear in the firings."""
        levels: list[Level] = []
        low = high = np.arange(len(self))
        size = 1
        while len(low) > BLOCK:
            starts = np.arange(0, len(low), BLOCK)
            low = low[_places_of(self.off_ns[low], starts, np.minimum)]
            high = high[_places_of(self.off_ns[high], starts, np.maximum)]
            size *= BLOCK
            begun = self.times_ns[::size].copy()  # side by side: it is searched at every painting
            levels.append(Level(size, low, high, self.off_ns[low], self.off_ns[high], begun))
        return levels

    def reach(self, moments: Array) -> tuple[Array, Array, Array]:
        """Return (pixels, lowest, highest): the pixels that hold firings, and how far off in ns those of each are at most.

        `moments` (pixels + 1,), int64 ns: between which each pixel lies.  Cost: the pixels times `BLOCK` times
        `BLOCKS_A_PIXEL`.
        """
        level, pixels, first, stop, starts = self._cut(moments)
        if not len(pixels):
            return pixels, np.zeros(0), np.zeros(0)
        low, high = (self.off_ns, self.off_ns) if level is None else (level.lowest_ns, level.highest_ns)
        return pixels, np.minimum.reduceat(low[first:stop], starts), np.maximum.reduceat(high[first:stop], starts)

    def extremes(self, moments: Array) -> tuple[Array, Array, Array]:
        """Return (pixels, lowest, highest): the same as `reach`, but the places of the firings that are furthest off."""
        level, pixels, first, stop, starts = self._cut(moments)
        if not len(pixels):
            return pixels, pixels, pixels
        if level is None:
            off = self.off_ns[first:stop]
            low, high = (first + _places_of(off, starts, extreme) for extreme in (np.minimum, np.maximum))
            return pixels, low, high
        return (
            pixels,
            level.lowest[first + _places_of(level.lowest_ns[first:stop], starts, np.minimum)],
            level.highest[first + _places_of(level.highest_ns[first:stop], starts, np.maximum)],
        )

    def _cut(self, moments: Array) -> tuple[Level | None, Array, int, int, Array]:
        """Return (level to look at, pixels that hold firings, first and last block, where each pixel begins after the first)."""
        low, high = np.searchsorted(self.times_ns, moments[[0, -1]]).tolist()
        usual = (high - low) / max(1, len(moments) - 1)
        level = next((level for level in reversed(self.levels) if usual >= BLOCKS_A_PIXEL * level.size), None)
        if level is None:
            borders = low + np.searchsorted(self.times_ns[low:high], moments)
        else:
            borders = np.searchsorted(level.times_ns, moments)
        pixels = np.flatnonzero(borders[1:] > borders[:-1])
        starts = borders[pixels]
        first = int(starts[0]) if len(starts) else 0
        return level, pixels, first, int(borders[-1]), starts - first

    @cached_property
    def usual_reach_ns(self) -> float:
        """How far off nearly all of them are at most."""
        return float(np.percentile(np.abs(self.off_ns), USUAL_PERCENTILE)) if len(self) else 0.0

    def spread(self, reach_ns: float) -> tuple[Array, Array]:
        """Return (how many (bins,), edges in ns (bins + 1,)) of how far off they are, beyond the reach at its ends."""
        clipped = np.clip(self.off_ns, -reach_ns, reach_ns)
        return np.histogram(clipped, SPREAD_BINS, (-reach_ns, reach_ns))


def _places_of(values: Array, starts: Array, extreme: np.ufunc) -> Array:
    """Return (groups,): the place of the extreme value of each group of values that begins at `starts` (ascending)."""
    best = extreme.reduceat(values, starts)
    group = np.repeat(np.arange(len(starts)), np.diff(np.append(starts, len(values))))
    hits = np.flatnonzero(values == best[group])[::-1]
    places = np.array(starts, np.int64)
    places[group[hits]] = hits  # written backwards, so that of equal ones the first stays
    return places
