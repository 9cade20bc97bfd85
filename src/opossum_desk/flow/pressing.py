"""Pressing the Loom's beads into one image by NumPy: one by one where there is room, as bars by number where there is not."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum_desk.flow.layout.beads import Beads
from opossum_desk.flow.layout.loom import Density, LoomPicture
from opossum_desk.state.session import Session
from opossum_desk.views.canvas import premultiplied
from opossum_desk.views.look import Look
from opossum_desk.views.stamps import Stamps

REACH_PX = 7.0
"""No mark of many calls reaches further from the middle of its row."""
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
    source = np.minimum((np.arange(room) / ratio).astype(np.int64), columns - 1)
    most = max(1, int(density.calls.max()))
    tall = np.where(density.calls > 0, 4.5 + 7.5 * np.log1p(density.calls) / np.log1p(max(most, 8)), 0.0)[:, source]
    did = (density.calls > density.wasted)[:, source]
    faded = (density.matched == 0)[:, source] & session.sieve.active
    vias = [look.via(session.take.text(int(via))) for via in density.via]
    colours = np.array([premultiplied(via, 255) for via in vias], np.uint32)
    faint = np.uint32(premultiplied(QColor(look.colours.faint), 255))
    # a lone call is given a second pixel, so that it is seen
    lone = (tall[:, 1:] == 0) & (tall[:, :-1] > 0)
    tall[:, 1:] = np.where(lone, tall[:, :-1], tall[:, 1:])
    did[:, 1:] |= lone & did[:, :-1]
    faded[:, 1:] = np.where(lone, faded[:, :-1], faded[:, 1:])
    # what ran for nothing, and what the sieve does not let through, is low: it needs no paler colour to be told
    tall = np.where(faded | ~did, tall * LOW, tall)
    pixel = np.where(faded, faint, colours[:, None])
    rose = premultiplied(QColor(look.colours.rose), 255)
    wrong = (density.twin > 0)[:, source]
    gone = (density.gone > 0)[:, source]
    for fault in (wrong, gone):
        fault[:, 1:] |= fault[:, :-1]  # two pixels wide at any zoom: what is rare and wrong is never lost
    gone &= ~wrong
    # narrow, for they are compared for each line of pixels; where no call is, nothing is drawn, not even in the middle
    sixteenths = np.where(tall > 0, tall * 16, -1).astype(np.int16)
    has_gone, has_wrong = bool(gone.any()), bool(wrong.any())
    tops = np.array([line.top for line in picture.lines])
    for step in range(int(picture.heights.row * ratio)):
        offset = step / ratio - picture.heights.row / 2
        if abs(offset) > REACH_PX:
            continue
        rows = np.round((tops + picture.heights.row / 2 + offset) * ratio).astype(np.int64)
        valid = np.flatnonzero((rows >= int(picture.heights.header * ratio)) & (rows < canvas.shape[0]))
        if not len(valid):
            continue
        mine = slice(None) if len(valid) == len(tops) else valid
        drawn = np.where(sixteenths[mine] >= abs(offset) * 32, pixel[mine], np.uint32(0))
        dotted = int(offset + 20) % 4 < 2
        if has_gone:
            drawn = np.where(gone[mine], rose if dotted else 0, drawn)
        if has_wrong:  # a twin is two marks, one above the other
            drawn = np.where(wrong[mine], rose if abs(offset) >= 1 else 0, drawn)
        canvas[rows[valid], left : left + room] = drawn
