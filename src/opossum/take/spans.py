"""How many of many spans of lines, each under a key, are open at a line: asked for many keys and lines at once."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.indexes.objects import NEVER


class LineSpans:
    """Spans from a line to a line, gathered by a key. Building costs one sort, asking a binary search."""

    def __init__(self, keys: Array, begins: Array, ends: Array) -> None:
        """Gather spans (n,) by `keys`; a span is open after its begin up to its end (`NEVER`: it stays open)."""
        keys, begins, ends = (np.asarray(values, np.int64) for values in (keys, begins, ends))
        self._known = np.unique(keys)
        known_ends = ends[ends != NEVER]
        self._stride = 4 + int(max(np.max(begins, initial=0), np.max(known_ends, initial=0)))
        place = np.searchsorted(self._known, keys)
        begin_order = np.argsort(place * self._stride + begins, kind="stable")
        self._begins = (place * self._stride + begins)[begin_order]
        self._begin_rows = begin_order
        self._ends = np.sort(place * self._stride + np.minimum(ends, self._stride - 2))
        self._by_key = Groups(place, len(self._known))
        self._begin_of, self._end_of = begins, ends

    def open_at(self, keys: Array, lines: Array) -> Array:
        """Return int64 (n,): how many spans of each key are open at each line."""
        keys = np.asarray(keys, np.int64)
        if not len(self._known):
            return np.zeros(len(keys), np.int64)
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        # a line beyond every begin and known end is all the same; spans that stay open end behind it
        at = place * self._stride + np.minimum(np.asarray(lines, np.int64), self._stride - 3)
        count = np.searchsorted(self._begins, at, "left") - np.searchsorted(self._ends, at, "left")
        return np.where(self._known[place] == keys, count, 0)

    def begun_before(self, keys: Array, lines: Array) -> Array:
        """Return int64 (n,): how many spans of each key began before each line."""
        keys = np.asarray(keys, np.int64)
        if not len(self._known):
            return np.zeros(len(keys), np.int64)
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        base = place * self._stride
        at = base + np.minimum(np.asarray(lines, np.int64), self._stride - 3)
        count = np.searchsorted(self._begins, at, "left") - np.searchsorted(self._begins, base, "left")
        return np.where(self._known[place] == keys, count, 0)

    def next_begun(self, keys: Array, lines: Array) -> Array:
        """Return int64 (n,): the first span (row) of each key that begins after each line, -1 where none does."""
        keys = np.asarray(keys, np.int64)
        if not len(self._known):
            return np.full(len(keys), -1, np.int64)
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        at = place * self._stride + np.minimum(np.asarray(lines, np.int64), self._stride - 3)
        found = np.minimum(np.searchsorted(self._begins, at, "right"), len(self._begins) - 1)
        hit = (self._known[place] == keys) & (self._begins[found] > at) & (self._begins[found] // self._stride == place)
        return np.where(hit, self._begin_rows[found], -1)

    def last_begun(self, keys: Array, lines: Array) -> Array:
        """Return int64 (n,): the last span (row) of each key that began before each line, -1 where none did."""
        keys = np.asarray(keys, np.int64)
        if not len(self._known):
            return np.full(len(keys), -1, np.int64)
        place = np.minimum(np.searchsorted(self._known, keys), len(self._known) - 1)
        at = place * self._stride + np.minimum(np.asarray(lines, np.int64), self._stride - 3)
        found = np.searchsorted(self._begins, at, "left") - 1
        begun = self._begins[np.maximum(found, 0)]
        hit = (found >= 0) & (self._known[place] == keys) & (begun // self._stride == place)
        return np.where(hit, self._begin_rows[np.maximum(found, 0)], -1)

    def rows(self, key: int) -> Array:
        """Return the spans (rows) of one key, ascending."""
        place = int(np.searchsorted(self._known, key))
        found = place < len(self._known) and int(self._known[place]) == key
        return self._by_key.rows(place) if found else self._by_key.order[:0]

    def open_rows(self, key: int, line: int) -> Array:
        """Return the spans (rows) of one key that are open at a line, ascending."""
        rows = self.rows(key)
        return rows[(self._begin_of[rows] < line) & (self._end_of[rows] >= line)]
