"""The names of the Loom's rows, at its left, with the phases they run in."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter

from opossum.words import tr
from opossum_desk.flow.layout.loom import LoomPicture, RestingLine, RowLine
from opossum_desk.state.row_index import Row
from opossum_desk.state.session import Session
from opossum_desk.views.canvas import AxisCanvas, text_cutter
from opossum_desk.views.label_column import LabelColumn

FOLD_PX = 16.0
LABEL_MARGIN_PX = 48.0
MOST_MEASURED = 400
"""So many names are measured to find out how much room labels need."""


class LoomLabels:
    """Writes the labels of a view; panning changes none of them, so they are written once."""

    def __init__(self, view: AxisCanvas) -> None:
        self._view = view
        self._column = LabelColumn(view)
        self._cut = text_cutter(view.small_font())

    def forget(self) -> None:
        """Write anew: the look has changed, or the take."""
        self._column.forget()
        self._cut = text_cutter(self._view.small_font())

    def paint(self, painter: QPainter, session: Session, picture: LoomPicture) -> None:
        """Show the labels of what is seen."""
        own = session.row_index.row_of_call(session.call, session.unfolded) if session.call >= 0 else None
        unfolded = frozenset(session.unfolded)
        seen = (picture.lines, picture.phases, picture.resting, picture.heights, own, unfolded)

        def write(within: QPainter) -> None:
            self._write(within, session, picture, own, unfolded)

        self._column.paint(painter, picture.heights.header, seen, write)

    def _write(
        self, painter: QPainter, session: Session, picture: LoomPicture, own: Row | None, unfolded: frozenset[int]
    ) -> None:
        view = self._view
        band = view.colour("band")
        for number, (top, bottom, _) in enumerate(picture.phases):
            if number % 2:
                painter.fillRect(QRectF(0, top, view.label_px - 6, bottom - top), band)
        painter.setFont(view.small_font())
        for line in picture.lines:
            group = line.row.number if line.row.folded else int(session.row_index.class_of_listener[line.row.number])
            if line.top >= picture.heights.header - picture.heights.row:
                foldable = line.row.folded or group in unfolded
                self._write_label(painter, line, picture.heights.row, foldable, line.row == own)
        if picture.resting is not None:
            self._write_resting(painter, picture.resting, picture.heights.row)
        painter.setFont(view.small_font(2))
        painter.setPen(view.colour("quiet"))
        for top, bottom, phase in picture.phases:
            if phase and bottom - top >= 60:
                painter.save()
                painter.translate(11, (max(top, picture.heights.header) + min(bottom, view.height())) / 2)
                painter.rotate(-90)
                painter.drawText(QRectF(-60, -7, 120, 14), Qt.AlignmentFlag.AlignCenter, phase)
                painter.restore()

    def _write_resting(self, painter: QPainter, line: RestingLine, row_px: float) -> None:
        view = self._view
        painter.setPen(view.colour("quiet"))
        sign = "–" if line.opened else "+"
        painter.drawText(QRectF(20, line.top, FOLD_PX, row_px), Qt.AlignmentFlag.AlignCenter, sign)
        box = QRectF(38, line.top, view.label_px - 48, row_px)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, tr("{rows:,} at rest", rows=line.rows))

    def _write_label(self, painter: QPainter, line: RowLine, row_px: float, foldable: bool, is_own: bool) -> None:
        view = self._view
        quiet, ink = view.colour("quiet"), view.colour("ink")
        if line.faded:
            quiet = ink = view.colour("faint")
        elif line.rests:
            ink = quiet
        if foldable:
            painter.setPen(quiet)
            painter.drawText(
                QRectF(20, line.top, FOLD_PX, row_px), Qt.AlignmentFlag.AlignCenter, "+" if line.row.folded else "–"
            )
        owner = f"{line.owner} ×{line.members}" if line.members > 1 else line.owner
        room = view.label_px - LABEL_MARGIN_PX
        function_px = painter.fontMetrics().horizontalAdvance(line.function)
        owner_text = self._cut(owner, max(room * 0.6, room - function_px - 6))
        width = painter.fontMetrics().horizontalAdvance(owner_text)
        function_text = self._cut(line.function, room - width - 6)
        painter.setPen(view.colour("focus") if is_own else ink)
        painter.drawText(QRectF(38, line.top, room, row_px), Qt.AlignmentFlag.AlignVCenter, owner_text)
        painter.setPen(quiet)
        painter.drawText(
            QRectF(38 + width + 6, line.top, room - width, row_px), Qt.AlignmentFlag.AlignVCenter, function_text
        )

    def needs(self, session: Session) -> float:
        """Return how wide labels must be to show every row's name whole, of the first `MOST_MEASURED` rows."""
        metrics = QFontMetricsF(self._view.small_font())
        widest = 0.0
        for row in session.rows[:MOST_MEASURED]:
            owner, function = session.row_index.label(row)
            members = len(session.row_index.listeners_of(row))
            text = f"{owner} ×{members} {function}" if members > 1 else f"{owner} {function}"
            widest = max(widest, metrics.horizontalAdvance(text))
        return widest + LABEL_MARGIN_PX + 8
