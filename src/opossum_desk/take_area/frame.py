"""The panel Frame: one frame, call by call, with causes."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QAbstractScrollArea, QMenu, QWidget

from opossum.words import tr
from opossum_desk.context_menus import add_call_actions
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.describing import describe_call
from opossum_desk.layout.heights import Heights
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.frame import FramePicture, FrameRow, layout_frame
from opossum_desk.take_area.layout.trail_list import layout_trail
from opossum_desk.views.canvas import text_cutter
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.look import Look
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import Spoken, SpokenChildren
from opossum_desk.views.stamps import draw_bead

INDENT_PX = 13.0
GAP_PX = 8.0
LEAST_EVENT_PX = 56.0
"""An event of which less would be seen is left out: it stands in the tooltip."""
MARKS_SHARE = 1 / 3
"""So much of a line is kept for what is wrong with a call, if it is needed; its name has the rest."""


class FrameView(QAbstractScrollArea):
    """Paints a `FramePicture`; only the lines in view are drawn."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.session: Session | None = None
        self.picture = FramePicture(tr("No take is open"), "", [])
        self._cut = text_cutter(self.font())
        self.setAccessibleName(tr("Frame"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumSize(200, 120)
        # a viewport of Qt's own making would have PySide6 load every class of widget there is, to tell what it is
        self._ground = QWidget()
        self.setViewport(self._ground)
        self._ground.setMouseTracking(True)
        self._speech = SpokenChildren(self._ground, self.spoken)
        self.verticalScrollBar().valueChanged.connect(lambda _: self._speech.renew())
        self.setWhatsThis(
            tr(
                "Frame: the selected frame, call by call in the order they ran; what a call caused stands indented below it."
            )
        )
        look.changed.connect(self._ground.update)

    @property
    def _row_px(self) -> float:
        return Heights.of_text(self.fontMetrics().height()).row

    @property
    def _head_px(self) -> float:
        return 2.0 * self.fontMetrics().height() + 12

    def set_session(self, session: Session | None) -> None:
        """Show the selected frame of a session."""
        self.session = session
        if session is not None:
            session.subscribe("selection findings trail", self.renew)
            session.subscribe("hover", self._ground.update)
        self.renew()

    def renew(self) -> None:
        """Lay the selected frame out anew and bring its selected call into view."""
        if self.session is None:
            self.picture = FramePicture(tr("No take is open"), "", [])
        elif self.session.trail is not None:
            self.picture = layout_trail(self.session, self.session.trail)
        else:
            self.picture = layout_frame(self.session)
        self._fit_bar()
        if self.session is not None:
            self._reveal(self.picture.index_of(self.session.call) if self.session.call >= 0 else 0)
        self.setAccessibleDescription(f"{self.picture.title}, {self.picture.subtitle}")
        self._speech.renew()
        self._ground.update()

    def spoken(self) -> list[Spoken]:
        """Return the lines in view, for those who listen."""
        scroll, tall, width = self.verticalScrollBar().value(), self._row_px, self._ground.width()
        told = []
        for index, row in enumerate(self.picture.rows):
            top = self._head_px + index * tall - scroll
            if self._head_px <= top < self._ground.height():
                name = ", ".join(
                    part for part in (row.text, row.event, *(tr(mark) for mark in row.marks), row.time) if part
                )
                told.append(Spoken(name, (0.0, top, width, tall), "row" if row.kind == "phase" else "item"))
        return told

    def _fit_bar(self) -> None:
        room = self._head_px + (len(self.picture.rows) + 1) * self._row_px - self._ground.height()
        self.verticalScrollBar().setSingleStep(int(self._row_px))
        self.verticalScrollBar().setPageStep(self._ground.height())
        self.verticalScrollBar().setMaximum(max(0, int(room)))

    def resizeEvent(self, event: object) -> None:
        self._fit_bar()

    def _reveal(self, index: int) -> None:
        top = index * self._row_px
        bar = self.verticalScrollBar()
        room = self._ground.height() - self._head_px - 2 * self._row_px
        if top < bar.value() or top > bar.value() + room:
            bar.setValue(int(top - room / 3))

    def paintEvent(self, event: object) -> None:
        colours = self.look.colours
        painter = ForeignPainter(self._ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self._ground.rect(), QColor(colours.paper))
        width, height = self._ground.width(), self._ground.height()
        scroll = self.verticalScrollBar().value()
        first = max(0, int(scroll // self._row_px))
        last = min(len(self.picture.rows), int((scroll + height) // self._row_px) + 1)
        for index in range(first, last):
            self._paint_row(painter, self.picture.rows[index], self._head_px + index * self._row_px - scroll, width)
        if self.picture.left_out and last == len(self.picture.rows):
            painter.setPen(QColor(colours.quiet))
            y = self._head_px + last * self._row_px - scroll
            painter.drawText(
                QPointF(12, y + self._row_px * 0.7),
                tr("… and {left_out:,} more calls in this frame", left_out=self.picture.left_out),
            )
        painter.fillRect(QRectF(0, 0, width, self._head_px), QColor(colours.paper))
        line = self.fontMetrics().height() + 2.0
        font = self.font()
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(QColor(colours.ink))
        painter.drawText(QRectF(12, 4, width - 20, line), Qt.AlignmentFlag.AlignVCenter, self.picture.title)
        painter.setFont(self.font())
        painter.setPen(QColor(colours.quiet))
        painter.drawText(
            QRectF(12, 4 + line, width - 20, line),
            Qt.AlignmentFlag.AlignVCenter,
            self._cut(self.picture.subtitle, width - 24),
        )
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.focus), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._ground.rect().adjusted(1, 1, -1, -1))
        painter.end()

    def _paint_row(self, painter: QPainter, row: FrameRow, top: float, width: int) -> None:
        colours, session = self.look.colours, self.session
        assert session is not None
        if row.kind == "phase":
            painter.fillRect(QRectF(0, top, width, self._row_px), QColor(colours.band))
            painter.setPen(QColor(colours.quiet))
            painter.drawText(QRectF(12, top, width, self._row_px), Qt.AlignmentFlag.AlignVCenter, row.text)
            left = 12 + painter.fontMetrics().horizontalAdvance(row.text) + GAP_PX
            painter.setPen(QColor(colours.rose))
            marks = ", ".join(tr(mark) for mark in row.marks)
            painter.drawText(QRectF(left, top, width - left, self._row_px), Qt.AlignmentFlag.AlignVCenter, marks)
            return
        if row.kind in ("say", "data"):
            painter.setPen(QColor(colours.quiet if row.kind == "say" else colours.ink))
            left = 30 + min(row.depth, 4) * INDENT_PX
            first = row.text.splitlines()[0] if row.text else ""
            text = self._cut(f"“{first}”" if row.kind == "say" else first, width - left - 6)
            painter.drawText(QRectF(left, top, width - left, self._row_px), Qt.AlignmentFlag.AlignVCenter, text)
            return
        middle = top + self._row_px / 2
        if row.call == session.call:
            painter.fillRect(QRectF(0, top, width, self._row_px), QColor(colours.choice))
        lit = row.call in session.selection.related
        # deep chains lean in ever less, so that names keep their room
        left = 16 + min(row.depth, 4) * INDENT_PX + max(0, row.depth - 4) * 4
        if row.depth:
            painter.setPen(QPen(QColor(colours.line), 1.2))
            painter.drawPolyline([QPointF(left - 9, top - 5), QPointF(left - 9, middle), QPointF(left - 4, middle)])
        state = (
            BeadState.TWIN
            if {"twice", "again"} & set(row.marks)
            else BeadState.GONE
            if "owner gone" in row.marks
            else (BeadState.IDLE if "for nothing" in row.marks else BeadState.DID)
        )
        draw_bead(painter, QPointF(left + 2, middle), 10, row.via, state, self.look, lit=lit)
        self._paint_words(painter, row, left + 13, top, width)
        if row.share > 0.02:
            painter.fillRect(
                QRectF(left + 13, top + self._row_px - 2.5, row.share * (width - left - 20), 1.6),
                self.look.via(row.via),
            )

    def _paint_words(self, painter: QPainter, row: FrameRow, left: float, top: float, width: int) -> None:
        """Write a call's name, what is wrong with it, its event and its time: whatever has no room goes, the name last."""
        colours, metrics = self.look.colours, painter.fontMetrics()
        line = Qt.AlignmentFlag.AlignVCenter
        bad = ", ".join(tr(mark) for mark in row.marks if mark != "for nothing")
        room = width - left - 6
        bad_px = metrics.horizontalAdvance(bad) + GAP_PX if bad else 0.0
        time = row.time
        time_px = metrics.horizontalAdvance(time) + GAP_PX
        if self.session is not None and self.session.trail is not None:
            # on a Trail the time from hop to hop is what one looks for: it stands whatever else must go
            if metrics.horizontalAdvance(row.text) + time_px > room:
                time = time.split(" · ")[0]
                time_px = metrics.horizontalAdvance(time) + GAP_PX
            painter.setPen(QColor(colours.quiet))
            painter.drawText(QRectF(left, top, room, self._row_px), line | Qt.AlignmentFlag.AlignRight, time)
            room, time = room - time_px, ""
        name = self._cut(row.text, room - min(bad_px, room * MARKS_SHARE))
        used = metrics.horizontalAdvance(name) + GAP_PX
        painter.setPen(QColor(colours.ink))
        painter.drawText(QRectF(left, top, room, self._row_px), line, name)
        if bad:
            painter.setPen(QColor(colours.rose))
            text = self._cut(bad, room - used)
            painter.drawText(QRectF(left + used, top, room - used, self._row_px), line, text)
            used += min(bad_px, room - used)
        if time and used + time_px <= room:
            painter.setPen(QColor(colours.quiet))
            box = QRectF(left, top, room, self._row_px)
            painter.drawText(box, line | Qt.AlignmentFlag.AlignRight, time)
            room -= time_px
        if not bad and room - used >= min(LEAST_EVENT_PX, metrics.horizontalAdvance(row.event)):
            painter.setPen(QColor(colours.quiet))
            box = QRectF(left + used, top, room - used, self._row_px)
            painter.drawText(box, line, self._cut(row.event, room - used))

    def _row_at(self, y: float) -> FrameRow | None:
        index = int((y - self._head_px + self.verticalScrollBar().value()) // self._row_px)
        return self.picture.rows[index] if y >= self._head_px and 0 <= index < len(self.picture.rows) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if (
            row is not None
            and row.call >= 0
            and self.session is not None
            and event.button() == Qt.MouseButton.LeftButton
        ):
            self.session.select_call(row.call)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if self.session is not None:
            self.session.set_hover(row.call if row is not None else -1)
        if row is not None and row.call >= 0 and self.session is not None:
            self._ground.setToolTip(plain_tooltip(describe_call(self.session, row.call)))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.session is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        row = self._row_at(event.pos().y())
        # the key asks for what is selected, the hand for what is under it
        call = self.session.call if by_key else row.call if row is not None else -1
        if call >= 0:
            menu = QMenu(self)
            add_call_actions(menu, self.session, call)
            top = self._head_px + (self.picture.index_of(call) + 1) * self._row_px - self.verticalScrollBar().value()
            menu.exec(self._ground.mapToGlobal(QPoint(20, round(top))) if by_key else event.globalPos())

    def leaveEvent(self, event: object) -> None:
        if self.session is not None:
            self.session.set_hover(-1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Scroll by Page Up, Page Down, Home and End; arrows belong to the desk: they step calls and frames."""
        bar = self.verticalScrollBar()
        page = max(1, bar.pageStep() - round(self._head_px + self._row_px))
        scrolls = {
            Qt.Key.Key_PageUp: -page,
            Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -bar.maximum(),
            Qt.Key.Key_End: bar.maximum(),
        }
        by = scrolls.get(Qt.Key(event.key()))
        if by is None or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            event.ignore()
        else:
            bar.setValue(bar.value() + by)
