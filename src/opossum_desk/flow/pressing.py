"""Pressing the Loom's beads into one image by NumPy: one by one where there is room, as bars by number where there is not."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum_desk.flow.layout.beads import Beads
from opossum_desk.flow.layout.loom import Density, LoomPicture
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_sheet import premultiplied
from opossum_desk.views.stamps import Stamps, TextStamps

REACH_PX = 7.0
"""No mark of many calls reaches further from the middle of its row."""
COUNTS_FROM_PX, MOST_COUNTS = 26.0, 300
"""How many calls a bead carries is written from this width of a frame on, at most so often."""
LOW = 0.45
"""So tall, of what it would be, is a mark of calls that ran for nothing or do not pass the sieve."""


def press_beads(
    picture: LoomPicture, beads: Beads, session: Session, stamps: Stamps, label_px: float, canvas: Array
) -> None:
    """Press each visible bead into the canvas, uint32 (height, width) of premultiplied ARGB at `stamps.ratio` pixels a px."""
    ratio = stamps.ratio
    tops = np.array([line.top for line in picture.lines]) + picture.heights.row / 2
    y = tops[beads.line]
    _press_stretches(picture, beads, session, stamps, canvas, y)
    visible = (y > picture.heights.header) & (beads.x > label_px - 4)
    key = ((beads.via + 1) * 8 + beads.state) * 4 + beads.faded * 2 + beads.lit
    for value in distinct(key[visible]).tolist():
        mine = np.flatnonzero(visible & (key == value))
        via = session.take.text(value // 32 - 1) or "direct"
        stamp = stamps.get(via, value // 4 % 8, picture.bead_px, bool(value & 2), bool(value & 1))
        stamps.press(canvas, stamp, beads.x[mine] * ratio, y[mine] * ratio)


def press_counts(picture: LoomPicture, beads: Beads, stamps: TextStamps, canvas: Array) -> None:
    """Press how many calls a folded bead carries beside it, where there is room and no name says it."""
    if picture.names or picture.bead_px < 9 or picture.scale.per_unit < COUNTS_FROM_PX:
        return
    middles = np.array([line.top for line in picture.lines]) + picture.heights.row / 2
    several = np.flatnonzero((beads.count > 1) & (middles[beads.line] > picture.heights.header + 6))[:MOST_COUNTS]
    xs, ys = beads.x[several] + picture.bead_px / 2 + 1, middles[beads.line[several]] + 4
    counts = beads.count[several]
    for count in distinct(counts).tolist():
        mine = counts == count
        stamps.press(canvas, str(count), xs[mine], ys[mine])


def _press_stretches(
    picture: LoomPicture, beads: Beads, session: Session, stamps: Stamps, canvas: Array, y: Array
) -> None:
    """Press what was dear as wide as it took."""
    ratio = stamps.ratio
    dear = np.flatnonzero((beads.stretch > 1) & (y > picture.heights.header))
    half = max(1, round(picture.bead_px * 0.23 * ratio))
    for index in dear.tolist():
        colour = stamps.look.via(session.take.text(int(beads.via[index])))
        value = premultiplied(colour, 70 if beads.faded[index] else 200)
        middle = round(y[index] * ratio)
        left, right = max(0, int(beads.x[index] * ratio)), int((beads.x[index] + beads.stretch[index]) * ratio)
        canvas[max(0, middle - half) : middle + half + 1, left:right] = value


def press_density(
    picture: LoomPicture, density: Density, session: Session, look: Look, canvas: Array, ratio: float
) -> None:
    """Draw per pixel column a bar as tall as calls are many (by logarithm); rare faults in full height and rose."""
    rows, columns = density.calls.shape
    if not rows:
        return
    left = int(density.left * ratio)
    room = min(int(columns * ratio), canvas.shape[1] - left)
    # which px each pixel of the device shows; a slice where they are the same, for it copies nothing
    source = slice(room) if ratio == 1.0 else np.minimum((np.arange(room) / ratio).astype(np.int64), columns - 1)
    calls = density.calls[:, source]
    low = calls <= density.wasted[:, source]
    vias = [look.via(session.take.text(int(via))) for via in density.via]
    colours = np.array([premultiplied(via, 255) for via in vias], np.uint32)
    pixel = np.broadcast_to(colours[:, None], calls.shape)
    if session.sieve.active:
        faded = (density.matched == 0)[:, source]
        low |= faded
        pixel = np.where(faded, np.uint32(premultiplied(QColor(look.colours.faint), 255)), pixel)
    # what ran for nothing, and what the sieve does not let through, is low: it needs no paler colour to be told
    tall = _sixteenths(calls, low)
    # a lone call is given a second pixel, so that it is seen
    lone = (tall[:, 1:] < 0) & (tall[:, :-1] >= 0)
    np.copyto(tall[:, 1:], tall[:, :-1].copy(), where=lone)
    if session.sieve.active:
        np.copyto(pixel[:, 1:], pixel[:, :-1].copy(), where=lone)
    rose = premultiplied(QColor(look.colours.rose), 255)
    wrong, gone = (_two_wide(flags, source) for flags in (density.twin, density.gone))
    offsets = np.arange(int(picture.heights.row * ratio)) / ratio - picture.heights.row / 2
    offsets = offsets[np.abs(offsets) <= REACH_PX]
    thresholds = (np.abs(offsets) * 32).astype(np.int16)[:, None]
    dotted = np.where(((offsets + 20).astype(np.int64) % 4 < 2)[:, None], np.uint32(rose), np.uint32(0))
    apart = np.where((np.abs(offsets) >= 1)[:, None], np.uint32(rose), np.uint32(0))  # a twin is two marks
    header = int(picture.heights.header * ratio)
    for row, line in enumerate(picture.lines):
        begin = round((line.top + picture.heights.row / 2 + float(offsets[0])) * ratio)
        first, stop = max(begin, header), min(begin + len(offsets), len(canvas))
        if first >= stop:
            continue
        # row by row, straight into the canvas: a sixth of what all rows in an array of their own would cost
        seen, target = slice(first - begin, stop - begin), canvas[first:stop, left : left + room]
        np.multiply(tall[row] >= thresholds[seen], pixel[row], out=target)
        if row in gone:
            np.copyto(target, dotted[seen], where=gone[row])
        if row in wrong:  # over what is of one that is gone
            np.copyto(target, apart[seen], where=wrong[row])


def _sixteenths(calls: Array, low: Array) -> Array:
    """Return int16, as `calls`: how tall their bars are in sixteenths of a px, those where `low` lower; -1 where no call is.

    Narrow, for they are compared for each line of pixels; by a table, where that is shorter than what is asked.
    """
    most = max(8, int(calls.max(initial=0)))
    by_table = most < calls.size
    counts = np.arange(most + 1) if by_table else calls
    tall = (4.5 + 7.5 * np.log1p(counts) / np.log1p(most)) * 16
    full, lower = (np.where(counts > 0, tall * share, -1).astype(np.int16) for share in (1.0, LOW))
    return np.where(low, lower[calls], full[calls]) if by_table else np.where(low, lower, full)


def _two_wide(flags: Array, source: slice | Array) -> dict[int, Array]:
    """Return by row, where any is set, where its flags are: two pixels wide at any zoom, for what is rare and wrong is never lost."""
    found = {}
    for row in np.flatnonzero(flags.any(1)).tolist():
        own = (flags[row] > 0)[source]
        own[1:] |= own[:-1].copy()
        found[row] = own
    return found
