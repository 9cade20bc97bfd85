"""Occurrences parted by a key and asked by line or time: how many came until when, which came next."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array


class Series:
    """Things (n,) in order of lines, each under a key. Building costs a sort, asking a binary search."""

    def __init__(self, keys: Array, lines: Array, scale: Array) -> None:
        """Take keys (n,), lines (n,) ascending and moments (n,) that do not fall within one key."""
        keys, lines, scale = (np.asarray(values, np.int64) for values in (keys, lines, scale))
        self.order = np.argsort(keys, kind="stable")
        self._keys = keys[self.order]
        self._lines, self._scale = lines[self.order], scale[self.order]
        self._sorted_lines, self._sorted_scale = np.sort(lines), np.sort(scale)
        stride = len(keys) + 1
        self._by_line = self._keys * stride + np.searchsorted(self._sorted_lines, self._lines, "right")
        # what a stream tells out of order must not break the search
        ranks = self._keys * stride + np.searchsorted(self._sorted_scale, self._scale, "right")
        self._by_scale = np.maximum.accumulate(ranks) if len(ranks) else ranks
        self._stride = stride

    def until_line(self, keys: Array, lines: Array) -> Array:
        """Return int64 (m,): how many, over all keys up to each, came at or before a line. Differences count within a key."""
        rank = np.searchsorted(self._sorted_lines, np.asarray(lines, np.int64), "right")
        return np.searchsorted(self._by_line, np.asarray(keys, np.int64) * self._stride + rank, "right")

    def until(self, keys: Array, moments: Array) -> Array:
        """Return the same for moments of the scale."""
        rank = np.searchsorted(self._sorted_scale, np.asarray(moments, np.int64), "right")
        return np.searchsorted(self._by_scale, np.asarray(keys, np.int64) * self._stride + rank, "right")

    def before(self, keys: Array, moments: Array) -> Array:
        """Return how many, over all keys up to each, came strictly before a moment of the scale."""
        return self.until(keys, np.asarray(moments, np.int64) - 1)

    def at(self, place: Array, keys: Array) -> Array:
        """Return the things (positions, -1 where there is none) at places of `until…`: 0 further is the next of its key."""
        known = (place >= 0) & (place < len(self._keys))
        safe = np.where(known, place, 0)
        if not len(self._keys):
            return np.full(len(place), -1, np.int64)
        return np.where(known & (self._keys[safe] == keys), self.order[safe], -1)
