"""Measuring a stretch of the axis."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.state.axis import Axis


class Measure(NamedTuple):
    """A stretch that was measured."""

    frames: int
    duration_ns: float
    calls: int


def measured(axis: Axis, call_columns: Array, low: float, high: float) -> Measure:
    """Measure from one axis position to another; `call_columns`: the column of each call. Linear in the calls."""
    low, high = min(low, high), max(low, high)
    first, last = axis.column_at(low), axis.column_at(high)
    times = np.interp([low, high], axis.edges, axis.starts_ns)
    calls = int(((call_columns >= first) & (call_columns <= last)).sum())
    return Measure(last - first + 1, float(times[1] - times[0]), calls)
