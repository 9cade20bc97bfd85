"""The line of frame numbers, or seconds, above a view on the shared axis."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from opossum_desk.layout.scale import axis_title
from opossum_desk.views.canvas import AxisCanvas


def paint_axis_header(
    view: AxisCanvas,
    painter: QPainter,
    grid: list[tuple[float, str]],
    height: float,
    covered: Sequence[QRectF] = (),
) -> None:
    """Draw the labels of `grid`, (x, label) each, in a strip of `height` px at the view's top.

    One that what comes over it would cover in part (`covered`) is left out: half a number is another number.
    """
    painter.fillRect(QRectF(0, 0, view.width(), height), view.colour("paper"))
    painter.setFont(view.small_font())
    painter.setPen(view.colour("quiet"))
    painter.drawText(QRectF(38, 0, 160, height), Qt.AlignmentFlag.AlignVCenter, axis_title(grid))
    for x, label in grid:
        half = painter.fontMetrics().horizontalAdvance(label) / 2 if covered else 0.0
        if any(box.left() < x + half and x - half < box.right() for box in covered):
            continue
        if view.label_px - 6 <= x <= view.width() - 16:
            view.kept.paint(
                painter,
                ("axis", label),
                view.small_font(),
                QRectF(x - 40, 2, 80, height - 4),
                partial(_write, view, label),
            )
    painter.setPen(view.colour("line"))
    painter.drawLine(QPointF(0, height), QPointF(view.width(), height))


def _write(view: AxisCanvas, label: str, painter: QPainter, box: QRectF) -> None:
    painter.setPen(view.colour("quiet"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)
