"""Pressing flat arcs and dashed lines into an image by NumPy: hundreds of them cost Qt more than all else in view."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array

SHADES = 16
"""So many degrees of how far a pixel is covered are told apart."""
DASH_PX, GAP_PX = 5, 3
NARROW_PX = 1.5
"""An arc that is narrower, in pixels of the device, is an upright line."""


def press_arcs(canvas: np.ndarray, ends: Array, width: float, shades: Array, ratio: float, dashed: bool) -> None:
    """Press arcs, `ends` (n, 4): from x over a peak in the middle to x2, as x, foot, x2, peak in px, `width` px strong.

    `shades`: uint32 (SHADES + 1,), premultiplied, from clear to full.  Where they cross, the more opaque pixel stays.
    Cost: the pixels they cross from left to right, times how steep the steepest is.
    """
    x, foot, x2, peak = (np.asarray(ends, np.float64) * ratio).T
    narrow = x2 - x < NARROW_PX
    x, x2 = np.where(narrow, np.floor((x + x2) / 2), x), np.where(narrow, np.floor((x + x2) / 2) + 1, x2)
    arc, column = _columns(x, x2, canvas.shape[1])
    begin, end = (np.clip((at - x[arc]) / (x2 - x)[arc], 0.0, 1.0) for at in (column, column + 1))
    rise = 4 * (foot - peak)[arc]
    one, other = (foot[arc] - rise * share * (1 - share) for share in (begin, end))
    tops = np.where((begin < 0.5) & (end > 0.5), peak[arc], np.minimum(one, other))
    half = width * ratio / 2
    kept = _dashes(column - np.floor(x[arc]), ratio) if dashed else np.ones(len(arc), bool)
    _press(canvas, column[kept], (tops - half)[kept], (np.maximum(one, other) + half)[kept], shades)


def press_dashed(canvas: np.ndarray, ends: Array, width: float, shades: Array, ratio: float) -> None:
    """Press lying dashed lines, `ends` (n, 3): x, x2 and y in px, `width` px strong; else as `press_arcs`."""
    x, x2, y = (np.asarray(ends, np.float64) * ratio).T
    line, column = _columns(x, x2, canvas.shape[1])
    kept = _dashes(column - np.floor(x[line]), ratio)
    middle, half = y[line[kept]], width * ratio / 2
    _press(canvas, column[kept], middle - half, middle + half, shades)


def _columns(x: Array, x2: Array, width: int) -> tuple[Array, Array]:
    """Return (which, column) of each column of pixels that things from x to x2 cross within the canvas, at least one each."""
    left, right = np.floor(x).astype(np.int64), np.ceil(x2).astype(np.int64)
    left, right = np.clip(left, 0, width), np.clip(np.maximum(right, left + 1), 0, width)
    counts = right - left
    which = np.repeat(np.arange(len(x)), counts)
    return which, np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts) + left[which]


def _dashes(along: Array, ratio: float) -> Array:
    return along % ((DASH_PX + GAP_PX) * ratio) < DASH_PX * ratio


def _press(canvas: np.ndarray, column: Array, tops: Array, bottoms: Array, shades: Array) -> None:
    """Press an upright piece of each column, as far as it covers its pixels."""
    height, width = canvas.shape
    first = np.floor(tops).astype(np.int64)
    tall = np.ceil(bottoms).astype(np.int64) - first
    flat = canvas.reshape(-1)
    for line in range(int(tall.max(initial=0))):
        row = first + line
        there = np.flatnonzero((line < tall) & (row >= 0) & (row < height))
        row = row[there]
        cover = np.minimum(row + 1, bottoms[there]) - np.maximum(row, tops[there])
        places = row * width + column[there]
        flat[places] = np.maximum(flat[places], shades[(cover * SHADES).astype(np.int64)])
