"""The names at the left of a view: written once, and shown until one of them changes, for panning changes none."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QImage, QPainter

from opossum_desk.views.canvas import AxisCanvas
from opossum_desk.views.foreign_painter import ForeignPainter


class LabelColumn:
    """Keeps what is written left of a view's rows, as wide as its labels."""

    def __init__(self, view: AxisCanvas) -> None:
        self._view = view
        self._image: QImage | None = None
        self._seen: object = None

    def forget(self) -> None:
        """Write anew next time, whatever is seen: the look has changed, or the take."""
        self._image = None

    def paint(self, painter: QPainter, top: float, seen: object, write: Callable[[QPainter], None]) -> None:
        """Show it from `top` down; `write` is called where `seen`, all that it shows, is not what it was."""
        view = self._view
        width, height, ratio = view.label_px - 5, view.height(), view.devicePixelRatioF()
        seen = (seen, width, height, ratio)
        if self._image is None or seen != self._seen:
            self._image, self._seen = self._written(width, height, ratio, top, write), seen
        painter.save()
        painter.setClipRect(QRectF(0, top, width, height))
        painter.drawImage(QPointF(0, 0), self._image)
        painter.restore()

    def _written(
        self, width: float, height: float, ratio: float, top: float, write: Callable[[QPainter], None]
    ) -> QImage:
        view = self._view
        image = QImage(round(width * ratio), round(height * ratio), QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(ratio)
        image.fill(view.colour("paper"))
        painter = ForeignPainter(image)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setFont(view.font())
            write(painter)
            painter.setPen(view.colour("line"))
            painter.drawLine(QPointF(width - 1, top), QPointF(width - 1, height))
        finally:
            painter.end()
        return image
