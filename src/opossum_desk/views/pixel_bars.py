"""Pressing bars of a pixel's width into an image by NumPy."""

from __future__ import annotations

import numpy as np

from opossum_desk.layout.row_picture import PixelBars


def press_bars(canvas: np.ndarray, bars: PixelBars, shade: np.uint32, ratio: float) -> None:
    """Press bars of one colour into a canvas, uint32 (height, width), over whatever is there."""
    left = round(bars.left * ratio)
    count = min(round(len(bars.tops) * ratio), canvas.shape[1] - left)
    if count <= 0 or left < 0:
        return
    index = np.minimum((np.arange(count) / ratio).astype(np.int64), len(bars.tops) - 1)
    tops, bottoms = (np.round(edges[index] * ratio) for edges in (bars.tops, bars.bottoms))
    filled = bottoms > tops
    if not filled.any():
        return
    top, bottom = max(int(tops[filled].min()), 0), min(int(bottoms[filled].max()), canvas.shape[0])
    rows = np.arange(top, bottom)[:, None]
    block = canvas[top:bottom, left : left + count]
    block[(rows >= tops) & (rows < bottoms)] = shade
