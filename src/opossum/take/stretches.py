"""Stretches of time: how much of them lies before a moment, or within frames."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array


def covered_ns(starts: Array, ends: Array, moments: Array) -> Array:
    """Return int64 (n,): how many ns of the stretches (sorted, disjoint) lie before each moment (n,)."""
    if not len(starts) or not len(moments):
        return np.zeros(len(moments), np.int64)
    before = np.concatenate(([0], np.cumsum(ends - starts)))
    place = np.searchsorted(starts, moments, "right") - 1
    known = np.maximum(place, 0)
    inside = np.minimum(moments, ends[known]) - starts[known]
    return np.where(place >= 0, before[known] + inside, 0)


def overlap_ns(from_ns: Array, to_ns: Array, starts: Array, ends: Array) -> Array:
    """Return int64 (n,): how many ns of each [from, to) (n,) lie within the stretches (sorted, disjoint)."""
    return covered_ns(starts, ends, to_ns) - covered_ns(starts, ends, from_ns)
