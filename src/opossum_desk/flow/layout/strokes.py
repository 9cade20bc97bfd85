"""The strokes that strands are drawn of: single ones, and many of one look at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array


class Stroke(NamedTuple):
    """One thing to draw: `shape` says how; from x to x2 at height y (y2 where it has two); `text` beside it.

    `state`: ``ok``, ``wrong`` (rose), ``open`` (hollow) or ``quiet``.
    """

    shape: str
    x: float
    y: float
    x2: float
    y2: float
    state: str = "ok"
    text: str = ""
    kind: str = ""


class StrokeRun(NamedTuple):
    """Many strokes of one strand, shape and state: `ends` (n, 4) are x, y, x2, y2 in px; `sends` (n,): rows of the sends they stand for (-1: none), or empty."""

    shape: str
    ends: Array
    kind: str
    state: str = "ok"
    sends: Array = np.zeros(0, np.int64)
