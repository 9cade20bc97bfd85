"""A part of a view that most movements leave as it is: painted once, and shown until something in it changes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QWidget


class Still:
    """Keeps the picture of the left part of `widget`."""

    def __init__(self, widget: QWidget) -> None:
        self._widget = widget
        self._image: QImage | None = None
        self._seen: object = None

    def forget(self) -> None:
        """Paint anew next time, whatever is seen: the look has changed."""
        self._image = None

    def show(
        self,
        painter: QPainter,
        size: tuple[float, float],
        seen: object,
        paper: QColor,
        paint: Callable[[QPainter], None],
    ) -> None:
        """Draw it on `size` px; `paint` is called where `seen`, all that it shows, is not what it was."""
        ratio = self._widget.devicePixelRatioF()
        seen = (seen, size, ratio)
        if self._image is None or seen != self._seen:
            image = QImage(int(size[0] * ratio), int(size[1] * ratio), QImage.Format.Format_RGB32)
            image.setDevicePixelRatio(ratio)
            image.fill(paper)
            within = QPainter(image)
            try:
                within.setRenderHint(QPainter.RenderHint.Antialiasing)
                within.setFont(self._widget.font())
                paint(within)
            finally:
                within.end()
            self._image, self._seen = image, seen
        painter.drawImage(QPointF(0, 0), self._image)
