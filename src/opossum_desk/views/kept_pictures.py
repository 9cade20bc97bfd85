"""Small pictures that come again at other places while one pans: each is drawn once, for Qt takes long to write a text."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QImage, QPainter
from PySide6.QtWidgets import QWidget

from opossum_desk.views.foreign_painter import ForeignPainter

MOST_KEPT = 1000
"""So many are kept; of more, only those that come next."""


class KeptPictures:
    """What was drawn for one view, by all that it looks by."""

    def __init__(self, view: QWidget) -> None:
        self._view = view
        self._kept: dict[Hashable, QImage] = {}

    def __len__(self) -> int:
        return len(self._kept)

    def forget(self) -> None:
        """Draw anew: the look has changed."""
        self._kept.clear()

    def paint(
        self, painter: QPainter, looks: Hashable, font: QFont, box: QRectF, draw: Callable[[QPainter, QRectF], None]
    ) -> None:
        """Show in a box, moved to whole pixels, what `draw` draws in one of its size; `looks`: all that it depends on but the font."""
        ratio = self._view.devicePixelRatioF()
        width, height = round(box.width() * ratio), round(box.height() * ratio)
        key = (looks, font.family(), font.pixelSize(), font.bold(), width, height, ratio)
        image = self._kept.get(key)
        if image is None:
            if len(self._kept) >= MOST_KEPT:
                self._kept.clear()
            image = self._kept[key] = self._drawn(width, height, ratio, font, draw)
        painter.drawImage(QPointF(round(box.left() * ratio) / ratio, round(box.top() * ratio) / ratio), image)

    def _drawn(
        self, width: int, height: int, ratio: float, font: QFont, draw: Callable[[QPainter, QRectF], None]
    ) -> QImage:
        image = QImage(width, height, QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = ForeignPainter(image)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setFont(font)
            draw(painter, QRectF(0, 0, width / ratio, height / ratio))
        finally:
            painter.end()
        return image
