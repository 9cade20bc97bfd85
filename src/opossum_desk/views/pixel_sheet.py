"""The pixels that a view presses into, and Qt's picture of them: made once a size, for new memory costs more than what is drawn."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QWidget

from opossum.stream.tables import Array


class PixelSheet:
    """Pixels of premultiplied ARGB as many as a view has on its device."""

    def __init__(self, view: QWidget) -> None:
        self._view = view
        self._pixels: Array = np.zeros((0, 0), np.uint32)
        self.image = QImage()
        """The pixels, as Qt knows them."""

    def cleared(self) -> Array:
        """Return them, (height, width), all clear: the same array again while the view keeps its size."""
        view, ratio = self._view, self._view.devicePixelRatioF()
        size = (int(view.height() * ratio), int(view.width() * ratio))
        if self._pixels.shape != size or self.image.devicePixelRatio() != ratio:
            self._pixels = np.zeros(size, np.uint32)
            self.image = image_of(self._pixels, ratio)
        else:
            self._pixels.fill(0)
        return self._pixels

    def paint(self, painter: QPainter, left: float, top: float) -> None:
        """Draw what lies right of `left` and below `top`, in px."""
        painter.save()
        painter.setClipRect(QRectF(left, top, self._view.width() - left, self._view.height() - top))
        painter.drawImage(QPointF(0, 0), self.image)
        painter.restore()


def image_of(pixels: Array, ratio: float) -> QImage:
    """Return pixels (height, width) of premultiplied ARGB as an image; whoever asks keeps the array as long as it is painted."""
    height, width = pixels.shape
    image = QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    return image


def premultiplied(colour: QColor, alpha: int) -> int:
    """Return a colour of this opacity (0 … 255) as a pixel of premultiplied ARGB."""
    return _premultiplied(colour.rgb(), alpha)


@lru_cache(maxsize=4096)
def _premultiplied(rgb: int, alpha: int) -> int:
    share = alpha / 255
    red, green, blue = (round((rgb >> shift & 255) * share) for shift in (16, 8, 0))
    return alpha << 24 | red << 16 | green << 8 | blue
