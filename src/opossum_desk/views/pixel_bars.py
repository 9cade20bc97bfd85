"""Pressing bars of a pixel's width into an image by NumPy."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.row_picture import PixelBars


def press_bars(canvas: np.ndarray, bars: PixelBars, shade: np.uint32, ratio: float) -> None:
    """Press bars of one colour into a canvas, uint32 (height, width), over whatever is there."""
    left = round(bars.left * ratio)
    count = min(round(len(bars.tops) * ratio), canvas.shape[1] - left)
    if count <= 0 or left < 0:
        return
    tops, bottoms = (_device_pixels(edges, count, ratio) for edges in (bars.tops, bars.bottoms))
    filled = bottoms > tops
    top = max(int(np.min(tops, where=filled, initial=canvas.shape[0])), 0)
    bottom = min(int(np.max(bottoms, where=filled, initial=0)), canvas.shape[0])
    if top < bottom:
        rows = np.arange(top, bottom, dtype=np.int16)[:, None]
        block = canvas[top:bottom, left : left + count]
        np.copyto(block, shade, where=(rows >= tops) & (rows < bottoms))


def _device_pixels(edges: Array, count: int, ratio: float) -> Array:
    """Return int16 (count,): where edges (in px, one a px) lie in pixels of the device."""
    if ratio == 1.0:
        return np.rint(edges[:count]).astype(np.int16)
    return np.rint(edges[_sources(count, ratio, len(edges))] * ratio).astype(np.int16)


@lru_cache(maxsize=8)
def _sources(count: int, ratio: float, pixels: int) -> Array:
    """Return int64 (count,): which px each pixel of the device shows."""
    return np.minimum((np.arange(count) / ratio).astype(np.int64), pixels - 1)
