"""A weave of rows: paints a `RowPicture`, and gives the rows to hands and keys."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from opossum.foreign_text import shown
from opossum.words import tr
from opossum_desk.context_menus import add_call_actions
from opossum_desk.layout.describing import describe_call, describe_send, name_call, name_send
from opossum_desk.layout.row_picture import REACH_PX, Boxes, Dots, Lines, RowPicture, RowStack, RowsView
from opossum_desk.state.session import Session
from opossum_desk.views.axis_header import paint_axis_header
from opossum_desk.views.canvas import WASH_ALPHA, AxisCanvas
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_bars import press_bars
from opossum_desk.views.pixel_sheet import PixelSheet, premultiplied
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import MOST_CHILDREN, Spoken
from opossum_desk.views.stamps import Stamps
from opossum_desk.weaving.row_labels import RowLabels

DASHES = {"": Qt.PenStyle.SolidLine, "dash": Qt.PenStyle.DashLine, "dot": Qt.PenStyle.DotLine}


def _around(x: float, y: float) -> tuple[float, float, float, float]:
    """Return the box of a dot."""
    return x - REACH_PX, y - REACH_PX, 2 * REACH_PX, 2 * REACH_PX


class RowCanvas(AxisCanvas):
    """What a weave of rows overrides: `list_rows`, `mean`, `lay_out`, `describe_row`, `add_row_actions`, `fold`.

    A row can be walked to by Shift+Up and Shift+Down (`cursor`), and is said aloud then.
    """

    row_told = Signal(str)
    """What a row that was walked to is, for the status line."""

    def __init__(self, look: Look, name: str, parent: QWidget | None = None) -> None:
        super().__init__(look, name, parent)
        self.picture: RowPicture | None = None
        self.stack = RowStack(np.zeros(0))
        """How tall the rows are."""
        self.meant: Collection[int] = ()
        """The places of the rows that the chosen finding is about."""
        self._shown_finding = ""
        self.cursor_row = -1
        """The row that keys have walked to, -1: none."""
        self._stamps: Stamps | None = None
        self._sheet = PixelSheet(self)
        self.labels = RowLabels(self)
        self.setMinimumSize(320, 120)

    # --- what a weave says of itself -------------------------------------------------------------------

    def lay_out(self, session: Session) -> RowPicture:
        """Return what to paint now."""
        raise NotImplementedError

    def list_rows(self, session: Session) -> RowStack:
        """List the rows as they are to stand, and return how tall they are."""
        raise NotImplementedError

    def mean(self, session: Session) -> Collection[int]:
        """Take note of what the chosen finding is about, and return the places of its rows."""
        raise NotImplementedError

    def reveal_finding(self) -> None:
        """Scroll so that the first row that the chosen finding is about is seen."""
        if self.meant:
            self.scroll_to_row(min(self.meant))

    def layout_view(self) -> RowsView:
        """Return what a layout goes by."""
        return RowsView(
            self.width(),
            self.height(),
            self.scroll_bar.value(),
            self.label_px,
            self.line_px(),
            self.heights().header,
            self.letter_px(),
        )

    def describe_row(self, row: int) -> str:
        """Return what a row is, in a few lines."""
        return ""

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        """Add what can be done with a row."""

    def fold(self, row: int) -> None:
        """Fold a row, or unfold it, if it is one that can."""

    # --- its rows --------------------------------------------------------------------------------------

    def show_rows(self, session: Session) -> None:
        """Show a take of which what a weave shows is known by now."""
        self.session = session
        session.subscribe("window selection hover axis", self.renew)
        session.subscribe("sieve findings", self.order)
        session.subscribe("selection", self._follow_finding)
        self._shown_finding = ""
        self.order()
        self.set_session(session)
        self._follow_finding()

    def order(self) -> None:
        """List the rows anew: what is folded, found or sieved has changed."""
        if self.session is not None:
            self.stack = self.list_rows(self.session)
            self.meant = self.mean(self.session)
            self.cursor_row = min(self.cursor_row, len(self.stack) - 1)
            self.renew()

    def _follow_finding(self) -> None:
        session = self.session
        if session is None:
            return
        name = session.finding.id if session.finding is not None else ""
        if name != self._shown_finding:
            self._shown_finding = name
            self.meant = self.mean(session)
            self.reveal_finding()

    # --- being a canvas ----------------------------------------------------------------------------------

    def restyle(self) -> None:
        self._stamps = None
        self.labels.forget()
        self.picture = None
        super().restyle()
        self.order()

    def content_height(self) -> float:
        return self.heights().header + self.stack.height + 8 if self.session is not None else 0.0

    def renew(self) -> None:
        self.picture = None
        super().renew()

    def current(self) -> RowPicture | None:
        """Return the picture of what is seen, laid out if need be."""
        if self.picture is None and self.session is not None:
            self.picture = self.lay_out(self.session)
        return self.picture

    def spoken(self) -> list[Spoken]:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return []
        told = [
            Spoken(
                self.describe_row(label.row).replace("\n", ", "),
                (0.0, label.top, self.label_px, label.height),
                "row",
            )
            for label in picture.labels
        ]
        describe = {"call": name_call, "send": name_send}
        for run in picture.things:
            if run.kind in describe:
                for x, y, row in zip(run.xs.tolist(), run.ys.tolist(), run.rows.tolist(), strict=True):
                    if row >= 0 and len(told) < MOST_CHILDREN:
                        told.append(Spoken(describe[run.kind](session, row), _around(x, y)))
        return told

    # --- painting ------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, session: Session) -> None:
        picture = self.current()
        if picture is None:
            return
        if picture.empty:
            painter.setPen(self.colour("quiet"))
            room = QRectF(self.rect()).adjusted(60, 0, -60, 0)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, picture.empty)
            return
        self._paint_ground(painter, picture)
        painter.save()
        painter.setClipRect(QRectF(self.label_px - 4, self.heights().header, self.width(), self.height()))
        for boxes in picture.boxes:
            self._paint_boxes(painter, boxes)
        for lines in picture.lines:
            self._paint_lines(painter, lines)
        self._press(session, picture)
        self._sheet.paint(painter, self.label_px - 4, self.heights().header)
        self.paint_measure(painter)
        for words in picture.words:
            painter.setFont(self.small_font(2 if words.small else 1))
            painter.setPen(self.role_colour(words.role))
            painter.drawText(QPointF(words.x, words.y + 4), words.text)
        painter.restore()
        self.labels.paint(painter, picture.labels, self.cursor_row)
        if self.is_on_axis:
            paint_axis_header(self, painter, picture.grid, self.heights().header)
        else:
            self.paint_header(painter)

    def paint_header(self, painter: QPainter) -> None:
        """Draw the strip above the rows where they do not stand on the shared axis."""

    def _paint_ground(self, painter: QPainter, picture: RowPicture) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(self.colour("line"))
        painter.drawLines([QLineF(x, self.heights().header, x, self.height()) for x, _ in picture.grid])
        if picture.selected is not None:
            left, right = picture.selected
            painter.fillRect(QRectF(left, 0, max(2.0, right - left), self.height()), self.colour("choice"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _paint_boxes(self, painter: QPainter, boxes: Boxes) -> None:
        if len(boxes.boxes):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.role_colour(boxes.role, boxes.alpha))
            painter.drawRects([QRectF(*box) for box in boxes.boxes.tolist()])

    def _paint_lines(self, painter: QPainter, lines: Lines) -> None:
        if len(lines.ends):
            pen = QPen(self.role_colour(lines.role), lines.width)
            if lines.dash == "dot":
                pen.setStyle(Qt.PenStyle.CustomDashLine)
                pen.setDashPattern([1.6, 1.6])
            else:
                pen.setStyle(DASHES[lines.dash])
            pen.setCapStyle(Qt.PenCapStyle.FlatCap)
            painter.setPen(pen)
            painter.drawLines([QLineF(*ends) for ends in lines.ends.tolist()])

    def _press(self, session: Session, picture: RowPicture) -> None:
        """Press all bars of a pixel's width and all dots into the sheet, for there may be thousands; frozen frames below them."""
        ratio, canvas = self.devicePixelRatioF(), self._sheet.cleared()
        if picture.frozen:
            across = self.washed_across([(left, right, WASH_ALPHA) for left, right in picture.frozen])
            canvas[round(self.heights().header * ratio) :] = across[: canvas.shape[1]]
        if self._stamps is None or self._stamps.ratio != ratio:
            self._stamps = Stamps(self.look, ratio)
        shades: dict[tuple[str, int], np.uint32] = {}
        for bars in picture.bars:
            shade = shades.get((bars.role, bars.alpha))
            if shade is None:
                shade = np.uint32(premultiplied(self.role_colour(bars.role), bars.alpha))
                shades[bars.role, bars.alpha] = shade
            press_bars(canvas, bars, shade, ratio)
        looks: dict[tuple[str, int, float, bool, bool], list[tuple[np.ndarray, np.ndarray]]] = {}
        for run in picture.dots:
            if not run.size:
                continue
            lit = self._lit(session, run)
            for is_lit in (False, True) if lit.any() else (False,):
                mine = lit == is_lit
                look = (run.via, run.state, run.size, run.faded, is_lit)
                looks.setdefault(look, []).append((run.xs[mine], run.ys[mine]))
        for look, places in looks.items():
            # all dots of one look at once: a press costs more than its dots
            xs, ys = (np.concatenate(part) for part in zip(*places, strict=True))
            self._stamps.press(canvas, self._stamps.get(*look), xs * ratio, ys * ratio)

    def _lit(self, session: Session, run: Dots) -> np.ndarray:
        related = session.selection.related
        if not related:
            return np.zeros(len(run.xs), bool)
        calls = np.fromiter(related, np.int64)
        wanted = calls if run.kind == "call" else session.take.calls.send[calls] if run.kind == "send" else calls[:0]
        return np.isin(run.rows, wanted[wanted >= 0])

    # --- hands -----------------------------------------------------------------------------------------

    def hover(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        kind, row = picture.hit(point.x(), point.y()) if point.x() >= self.label_px else ("", -1)
        session.set_hover(row if kind == "call" else session.first_call_of_send(row) if kind == "send" else -1)
        text = ""
        if kind == "call":
            text = describe_call(session, row)
        elif kind == "send":
            text = describe_send(session, row)
        elif point.y() > self.heights().header and (label := picture.label_at(point.y())) is not None:
            text = self.describe_row(label.row) if point.x() < self.label_px else ""
        if text:
            QToolTip.showText(self.mapToGlobal(point.toPoint()), plain_tooltip(text), self)

    def click(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None or point.y() < self.heights().header:
            return
        if point.x() < self.label_px:
            label = picture.label_at(point.y())
            if label is not None:
                self.walk_to(label.row)
                if label.fold:
                    self.fold(label.row)
            return
        self.choose(session, *picture.hit(point.x(), point.y()), self.position_at(point.x()))

    def choose(self, session: Session, kind: str, row: int, position: float) -> None:
        """Select what was clicked: a call, a send's first call, else the frame there."""
        call = row if kind == "call" else session.first_call_of_send(row) if kind == "send" else -1
        if call >= 0:
            session.select_call(call)
        elif kind == "send":
            session.select_column(int(session.axis_columns(session.take.sends.frame[row : row + 1])[0]))
        else:
            session.select_column(session.axis.column_at(position))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        menu = QMenu(self)
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        kind, row = ("", -1) if by_key else picture.hit(event.pos().x(), event.pos().y())
        call = row if kind == "call" else session.first_call_of_send(row) if kind == "send" else -1
        if call >= 0:
            add_call_actions(menu, session, call)
        label = picture.label_at(event.pos().y())
        # the key asks for the row that keys have walked to, the hand for the one under it
        asked = self.cursor_row if by_key else label.row if label is not None else -1
        if asked >= 0:
            self.add_row_actions(menu, asked)
        menu.addSeparator()
        menu.addAction(tr("Whole take"), session.show_all)
        menu.exec(event.globalPos())

    # --- keys --------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key = Qt.Key(event.key())
        if shifted and key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and len(self.stack):
            self.walk_to(max(0, min(len(self.stack) - 1, self.cursor_row + (1 if key == Qt.Key.Key_Down else -1))))
        else:
            super().keyPressEvent(event)

    def walk_to(self, row: int) -> None:
        """Put the row cursor on a row, bring it into view and say what it is."""
        self.cursor_row = row
        self.scroll_to_row(row)
        text = self.describe_row(row).replace("\n", " · ")
        self.row_told.emit(text)
        self.renew()
        self.setAccessibleDescription(shown(text))

    def scroll_to_row(self, row: int) -> None:
        """Scroll so that a row is seen."""
        top, bottom = float(self.stack.tops[row]), float(self.stack.tops[row + 1])
        self._place_scroll_bar()
        room = self.height() - self.heights().header
        if top < self.scroll_bar.value():
            self.scroll_bar.setValue(int(top))
        elif bottom > self.scroll_bar.value() + room:
            self.scroll_bar.setValue(int(bottom - room * 0.7))
