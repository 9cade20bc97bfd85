"""Pressing bars of a pixel's width into an image by NumPy."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.row_picture import PixelBars

LOW_BARS_PX = 8
"""Bars that are nowhere taller are pressed pixel by pixel: the stretch they stand in may be many times as tall."""


def press_bars(canvas: np.ndarray, bars: PixelBars, shade: np.uint32, ratio: float) -> None:
    """Press bars of one colour into a canvas, uint32 (height, width), over whatever is there."""
    left = round(bars.left * ratio)
    count = min(round(bars.tops.shape[-1] * ratio), canvas.shape[1] - left)
    if count <= 0 or left < 0:
        return
    tops, bottoms = (np.atleast_2d(_device_pixels(edges, count, ratio)) for edges in (bars.tops, bars.bottoms))
    tallest = int((bottoms - tops).max(initial=0))
    if 0 < tallest <= LOW_BARS_PX:
        _press_low(canvas, left, tops, bottoms, tallest, shade)
    elif tallest > 0:
        for own_tops, own_bottoms in zip(tops, bottoms, strict=True):
            _press_tall(canvas, left, own_tops, own_bottoms, shade)


def _press_low(canvas: np.ndarray, left: int, tops: Array, bottoms: Array, tallest: int, shade: np.uint32) -> None:
    """Press bars, (rows, pixels), that are nowhere taller than `tallest`: at the cost of their pixels, a line of all at a time."""
    height, width = canvas.shape
    if tops.min() < 0 or bottoms.max() > height:
        tops, bottoms = np.clip(tops, 0, height), np.clip(bottoms, 0, height)
    tall = (bottoms - tops).ravel()
    there = np.flatnonzero(tall > 0)
    tall = tall[there]
    places = tops.ravel()[there].astype(np.int64) * width + (there % tops.shape[1] + left)
    flat = canvas.reshape(-1)
    lowest = int(tall.min(initial=0))
    for line in range(tallest):
        if line >= lowest:
            places, tall = places[tall > line], tall[tall > line]
        flat[places] = shade
        places += width


def _press_tall(canvas: np.ndarray, left: int, tops: Array, bottoms: Array, shade: np.uint32) -> None:
    """Press one row of bars, (pixels,), at the cost of the stretch they stand in."""
    filled = bottoms > tops
    top = max(int(np.min(tops, where=filled, initial=canvas.shape[0])), 0)
    bottom = min(int(np.max(bottoms, where=filled, initial=0)), canvas.shape[0])
    if top < bottom:
        lines = np.arange(top, bottom, dtype=np.int16)[:, None]
        block = canvas[top:bottom, left : left + len(tops)]
        # all bits where a bar is, none where not: half the time of an assignment by a boolean mask
        mask = ((lines >= tops) & (lines < bottoms)).astype(np.uint32)
        np.negative(mask, out=mask)
        np.bitwise_and(block, ~mask, out=block)
        np.bitwise_or(block, mask & shade, out=block)


def _device_pixels(edges: Array, count: int, ratio: float) -> Array:
    """Return int16 (…, count): where edges (in px, one a px) lie in pixels of the device."""
    if ratio == 1.0:
        return np.rint(edges[..., :count]).astype(np.int16)
    return np.rint(edges[..., _sources(count, ratio, edges.shape[-1])] * ratio).astype(np.int16)


@lru_cache(maxsize=8)
def _sources(count: int, ratio: float, pixels: int) -> Array:
    """Return int64 (count,): which px each pixel of the device shows."""
    return np.minimum((np.arange(count) / ratio).astype(np.int64), pixels - 1)
