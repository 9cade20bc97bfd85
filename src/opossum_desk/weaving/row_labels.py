"""The names of a weave's rows, at its left, with what is to be said of each below it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter

from opossum_desk.layout.row_picture import Label
from opossum_desk.views.canvas import AxisCanvas, text_cutter
from opossum_desk.views.label_column import LabelColumn

FOLD_PX = 16.0
LABEL_LEFT_PX = 12.0
LEAST_LABEL_PX, MOST_LABEL_SHARE = 180.0, 0.42


class RowLabels:
    """Writes the labels of a view of rows."""

    def __init__(self, view: AxisCanvas) -> None:
        self._view = view
        self._column = LabelColumn(view)
        self.forget()

    def forget(self) -> None:
        """Measure and write anew: the look has changed."""
        view = self._view
        self._column.forget()
        self._cut, self._cut_bold = text_cutter(view.small_font()), text_cutter(view.small_font(1, bold=True))
        self._fitted: tuple[list[tuple[str, float]], list[tuple[str, float]] | None, int] | None = None

    def fit(self, texts: list[tuple[str, float]], details: list[tuple[str, float]] | None = None) -> None:
        """Give labels (text, indent) and what stands below them as much room as they need, up to a share of the view."""
        view = self._view
        if (texts, details, view.width()) == self._fitted:
            return
        self._fitted = texts, details, view.width()
        metrics, small = view.fontMetrics(), QFontMetricsF(view.small_font(2))
        widest = max((metrics.horizontalAdvance(text) + indent for text, indent in texts), default=0.0)
        widest = max([widest, *(small.horizontalAdvance(text) + indent for text, indent in details or [])])
        room = min(widest + LABEL_LEFT_PX + FOLD_PX + 14, view.width() * MOST_LABEL_SHARE)
        view.label_px = float(round(max(LEAST_LABEL_PX, room)))

    def paint(self, painter: QPainter, labels: list[Label], walked_to: int) -> None:
        """Show labels; `walked_to`: the row that keys have walked to, -1 for none."""

        def write(within: QPainter) -> None:
            for label in labels:
                self._write(within, label, label.row == walked_to)

        self._column.paint(painter, self._view.heights().header, (labels, walked_to), write)

    def _write(self, painter: QPainter, label: Label, walked_to: bool) -> None:
        view = self._view

        def role(of_label: str) -> str:
            return "faint" if label.faded else of_label

        if walked_to:
            painter.fillRect(QRectF(0, label.top, view.label_px - 6, label.height), view.colour("choice"))
        if label.lit:
            painter.fillRect(QRectF(3, label.top + 3, 3, label.height - 6), view.colour("rose"))
        left = LABEL_LEFT_PX + label.indent
        line = min(label.height, view.line_px())
        painter.setFont(view.small_font(1, bold=label.heads))
        if label.fold:
            painter.setPen(view.role_colour(role("quiet")))
            box = QRectF(left - 2, label.top, FOLD_PX, line)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label.fold)
        left += FOLD_PX
        room = view.label_px - 10 - left
        painter.setPen(view.role_colour(role(label.role)))
        text = (self._cut_bold if label.heads else self._cut)(label.text, room)
        painter.drawText(QRectF(left, label.top, room, line), Qt.AlignmentFlag.AlignVCenter, text)
        if label.detail:
            painter.setFont(view.small_font(2))
            painter.setPen(view.role_colour(role(label.detail_role)))
            metrics = painter.fontMetrics()
            for number, text in enumerate(label.detail.split("\n")):
                top = label.top + line - 4 + number * (metrics.height() + 1)
                if number and top + metrics.descent() > label.top + label.height - metrics.ascent():
                    break  # it would stand on the next row's name
                detail = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(room))
                painter.drawText(QRectF(left, top, room, metrics.height()), Qt.AlignmentFlag.AlignTop, detail)
