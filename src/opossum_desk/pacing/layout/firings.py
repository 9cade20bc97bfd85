"""When something came and how far off, kept so that any stretch of it is drawn at the cost of its pixels."""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array

BLOCK = 16
"""So many firings, or blocks of the level below, are one block of a level."""
BLOCKS_A_PIXEL = 4
"""A level is used where a pixel holds at least so many of its blocks: then no border is off by half a pixel."""
SPREAD_BINS = 21
USUAL_PERCENTILE = 99.0
"""The height of a row fits so many of a hundred firings; the rest is drawn at its edge."""


class Level(NamedTuple):
    """Blocks of `size` firings each: the place of the earliest-for-its-time and of the latest firing of each block."""

    size: int
    lowest: Array
    highest: Array


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
            levels.append(Level(size, low, high))
        return levels

    def extremes(self, borders: Array) -> tuple[Array, Array, Array]:
        """Return (pixels, lowest, highest): the pixels that hold firings, and the places of the extremes of each.

        `borders` (pixels + 1,): places of the firings between which each pixel's lie.  Cost: the pixels times `BLOCK` times
        `BLOCKS_A_PIXEL`.
        """
        usual = (int(borders[-1]) - int(borders[0])) / max(1, len(borders) - 1)
        level = next((level for level in reversed(self.levels) if usual >= BLOCKS_A_PIXEL * level.size), None)
        if level is not None:
            blocks = np.minimum(-(-borders // level.size), len(level.lowest))
            pixels = np.flatnonzero(np.diff(blocks))
            starts = blocks[pixels]
            stop = int(blocks[-1])
        else:
            pixels = np.flatnonzero(np.diff(borders))
            starts, stop = borders[pixels], int(borders[-1])
        if not len(pixels):
            return pixels, pixels, pixels
        first = int(starts[0])
        starts = starts - first
        if level is None:
            off = self.off_ns[first:stop]
            low, high = (first + _places_of(off, starts, extreme) for extreme in (np.minimum, np.maximum))
            return pixels, low, high
        low, high = level.lowest[first:stop], level.highest[first:stop]
        return (
            pixels,
            low[_places_of(self.off_ns[low], starts, np.minimum)],
            high[_places_of(self.off_ns[high], starts, np.maximum)],
        )

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
