"""Drawing by Qt what a strand has few of: rings, gaps, crowds and texts."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from opossum_desk.flow.layout.strand_marks import VIA_OF_KIND
from opossum_desk.flow.layout.strokes import Stroke
from opossum_desk.views.canvas import AxisCanvas

LEAST_NAME_PX = 30.0
"""A name is not written into less room."""
ROLE_OF_STATE = {"wrong": "rose", "quiet": "quiet"}
"""What has such a state is drawn in that colour, and not in that of its kind."""


def role_of(kind: str, state: str, faded: bool) -> str:
    """Return the role of the colour of a kind of strand in a state."""
    return ROLE_OF_STATE.get(state) or ("faint" if faded else f"via:{VIA_OF_KIND[kind]}")


def paint_stroke(view: AxisCanvas, painter: QPainter, stroke: Stroke, role: str) -> None:
    """Draw one thing of a strand that is not pressed: few of them are seen at once."""
    colour = view.role_colour(role)
    left, right = max(stroke.x, -50.0), min(stroke.x2, view.width() + 50.0)
    painter.setPen(QPen(colour, 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = (stroke.y + stroke.y2) / 2
    if stroke.shape == "gap":
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(left, stroke.y), QPointF(right, stroke.y))
    elif stroke.shape == "ring":
        painter.drawEllipse(QPointF(stroke.x2, stroke.y), 3.2, 3.2)
    elif stroke.shape == "name":
        painter.setFont(view.small_font(2))
        painter.setPen(view.colour("quiet"))
        start = max(left, view.label_px)
        box = QRectF(start + 5, stroke.y, right - start - 8, stroke.y2 - stroke.y)
        if box.width() > LEAST_NAME_PX:
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, stroke.text)
    elif stroke.shape == "crowd":
        wash = QColor(colour)
        wash.setAlpha(60)
        painter.fillRect(QRectF(left, middle - 5, right - left, 10), wash)
        painter.drawRect(QRectF(left, middle - 5, right - left, 10))
        painter.setPen(view.colour("quiet"))
        painter.drawText(QPointF(max(left, view.label_px) + 6, middle + 4), stroke.text)
    elif stroke.shape == "tick":
        painter.drawLine(QPointF(stroke.x, stroke.y), QPointF(stroke.x, stroke.y2))
    elif stroke.shape == "number":
        painter.setFont(view.small_font(2, bold=True))
        width = painter.fontMetrics().horizontalAdvance(stroke.text) + 4.0
        box = QRectF(min(stroke.x, view.width() - width), stroke.y, width, stroke.y2 - stroke.y)  # whole, however long
        painter.fillRect(box, view.colour("paper"))
        painter.setPen(view.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, stroke.text)
    elif stroke.shape == "text":
        painter.setFont(view.small_font(2))
        painter.drawText(
            QRectF(stroke.x, stroke.y, 160, stroke.y2 - stroke.y), Qt.AlignmentFlag.AlignVCenter, stroke.text
        )
