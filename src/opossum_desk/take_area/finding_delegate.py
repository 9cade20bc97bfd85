"""How a finding is drawn in the list: its name, its cause, its count, and the strip of where in the take."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

import numpy as np
from PySide6.QtCore import QItemSelectionModel, QModelIndex, QObject, QPersistentModelIndex, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter
from PySide6.QtWidgets import QStyledItemDelegate

from opossum.findings.finding import Finding
from opossum.foreign_text import shown
from opossum.take.grouping import distinct
from opossum.words import number
from opossum_desk.layout.wording import cause_title, finding_name
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look

if TYPE_CHECKING:
    from PySide6.QtWidgets import QStyleOptionViewItem

Index = QModelIndex | QPersistentModelIndex
FINDING_ROLE = Qt.ItemDataRole.UserRole + 1
"""Where an item of the list keeps its finding; groups and notes have none."""
WRAPPED = Qt.TextFlag.TextWordWrap.value
STRIP_PX = 6
MARGIN_PX = 8


class _Lines(NamedTuple):
    """What is written of a finding: name and count, whether the count stands beside the name, and the room (px) that the cause takes."""

    name: str
    how_often: str
    count_is_above: bool
    cause_room: int
    cause_px: int


class Listing(Protocol):
    """The list, as far as what is drawn depends on it."""

    session: Session | None

    def room(self, index: Index) -> float:
        """Return how wide (px) a finding is written."""

    def ground_px(self) -> int:
        """Return how wide the list is without its scroll bar."""

    def selectionModel(self) -> QItemSelectionModel:
        """Return what is selected."""


class FindingDelegate(QStyledItemDelegate):
    """Draws a finding: its name, its cause, its count, and the strip of where in the take."""

    def __init__(self, look: Look, parent: QObject, listing: Listing) -> None:
        super().__init__(parent)
        self._look = look
        self._view = listing
        self._known_ticks: dict[str, tuple[tuple[Any, Finding, float], list[float]]] = {}

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        finding, line = index.data(FINDING_ROLE), option.fontMetrics.height() + 2
        if finding is None:
            told = option.fontMetrics.boundingRect(self._group_room(QRect(0, 0, 0, 10_000)), WRAPPED, str(index.data()))
            return QSize(100, max(line, told.height()) + 14)
        lines = self._lines(finding, option.fontMetrics, self._view.room(index))
        return QSize(100, line + lines.cause_px + STRIP_PX + 14)

    def _group_room(self, rect: QRect) -> QRect:
        """Return where in a row the name of a group stands, or a note: in the view's width, so that it wraps."""
        return QRect(rect.left() + 12, rect.top() + 8, max(1, self._view.ground_px() - 16), rect.height() - 8)

    def _lines(self, finding: Finding, metrics: QFontMetrics, room: float) -> _Lines:
        """Return what is written of a finding: its count beside the name where both fit, else beside the cause below."""
        name = shown(finding_name(finding))
        count = f"{number(finding.count)}×" if finding.count > 1 else ""
        count_px = metrics.horizontalAdvance(count) + 8 if count else 0
        is_above = metrics.horizontalAdvance(name) <= room - count_px
        cause_room = int(room if is_above else room - count_px)
        needed = metrics.boundingRect(0, 0, max(1, cause_room), 10_000, WRAPPED, shown(cause_title(finding))).height()
        line = metrics.height() + 2
        return _Lines(name, count, is_above, cause_room, max(line, needed + 2))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        painter.save()
        colours = self._look.colours
        rect = QRectF(option.rect)
        finding: Finding | None = index.data(FINDING_ROLE)
        metrics = option.fontMetrics
        line = metrics.height() + 2
        if finding is None:
            painter.setPen(QColor(colours.quiet))
            painter.drawText(
                self._group_room(option.rect), WRAPPED | Qt.AlignmentFlag.AlignVCenter.value, str(index.data())
            )
            painter.restore()
            return
        if self._view.selectionModel().isSelected(index):
            painter.fillRect(rect, QColor(colours.choice))
        room = self._view.room(index)
        left = rect.right() - MARGIN_PX - room
        severe = finding.severity.value == "fault"
        painter.fillRect(
            QRectF(rect.left(), rect.top() + 4, 3, rect.height() - 8), QColor(colours.rose if severe else colours.line)
        )
        lines = self._lines(finding, metrics, room)
        name_room, below = QRectF(left, rect.top() + 5, room, line), rect.top() + 5 + line
        painter.setPen(QColor(colours.ink))
        name = metrics.elidedText(lines.name, Qt.TextElideMode.ElideMiddle, int(room))
        painter.drawText(name_room, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QColor(colours.quiet))
        count_room = name_room if lines.count_is_above else QRectF(left, below, room, line)
        painter.drawText(count_room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, lines.how_often)
        painter.setPen(QColor(colours.rose if severe else colours.quiet))
        painter.drawText(
            QRectF(left, below + 1, lines.cause_room, lines.cause_px), WRAPPED, shown(cause_title(finding))
        )
        self._paint_strip(painter, finding, QRectF(left, rect.bottom() - STRIP_PX - 5, room, STRIP_PX))
        painter.restore()

    def _paint_strip(self, painter: QPainter, finding: Finding, strip: QRectF) -> None:
        colours, session = self._look.colours, self._view.session
        assert session is not None
        painter.fillRect(QRectF(strip.left(), strip.center().y() - 0.5, strip.width(), 1), QColor(colours.line))
        colour = QColor(colours.rose if finding.severity.value == "fault" else colours.quiet)
        for x in self._ticks(session, finding, strip.width()):
            painter.fillRect(QRectF(strip.left() + x, strip.top(), 1.5, strip.height()), colour)

    def _ticks(self, session: Session, finding: Finding, width: float) -> list[float]:
        """Return where on a strip of `width` px a finding shows; asked once while axis, finding and width stay."""
        key = (session.axis, finding, width)
        known = self._known_ticks.get(finding.id)
        if (
            known is None
            or any(a is not b and a != b for a, b in zip(known[0][1:], key[1:], strict=True))
            or known[0][0] is not session.axis
        ):
            low, high = session.axis.extent
            columns = session.columns_of(finding)
            xs = (session.axis.edges[columns] - low) / max(high - low, 1e-9) * width
            known = self._known_ticks[finding.id] = (key, distinct(np.round(xs / 1.5) * 1.5).tolist())
        return known[1]
