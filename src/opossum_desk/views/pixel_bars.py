"""Pressing bars of a pixel's width, and boxes, into an image by NumPy."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum_desk.layout.row_picture import PixelBars

SCATTERED_COST = 5
"""A pixel that is written alone costs as much as so many of a block that is written whole."""
MOST_NARROW_PX = 6
"""Boxes up to so many pixels wide are pressed many at once."""
LOW_BARS_PX = 8
"""Bars that are nowhere taller may be written pixel by pixel: a line of all of them at a time."""


def press_boxes(canvas: np.ndarray, boxes: Array, shade: np.uint32, ratio: float) -> None:
    """Press boxes (n, 4), x, y, width and height in px, into a canvas, sharp and at least a pixel wide and tall.

    Narrow ones of one size are pressed at once, others one by one.
    """
    if not len(boxes):
        return
    height, width = canvas.shape
    x, y, across, down = boxes.T
    lefts, tops = np.rint(x * ratio), np.rint(y * ratio)
    rights = np.maximum(np.rint((x + across) * ratio), lefts + 1)
    bottoms = tops + np.maximum(np.rint(down * ratio), 1)
    # what is negative would count from the far end
    edges = np.array((tops, bottoms, lefts, rights)).clip(0, [[height], [height], [width], [width]]).astype(np.int64)
    wide, tall = edges[3] - edges[2], edges[1] - edges[0]
    narrow = (wide <= MOST_NARROW_PX) & (wide > 0) & (tall > 0)
    if narrow.any():
        corners, sizes = edges[0] * width + edges[2], wide * (height + 1) + tall
        for size in distinct(sizes[narrow]).tolist():
            columns, lines = divmod(size, height + 1)
            within = np.add.outer(np.arange(lines) * width, np.arange(columns)).ravel()
            canvas.reshape(-1)[corners[narrow & (sizes == size)][:, None] + within] = shade
    for top, bottom, left, right in edges[:, ~narrow].T.tolist():
        canvas[top:bottom, left:right] = shade


def press_bars(canvas: np.ndarray, bars: PixelBars, shade: np.uint32, ratio: float) -> None:
    """Press bars of one colour into a canvas, uint32 (height, width), over whatever is there.

    Low ones that are few, or stand anywhere, are written pixel by pixel; others all rows at once, where rows do not share
    lines of the canvas, or row by row.
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
    highest, lowest = _stretches(tops, bottoms, tall > 0, len(canvas))
    there = highest < lowest
    if not there.any():
        return
    if not there.all():
        tops, bottoms, tall, highest, lowest = (part[there] for part in (tops, bottoms, tall, highest, lowest))
    longest = int((lowest - highest).max())
    highest = np.minimum(highest, len(canvas) - longest)  # no stretch reaches beyond the canvas
    in_order = np.sort(highest)
    at_once = bool((in_order[1:] - in_order[:-1] >= longest).all())
    if tallest <= LOW_BARS_PX and not (at_once and tall.size * longest <= _pixels_of(tall) * SCATTERED_COST):
        _press_scattered(canvas, left, tops, tall, tallest, shade)
    elif at_once:
        _press_block(canvas, left, tops, bottoms, highest[:, None] + np.arange(longest), shade)
    else:
        for row, (top, bottom) in enumerate(zip(highest.tolist(), lowest.tolist(), strict=True)):
            own = slice(row, row + 1)
            _press_block(canvas, left, tops[own], bottoms[own], np.arange(top, bottom)[None, :], shade)


def _stretches(tops: Array, bottoms: Array, filled: Array, height: int) -> tuple[Array, Array]:
    """Return int64 (rows,), (rows,): from which line of so many to which each row's bars stand; the other way round: nowhere."""
    highest = np.where(filled, tops, height).min(axis=1)
    lowest = np.where(filled, bottoms, 0).max(axis=1)
    return np.maximum(highest, 0).astype(np.int64), np.minimum(lowest, height).astype(np.int64)


def _pixels_of(tall: Array) -> int:
    return int(np.maximum(tall, 0).sum(dtype=np.int64))


def _press_scattered(canvas: np.ndarray, left: int, tops: Array, tall: Array, tallest: int, shade: np.uint32) -> None:
    """Press bars, (rows, pixels), that are nowhere taller than `tallest`: at the cost of their pixels, a line of all at a time."""
    height, width = canvas.shape
    if tops.min() < 0 or (tops + tall).max() > height:
        bottoms = np.minimum(np.maximum(tops + tall, 0), height)
        tops = np.minimum(np.maximum(tops, 0), height)
        tall = bottoms - tops
    there = tall > 0
    places = (tops.astype(np.int64) * width + np.arange(left, left + tops.shape[1]))[there]
    tall = tall[there]
    flat = canvas.reshape(-1)
    least = int(tall.min(initial=0))
    for line in range(tallest):
        if line >= least:
            places, tall = places[tall > line], tall[tall > line]
        flat[places] = shade
        places += width


def _press_block(canvas: np.ndarray, left: int, tops: Array, bottoms: Array, lines: Array, shade: np.uint32) -> None:
    """Press bars, (rows, pixels), into lines of the canvas, (rows, lines), of which none is given twice: at the cost of all."""
    across = slice(left, left + tops.shape[1])
    heights = lines.astype(np.int16)[:, :, None]
    where = heights >= tops[:, None, :]
    where &= heights < bottoms[:, None, :]
    block = canvas[lines, across]
    # which bits the shade changes where it is wanted: a quarter of the cost of assigning by a boolean mask
    change = block ^ shade
    change *= where
    change ^= block
    canvas[lines, across] = change


def _device_pixels(edges: Array, count: int, ratio: float) -> Array:
    """Return int16 (…, count): where edges (in px, one a px) lie in pixels of the device."""
    if ratio == 1.0:
        return np.rint(edges[..., :count]).astype(np.int16)
    return np.rint(edges[..., _sources(count, ratio, edges.shape[-1])] * ratio).astype(np.int16)


@lru_cache(maxsize=8)
def _sources(count: int, ratio: float, pixels: int) -> Array:
    """Return int64 (count,): which px each pixel of the device shows."""
    return np.minimum((np.arange(count) / ratio).astype(np.int64), pixels - 1)
