"""The Loom: frames × listeners in the order they run."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from opossum.foreign_text import shown_in_menu
from opossum.words import tr
from opossum_desk.context_menus import add_call_actions, add_tripwires, sieve
from opossum_desk.flow.describing import describe_line
from opossum_desk.flow.frozen_painting import frozen_names, paint_frozen, paint_frozen_names
from opossum_desk.flow.layout.finding_marks import FindingMarks, finding_marks
from opossum_desk.flow.layout.loom import LoomPicture, RowLine, is_folded_away, layout_loom, line_count, line_of_row
from opossum_desk.flow.layout.trail_line import trail_line
from opossum_desk.flow.loom_labels import LoomLabels
from opossum_desk.flow.pressing import press_beads, press_counts, press_density
from opossum_desk.layout.describing import describe_call, name_call
from opossum_desk.state.row_index import Row
from opossum_desk.state.session import Session
from opossum_desk.views.axis_header import paint_axis_header
from opossum_desk.views.canvas import AxisCanvas
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_sheet import PixelSheet
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import MOST_CHILDREN, Spoken
from opossum_desk.views.stamps import Stamps, TextStamps


class LoomView(AxisCanvas):
    """Paints a `LoomPicture`: quiet things by Qt, beads by NumPy into one image."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Loom"), parent)
        self.picture: LoomPicture | None = None
        self._stamps: Stamps | None = None
        self._numbers: TextStamps | None = None
        self._sheet = PixelSheet(self)
        self.labels = LoomLabels(self)
        self.setMinimumSize(320, 120)
        self.setWhatsThis(
            tr(
                "The Loom: columns are frames, rows are listeners in the order they run. A filled bead changed something, a small hollow one ran for nothing, a twin ran twice for one cause, a dotted one belongs to an object that is gone. A hollow tick that falls is a send that nobody heard; a line beside a bead shows how far it came from when it was due."
            )
        )

    def set_session(self, session: Session | None) -> None:
        if session is not None:
            session.subscribe("window selection hover sieve findings rows axis trail", self.renew)
        self.labels.forget()
        self.scroll_bar.setValue(0)
        super().set_session(session)

    def restyle(self) -> None:
        self._stamps = self._numbers = None
        self.labels.forget()
        super().restyle()

    def content_height(self) -> float:
        return self.heights().header + self.heights().row * (line_count(self.session) + 1) if self.session else 0.0

    def renew(self) -> None:
        self.picture = None
        super().renew()

    def current(self) -> LoomPicture | None:
        """Return the picture of what is seen, laid out if need be."""
        if self.picture is None and self.session is not None:
            self.picture = layout_loom(
                self.session, self.width(), self.height(), self.scroll_bar.value(), self.label_px, self.heights()
            )
        return self.picture

    def summary(self) -> str:
        session = self.session
        if session is None:
            return tr("No take is open.")
        first, last = session.visible_columns
        numbers = session.axis.numbers
        if not len(numbers):
            return tr("The take has no frames.")
        resting = len(session.rows) - session.awake
        at_rest = tr(" and {resting} at rest", resting=resting) if resting else ""
        return tr(
            "{awake} rows{at_rest}, frames {first} to {last}.",
            awake=session.awake,
            at_rest=at_rest,
            first=numbers[first],
            last=numbers[last],
        )

    def spoken(self) -> list[Spoken]:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return []
        tall = picture.heights.row
        told = [
            Spoken(describe_line(session, line).replace("\n", ", "), (0.0, line.top, self.label_px, tall), "row")
            for line in picture.lines
        ]
        if picture.resting is not None:
            box = (0.0, picture.resting.top, self.label_px, tall)
            told.append(Spoken(tr("{rows:,} rows at rest", rows=picture.resting.rows), box, "row"))
        if picture.beads is not None:
            half = max(4.0, picture.bead_px / 2)
            for place in range(min(len(picture.beads), MOST_CHILDREN - len(told))):
                x, line = float(picture.beads.x[place]), int(picture.beads.line[place])
                box = (x - half, picture.lines[line].top, 2 * half, tall)
                told.append(Spoken(name_call(session, int(picture.beads.call[place])), box))
        return told

    # --- painting ------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, session: Session) -> None:
        picture = self.current()
        if picture is None:
            return
        self._paint_ground(painter, picture)
        if picture.beads is not None or picture.density is not None:
            self._press(session, picture)
            self._sheet.paint(painter, self.label_px - 5, picture.heights.header)
        self._paint_stitches(painter, picture)
        self._paint_trail(painter, session, picture)
        marks = finding_marks(session, picture)
        header_px = picture.heights.header
        self._paint_marks(painter, marks)
        self._paint_names(painter, picture)
        paint_frozen(self, painter, picture.frozen)
        self.paint_measure(painter)
        self.labels.paint(painter, session, picture)
        self._paint_lit(painter, picture, marks)
        self._paint_header(painter, picture)
        self._paint_falling(painter, [tick for tick in marks.falling if tick[1] < header_px])
        if not session.rows:
            painter.setPen(self.colour("quiet"))
            text = (
                tr("Nothing passes the sieve. Empty it to see all rows.")
                if session.sieve.active
                else tr("This take holds no calls.")
            )
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_ground(self, painter: QPainter, picture: LoomPicture) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        band = self.colour("band")
        for number, (top, bottom, _) in enumerate(picture.phases):
            if number % 2:
                painter.fillRect(QRectF(0, top, self.width(), bottom - top), band)
        painter.setPen(self.colour("line"))
        painter.drawLines([QLineF(x, picture.heights.header, x, self.height()) for x, _ in picture.grid])
        if picture.selected is not None:
            left, right = picture.selected
            choice = self.colour("choice")
            painter.fillRect(QRectF(left, 0, max(2.0, right - left), self.height()), choice)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _press(self, session: Session, picture: LoomPicture) -> None:
        """Press all beads, or how many there are of them, into the sheet."""
        ratio, canvas = self.devicePixelRatioF(), self._sheet.cleared()
        if picture.density is not None:
            press_density(picture, picture.density, session, self.look, canvas, ratio)
        elif picture.beads is not None and len(picture.beads):
            if self._stamps is None or self._stamps.ratio != ratio:
                self._stamps = Stamps(self.look, ratio)
            press_beads(picture, picture.beads, session, self._stamps, self.label_px, canvas)
            press_counts(picture, picture.beads, self._number_stamps(ratio), canvas)

    def _number_stamps(self, ratio: float) -> TextStamps:
        if self._numbers is None or self._numbers.ratio != ratio:
            self._numbers = TextStamps(self.small_font(2), self.colour("quiet"), ratio)
        return self._numbers

    def _paint_stitches(self, painter: QPainter, picture: LoomPicture) -> None:
        if not len(picture.stitches):
            return
        colour = self.colour("ink")
        colour.setAlpha(150)
        painter.setPen(QPen(colour, 1.1))
        painter.drawLines([QLineF(*stitch) for stitch in picture.stitches.tolist()])

    def _paint_trail(self, painter: QPainter, session: Session, picture: LoomPicture) -> None:
        ends = trail_line(session, picture, self.scroll_bar.value())
        if not len(ends):
            return
        painter.save()
        painter.setClipRect(QRectF(self.label_px - 4, picture.heights.header, self.width(), self.height()))
        painter.setPen(QPen(self.colour("focus"), 2.0))
        painter.drawLines([QLineF(*line) for line in ends.tolist()])
        painter.restore()

    def _paint_marks(self, painter: QPainter, marks: FindingMarks) -> None:
        """Draw what findings add: a hollow tick that falls for a send nobody heard, a line from when due to when it came."""
        rose = self.colour("rose")
        self._paint_falling(painter, [tick for tick in marks.falling if tick[1] >= self.heights().header])
        painter.setPen(QPen(rose, 1.3))
        painter.setFont(self.small_font(2))
        for due, came, y, text in marks.beside:
            painter.drawLine(QPointF(due, y), QPointF(came, y))
            painter.drawLine(QPointF(due, y - 6), QPointF(due, y + 6))
            if abs(came - due) > 30:
                painter.drawText(QPointF(min(due, came) + 9, y - 4), text)

    def _paint_falling(self, painter: QPainter, ticks: list[tuple[float, float]]) -> None:
        painter.setPen(QPen(self.colour("rose"), 1.3))
        painter.setBrush(self.colour("paper"))
        for x, y in ticks:
            painter.drawPolygon([QPointF(x - 3.5, y - 4), QPointF(x + 3.5, y - 4), QPointF(x, y + 6)])

    def _paint_lit(self, painter: QPainter, picture: LoomPicture, marks: FindingMarks) -> None:
        """Mark at the left the rows that the chosen finding is about."""
        for place in marks.lit:
            top = picture.lines[place].top
            if top >= picture.heights.header:
                painter.fillRect(QRectF(32, top + 3, 3, picture.heights.row - 6), self.colour("rose"))

    def _paint_names(self, painter: QPainter, picture: LoomPicture) -> None:
        if not picture.names:
            return
        painter.setFont(self.small_font())
        painter.setPen(self.colour("quiet"))
        for x, y, text in picture.names:
            if x < self.width() and y > picture.heights.header:
                painter.drawText(QPointF(x, y + 4), text)

    def _paint_header(self, painter: QPainter, picture: LoomPicture) -> None:
        names = frozen_names(self, picture.frozen)
        paint_axis_header(self, painter, picture.grid, picture.heights.header, [box for box, _ in names])
        paint_frozen_names(self, painter, names)

    # --- hands -----------------------------------------------------------------------------------------

    def hover(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        call = picture.hit(point.x(), point.y()) if point.x() >= self.label_px else -1
        session.set_hover(call)
        if call >= 0:
            QToolTip.showText(self.mapToGlobal(point.toPoint()), plain_tooltip(describe_call(session, call)), self)
        elif point.x() < self.label_px:
            line = picture.line_at(point.y())
            if line >= 0:
                text = plain_tooltip(describe_line(session, picture.lines[line]))
                QToolTip.showText(self.mapToGlobal(point.toPoint()), text, self)

    def click(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        line = picture.line_at(point.y())
        resting = picture.resting
        if resting is not None and resting.top <= point.y() < resting.top + picture.heights.row:
            session.show_resting(not session.shows_resting)
            return
        if point.x() < self.label_px:
            if line >= 0 and point.x() <= 38 + 8:
                self.fold(picture.lines[line])
            return
        call = picture.hit(point.x(), point.y())
        if call >= 0:
            session.select_call(call)
        else:
            session.select_column(session.axis.column_at(self.position_at(point.x())))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        picture = self.current()
        if picture is not None and event.position().x() < self.label_px:
            line = picture.line_at(event.position().y())
            if line >= 0:
                self.fold(picture.lines[line])

    def fold(self, line: RowLine) -> None:
        """Fold a row's class, or unfold it, if it has more than one member."""
        session = self.session
        assert session is not None
        group = line.row.number if line.row.folded else int(session.row_index.class_of_listener[line.row.number])
        if line.row.folded or group in session.unfolded:
            session.toggle_fold(line.row)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        menu = QMenu(self)
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        # the key asks for what is selected, the hand for what is under it
        call = session.call if by_key else picture.hit(event.pos().x(), event.pos().y())
        line = self._line_of_call(picture, session, call) if by_key else picture.line_at(event.pos().y())
        if call >= 0:
            add_call_actions(menu, session, call)
        if line >= 0:
            shown = picture.lines[line]
            word = f"cls:{shown.owner}" if shown.row.folded else f"o:{shown.owner}"
            menu.addAction(tr("Sieve by “{owner}”", owner=shown_in_menu(shown.owner)), lambda: sieve(session, word))
            if call < 0:
                self._add_tripwires(menu, session, shown)
            if shown.row.folded or int(session.row_index.class_of_listener[shown.row.number]) in session.unfolded:
                menu.addAction(tr("Unfold") if shown.row.folded else tr("Fold"), lambda: self.fold(shown))
        menu.addSeparator()
        menu.addAction(tr("Fold all"), lambda: session.fold_all(True))
        menu.addAction(tr("Unfold all"), lambda: session.fold_all(False))
        menu.addAction(tr("Whole take"), session.show_all)
        menu.exec(self.mapToGlobal(self._place_of_line(picture, line)) if by_key else event.globalPos())

    def _line_of_call(self, picture: LoomPicture, session: Session, call: int) -> int:
        """Return the index of the line in view that a call's bead stands on, -1 where none does."""
        if call < 0:
            return -1
        row = session.row_index.row_of_call(call, session.unfolded)
        return next((index for index, line in enumerate(picture.lines) if line.row == row), -1)

    def _place_of_line(self, picture: LoomPicture, line: int) -> QPoint:
        """Return where a menu for a line is shown that no hand has asked for."""
        top = picture.lines[line].top if line >= 0 else picture.heights.header
        return QPoint(round(self.label_px), round(top + picture.heights.row))

    def _add_tripwires(self, menu: QMenu, session: Session, shown: RowLine) -> None:
        take = session.take
        listener = int(session.row_index.listeners_of(shown.row)[0])
        owner = take.text(int(take.listeners.owner[listener]))
        cls = take.class_of(int(take.listeners.owner[listener])) if shown.row.folded else ""
        event, function = (take.text(int(part[listener])) for part in (take.listeners.event, take.listeners.function))
        add_tripwires(menu, session, event=event, owner="" if cls else owner, cls=cls, function=function)

    def scroll_to_rows(self, rows: set[Row]) -> None:
        """Scroll so that the topmost of some rows is seen, of those that are listed and not folded away at rest."""
        session = self.session
        place = next((place for place, row in enumerate(session.rows) if row in rows), -1) if session else -1
        if session is None or place < 0 or is_folded_away(session, place):
            return
        top = line_of_row(session, place) * self.heights().row
        room = self.height() - self.heights().header - self.heights().row * 2
        if top < self.scroll_bar.value():
            self.scroll_bar.setValue(int(top))
        elif top > self.scroll_bar.value() + room:
            self.scroll_bar.setValue(int(top - room / 2))
