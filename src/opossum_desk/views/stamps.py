"""Ready-made beads: each drawn once by Qt, then copied into the picture by NumPy, thousands at a time."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen

from opossum.stream.tables import Array
from opossum_desk.layout.bead import FADED_SIZE, BeadState, shape_of
from opossum_desk.views.look import Look

MOST_TEXTS = 1000
"""So many texts are kept; of more, only those that come next."""


class Stamps:
    """A sheet of beads for one look and device ratio; sizes come as they are asked for."""

    def __init__(self, look: Look, ratio: float) -> None:
        self.look = look
        self.ratio = ratio
        self._sheet: dict[tuple[str, int, float, bool, bool], Array] = {}

    def get(self, via: str, state: int, size: float, faded: bool, lit: bool) -> Array:
        """Return premultiplied ARGB pixels, uint32 (side, side), of one bead."""
        key = (via, state, round(size, 1), faded, lit)
        if key not in self._sheet:
            self._sheet[key] = self._drawn(*key)
        return self._sheet[key]

    def _drawn(self, via: str, state: int, size: float, faded: bool, lit: bool) -> Array:
        side = int(np.ceil((size + 8) * self.ratio)) | 1
        image = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(side / 2, side / 2)
        painter.scale(self.ratio, self.ratio)
        draw_bead(painter, QPointF(0, 0), size, via, state, self.look, faded, lit)
        painter.end()
        return _cropped(np.frombuffer(image.constBits(), np.uint32).reshape(side, side).copy())

    def press(self, canvas: Array, stamp: Array, x: Array, y: Array) -> None:
        """Copy a stamp into `canvas` (uint32, (height, width)) centred at device pixels x, y.

        Where stamps overlap, the more opaque pixel stays; all on one transparent ground, that is enough.
        """
        half = stamp.shape[0] // 2
        x, y = np.round(x).astype(np.int64), np.round(y).astype(np.int64)
        inside = (x >= half) & (x < canvas.shape[1] - half) & (y >= half) & (y < canvas.shape[0] - half)
        x, y = x[inside], y[inside]
        if not len(x):
            return
        down, across = np.nonzero(stamp)  # what is clear changes nothing
        places = (y * canvas.shape[1] + x)[:, None] + ((down - half) * canvas.shape[1] + across - half)
        # flat arrays of one type: NumPy is four times as quick with them here.  An assignment would not do: of places that
        # are assigned twice only the last counts, and its empty corner would cut its neighbour
        np.maximum.at(canvas.reshape(-1), places.ravel(), np.tile(stamp[down, across], len(x)))


class TextStamps:
    """Short texts of one font and colour, each drawn once by Qt: hundreds of numbers cost Qt more than all else in view."""

    def __init__(self, font: QFont, colour: QColor, ratio: float) -> None:
        self._font, self._colour = font, colour
        self.ratio = ratio
        self._metrics = QFontMetricsF(font)
        self._ascent = self._metrics.ascent()
        self._sheet: dict[str, Array] = {}

    def press(self, canvas: Array, text: str, x: Array, y: Array) -> None:
        """Write a text from each x (px) on with its foot at y into `canvas`, uint32 (height, width), where it has room.

        Of what is there, the more opaque pixel stays, as with beads.
        """
        if text not in self._sheet:
            if len(self._sheet) >= MOST_TEXTS:
                self._sheet.clear()
            self._sheet[text] = self._drawn(text)
        stamp = self._sheet[text]
        left, top = np.rint(x * self.ratio).astype(np.int64), np.rint((y - self._ascent) * self.ratio).astype(np.int64)
        inside = (
            (left >= 0) & (left <= canvas.shape[1] - stamp.shape[1]) & (top >= 0) & (top <= len(canvas) - len(stamp))
        )
        corners = (top * canvas.shape[1] + left)[inside]
        places = (
            corners[:, None] + np.add.outer(np.arange(len(stamp)) * canvas.shape[1], np.arange(stamp.shape[1])).ravel()
        )
        flat = canvas.reshape(-1)
        flat[places] = np.maximum(flat[places], stamp.ravel())

    def _drawn(self, text: str) -> Array:
        width = int(np.ceil((self._metrics.horizontalAdvance(text) + 1) * self.ratio))
        height = int(np.ceil(self._metrics.height() * self.ratio))
        image = QImage(width, height, QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(self.ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        painter.setFont(self._font)
        painter.setPen(self._colour)
        painter.drawText(QPointF(0, self._ascent), text)
        painter.end()
        return np.frombuffer(image.constBits(), np.uint32).reshape(height, width).copy()


def _cropped(stamp: Array) -> Array:
    """Return the stamp without its empty margin, still square, odd and centred: neighbours must not cut each other."""
    filled = np.argwhere(stamp != 0)
    if not len(filled):
        return stamp
    centre = stamp.shape[0] // 2
    reach = int(np.abs(filled - centre).max())
    return stamp[centre - reach : centre + reach + 1, centre - reach : centre + reach + 1]


def draw_bead(
    painter: QPainter,
    centre: QPointF,
    size: float,
    via: str,
    state: int,
    look: Look,
    faded: bool = False,
    lit: bool = False,
) -> None:
    """Draw one bead: filled if it did something, hollow and small if not, dotted if its owner was gone, twin if twice."""
    colour = look.via(via)
    if state in (BeadState.GONE, BeadState.TWIN):
        colour = QColor(look.colours.rose)
    if faded:
        colour, size = QColor(look.colours.faint), size * FADED_SIZE
    if lit:
        painter.setPen(QPen(QColor(look.colours.focus), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, size / 2 + 2.6, size / 2 + 2.6)
    pen = QPen(colour, 1.3)
    if state == BeadState.GONE:
        pen.setStyle(Qt.PenStyle.CustomDashLine)
        pen.setDashPattern([1.1, 1.5])
        pen.setWidthF(1.7)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        _shape(painter, centre, size, via)
    elif state == BeadState.TWIN:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        for side in (-1, 1):
            _shape(painter, centre + QPointF(side * size * 0.31, 0), size * 0.62, via)
    elif state == BeadState.IDLE:
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        _shape(painter, centre, size * 0.55, via)
    elif state == BeadState.UNKNOWN:
        painter.setPen(pen)
        half = QColor(colour)
        half.setAlpha(min(colour.alpha(), 110))
        painter.setBrush(half)
        _shape(painter, centre, size * 0.8, via)
    else:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        _shape(painter, centre, size * 0.92, via)


def _shape(painter: QPainter, centre: QPointF, size: float, via: str) -> None:
    shape = shape_of(via)
    if shape.corners:
        painter.drawPolygon([centre + QPointF(x, y) * size for x, y in shape.corners])
    else:
        painter.drawEllipse(centre, shape.half_axes[0] * size, shape.half_axes[1] * size)
