"""Pressing bars of a pixel's width into an image by NumPy."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.row_picture import PixelBars

SCATTERED_COST = 8
"""A pixel that is written alone costs as much as so many of a stretch that is written whole."""
LOW_BARS_PX = 8
"""Bars that are nowhere taller may be written pixel by pixel: a line of all of them at a time."""

LINES_A_ROW = 3
"""So many lines over all rows cost as much as setting out to write one row."""


def press_bars(canvas: np.ndarray, bars: PixelBars, shade: np.uint32, ratio: float) -> None:
    """Press bars of one colour into a canvas, uint32 (height, width), over whatever is there.

    Low ones that are few, or stand anywhere, are written pixel by pixel; those that stand on a line a line of all rows at a
    time; others row by row.
    """
    left = round(bars.left * ratio)
    count = min(round(bars.tops.shape[-1] * ratio), canvas.shape[1] - left)
    if count <= 0 or left < 0:
        return
    tops, bottoms = (np.atleast_2d(_device_pixels(edges, count, ratio)) for edges in (bars.tops, bars.bottoms))
    tall = bottoms - tops
    tallest = int(tall.max(initial=0))
    if tallest <= 0:
        return
    stands = tallest < len(tops) * LINES_A_ROW and _each_on_a_line_of_its_own(bottoms)
    few = not stands or int(tall.sum(dtype=np.int64)) * SCATTERED_COST < tall.size * tallest
    if tallest <= LOW_BARS_PX and few:
        _press_scattered(canvas, left, tops, tall, tallest, shade)
    elif stands:
        _press_standing(canvas, left, bottoms[:, 0], tall, tallest, shade)
    else:
        for own_tops, own_bottoms in zip(tops, bottoms, strict=True):
            _press_row(canvas, left, own_tops, own_bottoms, shade)


def _press_scattered(canvas: np.ndarray, left: int, tops: Array, tall: Array, tallest: int, shade: np.uint32) -> None:
    """Press bars, (rows, pixels), that are nowhere taller than `tallest`: at the cost of their pixels, a line of all at a time."""
    height, width = canvas.shape
    if tops.min() < 0 or (tops + tall).max() > height:
        bottoms = np.minimum(np.maximum(tops + tall, 0), height)
        tops = np.minimum(np.maximum(tops, 0), height)
        tall = bottoms - tops
    there = np.flatnonzero(tall > 0)
    tall = tall.ravel()[there]
    places = tops.ravel()[there].astype(np.int64) * width + (there % tops.shape[1] + left)
    flat = canvas.reshape(-1)
    lowest = int(tall.min(initial=0))
    for line in range(tallest):
        if line >= lowest:
            places, tall = places[tall > line], tall[tall > line]
        flat[places] = shade
        places += width


def _press_standing(canvas: np.ndarray, left: int, bases: Array, tall: Array, tallest: int, shade: np.uint32) -> None:
    """Press bars so `tall`, (rows, pixels), that stand on a line each row: at the cost of rows × pixels × `tallest`."""
    across = slice(left, left + tall.shape[1])
    for above in range(tallest):
        lines = bases.astype(np.int64) - 1 - above
        seen = (lines >= 0) & (lines < len(canvas))
        reach = tall
        if not seen.all():
            lines, reach = lines[seen], tall[seen]
        canvas[lines, across] = _laid_over(canvas[lines, across], reach > above, shade)


def _each_on_a_line_of_its_own(bottoms: Array) -> bool:
    return bool((bottoms == bottoms[:, :1]).all()) and len(set(bottoms[:, 0].tolist())) == len(bottoms)


def _press_row(canvas: np.ndarray, left: int, tops: Array, bottoms: Array, shade: np.uint32) -> None:
    """Press one row of bars, (pixels,), at the cost of the stretch they stand in."""
    filled = bottoms > tops
    top = max(int(np.min(tops, where=filled, initial=canvas.shape[0])), 0)
    bottom = min(int(np.max(bottoms, where=filled, initial=0)), canvas.shape[0])
    if top < bottom:
        lines = np.arange(top, bottom, dtype=np.int16)[:, None]
        block = canvas[top:bottom, left : left + len(tops)]
        block[:] = _laid_over(block, (lines >= tops) & (lines < bottoms), shade)


def _laid_over(block: np.ndarray, where: np.ndarray, shade: np.uint32) -> np.ndarray:
    """Return a block with a shade where it is wanted: by bits, in half the time of an assignment by a boolean mask."""
    mask = where.astype(np.uint32)
    np.negative(mask, out=mask)  # all bits where it is wanted, none where not
    kept = ~mask
    kept &= block
    mask &= shade
    kept |= mask
    return kept


def _device_pixels(edges: Array, count: int, ratio: float) -> Array:
    """Return int16 (…, count): where edges (in px, one a px) lie in pixels of the device."""
    if ratio == 1.0:
        return np.rint(edges[..., :count]).astype(np.int16)
    return np.rint(edges[..., _sources(count, ratio, edges.shape[-1])] * ratio).astype(np.int16)


@lru_cache(maxsize=8)
def _sources(count: int, ratio: float, pixels: int) -> Array:
    """Return int64 (count,): which px each pixel of the device shows."""
    return np.minimum((np.arange(count) / ratio).astype(np.int64), pixels - 1)
