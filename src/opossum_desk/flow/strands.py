"""The Strands: timers, delays, clips, waits, queues and values over the same frames."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QFontMetricsF, QKeyEvent, QPainter
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from opossum.foreign_text import shown_in_menu
from opossum.take.grouping import distinct
from opossum.words import counted, tr
from opossum_desk.context_menus import add_call_actions, add_tripwires, sieve
from opossum_desk.flow.layout.frozen import frozen_bands
from opossum_desk.flow.layout.strand_marks import VIA_OF_KIND
from opossum_desk.flow.layout.strand_order import OrderedStrand, order_strands, strands_of
from opossum_desk.flow.layout.strand_rows import StrandRow, gather_strands
from opossum_desk.flow.layout.strands import StrandPicture, layout_strands
from opossum_desk.flow.layout.strokes import StrokeRun
from opossum_desk.flow.strand_pressing import GROUNDS, press_runs
from opossum_desk.flow.strand_strokes import paint_stroke, role_of
from opossum_desk.flow.strand_walk import StrandWalk
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.describing import name_send
from opossum_desk.state.session import Session
from opossum_desk.views.canvas import WASH_ALPHA, AxisCanvas, text_cutter
from opossum_desk.views.label_column import LabelColumn
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_bars import press_bars, press_boxes
from opossum_desk.views.pixel_sheet import PixelSheet, premultiplied
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import MOST_CHILDREN, Spoken
from opossum_desk.views.stamps import Stamps

DOT_PX = 7.0
MOST_TRACKS = 6
"""Tracks of one row whose sound a menu asks for."""
LABEL_MARGIN_PX = 52.0
MOST_MEASURED = 400
"""So many names are measured to find out how much room labels need."""


class StrandsView(AxisCanvas):
    """Paints a `StrandPicture`.

    A strand can be walked to by Shift+Up and Shift+Down (`walk`), and is said aloud then; Shift+Right and Shift+Left go from
    one thing that happens on it to the next.
    """

    row_told = Signal(str)
    """What a strand that was walked to is, for the status line."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Strands"), parent)
        self._rows: list[StrandRow] = []
        self.ordered: list[OrderedStrand] = []
        """The strands as they stand, from top to bottom."""
        self.walk = StrandWalk(self, lambda: self.ordered, self.row_told.emit)
        self.picture: StrandPicture | None = None
        self._stamps: Stamps | None = None
        self._sheet = PixelSheet(self)
        self._labels = LabelColumn(self)
        self._cut = text_cutter(self.small_font())
        self.setMinimumSize(320, 60)
        self.setWhatsThis(
            tr(
                "The Strands: a timer is a line with a dot where it fires, a delay an arc from set to landing, a clip a bar with its marks (hollow: missed), a wait a dashed line that ends in what met it, a queue its length, a watched value a step line with its number at the edge, a log line a tick. First stands what belongs to the selection, then what does something in view."
            )
        )

    def restyle(self) -> None:
        self._stamps = None
        self._labels.forget()
        self._cut = text_cutter(self.small_font())
        super().restyle()

    def set_session(self, session: Session | None) -> None:
        self._rows = gather_strands(session.take) if session is not None else []
        self.walk.row = None
        self.session = session
        if session is not None:
            session.subscribe("window hover axis sounds", self.renew)
            session.subscribe("selection sieve findings settled", self.order)
        self.order()
        self.scroll_bar.setValue(0)
        super().set_session(session)

    def order(self) -> None:
        """Put first what belongs to the selection and what does something in view; called when moving has come to rest."""
        self.ordered = order_strands(self.session, self._rows) if self.session is not None else []
        self.renew()

    def label_needs(self) -> float:
        """Return how wide labels must be to show every strand's name whole, of the first `MOST_MEASURED`."""
        metrics = QFontMetricsF(self.small_font())
        widest = max((metrics.horizontalAdvance(row.label) for row in self._rows[:MOST_MEASURED]), default=0.0)
        return widest + LABEL_MARGIN_PX

    def content_height(self) -> float:
        return len(self.ordered) * self.heights().strand + 4

    def renew(self) -> None:
        self.picture = None
        super().renew()

    def current(self) -> StrandPicture | None:
        """Return the picture, laid out if need be."""
        if self.picture is None and self.session is not None:
            self.picture = layout_strands(
                self.session,
                [strand.row for strand in self.ordered],
                self.width(),
                self.height(),
                self.scroll_bar.value(),
                self.label_px,
                self.heights().strand,
            )
        return self.picture

    def summary(self) -> str:
        return tr(
            "{ordered} strands: timers, delays, clips, waits, queues, values and log lines.", ordered=len(self.ordered)
        )

    def spoken(self) -> list[Spoken]:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return []
        tall = self.heights().strand
        told = [
            Spoken(f"{line.label}, {line.kind}", (0.0, line.top, self.label_px, tall), "row") for line in picture.lines
        ]
        for run in picture.dots:
            for x, send in zip(run.xs.tolist(), run.sends.tolist(), strict=True):
                if send >= 0 and len(told) < MOST_CHILDREN:
                    told.append(Spoken(name_send(session, send), (x - DOT_PX, run.y - DOT_PX, 2 * DOT_PX, 2 * DOT_PX)))
        return told

    # --- painting ----------------------------------------------------------------------------------

    def paint(self, painter: QPainter, session: Session) -> None:
        picture = self.current()
        if picture is None:
            return
        if not picture.lines:
            painter.setPen(self.colour("quiet"))
            painter.drawText(
                QRectF(self.rect()),
                Qt.AlignmentFlag.AlignCenter,
                tr("No strand passes the sieve.")
                if self._rows
                else tr("This take holds no timers, clips, waits, queues or values."),
            )
            return
        if session.column >= 0:
            edges = session.axis.edges
            left = picture.scale.x(float(edges[session.column]))
            width = max(2.0, picture.scale.x(float(edges[session.column + 1])) - left)
            painter.fillRect(QRectF(left, 0, width, self.height()), self.colour("choice"))
        bands = frozen_bands(session, picture.scale)
        self.wash(painter, [(band.left, band.right, WASH_ALPHA) for band in bands])
        painter.save()
        painter.setClipRect(QRectF(self.label_px - 4, 0, self.width(), self.height()))
        lit, sieved = self._lit_sends(session), session.sieve.active
        self._press(session, picture, lit)
        self._sheet.paint(painter, self.label_px - 4, 0.0)
        for stroke in picture.strokes:
            is_faded = sieved and self._is_faded(picture, (stroke.y + stroke.y2) / 2)
            paint_stroke(self, painter, stroke, role_of(stroke.kind, stroke.state, is_faded))
        self.paint_measure(painter)
        painter.restore()
        meant = strands_of(session, [self.ordered[line.place].row for line in picture.lines])
        faded = [self.ordered[line.place].faded for line in picture.lines]

        def write(within: QPainter) -> None:
            self._write_labels(within, picture, meant, faded)

        seen = (picture.lines, meant, faded, self.walk.place)
        self._labels.paint(painter, 0.0, seen, write)

    def _write_labels(self, painter: QPainter, picture: StrandPicture, meant: set[int], faded: list[bool]) -> None:
        painter.setFont(self.small_font())
        tall = self.heights().strand
        for place, line in enumerate(picture.lines):
            if line.place == self.walk.place:
                painter.fillRect(QRectF(0, line.top, self.label_px - 6, tall), self.colour("choice"))
            if place in meant:
                painter.fillRect(QRectF(30, line.top + 5, 3, tall - 10), self.colour("rose"))
            painter.setPen(self.colour("faint" if faded[place] else "ink"))
            text = self._cut(line.label, self.label_px - 46)
            painter.drawText(QRectF(38, line.top, self.label_px - 44, tall), Qt.AlignmentFlag.AlignVCenter, text)

    def _is_faded(self, picture: StrandPicture, y: float) -> bool:
        """Say whether what is drawn at a height belongs to a strand that the sieve does not let through."""
        if self.session is None or not self.session.sieve.active:
            return False
        tall = self.heights().strand
        return any(line.top <= y < line.top + tall and self.ordered[line.place].faded for line in picture.lines)

    def _press(self, session: Session, picture: StrandPicture, lit: frozenset[int]) -> None:
        """Press all that there may be thousands of into the sheet: lines, bars of a pixel's width, arcs, marks, dots."""
        ratio, canvas = self.devicePixelRatioF(), self._sheet.cleared()
        if self._stamps is None or self._stamps.ratio != ratio:
            self._stamps = Stamps(self.look, ratio)
        runs = self._runs_with_roles(picture, lit)
        press_runs(self, canvas, [own for own in runs if own[0].shape in GROUNDS], ratio)
        for boxes in picture.boxes:
            faded = [self._is_faded(picture, y) for y in boxes.boxes[:, 1].tolist()] if session.sieve.active else []
            pale = np.array(faded) if any(faded) else np.zeros(len(boxes.boxes), bool)
            press_boxes(canvas, boxes.boxes[~pale], self._shade(boxes.role, boxes.alpha), ratio)
            press_boxes(canvas, boxes.boxes[pale], self._shade("faint", boxes.alpha), ratio)
        for bars in picture.bars:
            is_pale = self._is_faded(picture, float(bars.bottoms.max(initial=0.0)))
            press_bars(canvas, bars, self._shade("faint" if is_pale else bars.role, bars.alpha), ratio)
        press_runs(self, canvas, [own for own in runs if own[0].shape not in GROUNDS], ratio)
        for kind in dict.fromkeys(run.kind for run in picture.dots):
            # all dots of one look at once: a press costs more than its dots
            dots = [run for run in picture.dots if run.kind == kind]
            xs, sends = np.concatenate([run.xs for run in dots]), np.concatenate([run.sends for run in dots])
            ys = np.repeat([run.y for run in dots], [len(run.xs) for run in dots])
            chosen = np.isin(sends, list(lit)) if lit else np.zeros(len(sends), bool)
            pale = np.repeat([self._is_faded(picture, run.y) for run in dots], [len(run.xs) for run in dots])
            for is_lit, is_pale in ((False, False), (False, True), (True, False), (True, True)):
                mine = (chosen == is_lit) & (pale == is_pale)
                if mine.any():
                    stamp = self._stamps.get(VIA_OF_KIND[kind], BeadState.DID, DOT_PX, is_pale, is_lit)
                    self._stamps.press(canvas, stamp, xs[mine] * ratio, ys[mine] * ratio)

    def _runs_with_roles(self, picture: StrandPicture, lit: frozenset[int]) -> list[tuple[StrokeRun, str]]:
        """Return the runs of a picture with the role of each one's colour; marks of the selected call are runs of their own."""
        runs = []
        for run in picture.runs:
            role = role_of(run.kind, run.state, self._is_faded(picture, float(run.ends[0, 1] + run.ends[0, 3]) / 2))
            chosen = np.isin(run.sends, list(lit)) if lit and len(run.sends) else np.zeros(len(run.ends), bool)
            for mine, own in ((~chosen, role), (chosen, "focus")):
                if mine.any():
                    runs.append((run._replace(ends=run.ends[mine]), own))
        return runs

    def _shade(self, role: str, alpha: int) -> np.uint32:
        return np.uint32(premultiplied(self.role_colour(role), alpha))

    def _lit_sends(self, session: Session) -> frozenset[int]:
        if not session.selection.related:
            return frozenset()
        return frozenset(session.take.calls.send[np.fromiter(session.selection.related, np.int64)].tolist())

    # --- hands ---------------------------------------------------------------------------------------

    def hover(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        send = picture.hit(point.x(), point.y()) if point.x() >= self.label_px else -1
        if send < 0:
            session.set_hover(-1)
            return
        calls = session.calls_of_send(send).tolist()
        session.set_hover(calls[0] if calls else -1)
        event = session.take.text(int(session.take.tables["send"]["ev"][send]))
        QToolTip.showText(
            self.mapToGlobal(point.toPoint()), plain_tooltip(f"{event}: {counted(len(calls), 'call')}"), self
        )

    def click(self, point: QPointF) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None or point.x() < self.label_px:
            return
        send = picture.hit(point.x(), point.y())
        calls = session.calls_of_send(send).tolist() if send >= 0 else []
        if calls:
            session.select_call(calls[0])
        else:
            session.select_column(session.axis.column_at(self.position_at(point.x())))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        if by_key:
            self._menu_of_cursor(session)
            return
        send = picture.hit(event.pos().x(), event.pos().y())
        calls = session.calls_of_send(send).tolist() if send >= 0 else []
        menu = QMenu(self)
        if calls:
            add_call_actions(menu, session, calls[0])
        else:
            column = session.axis.column_at(self.position_at(event.pos().x()))
            menu.addAction(tr("Select this frame"), lambda: session.select_column(column))
            line = next(
                (line for line in picture.lines if line.top <= event.pos().y() < line.top + self.heights().strand), None
            )
            if line is not None:
                self._add_strand_actions(menu, session, self.ordered[line.place].row)
            menu.addAction(tr("Whole take"), session.show_all)
        menu.exec(event.globalPos())

    def _menu_of_cursor(self, session: Session) -> None:
        """Show what can be done with the strand that keys have walked to, and with the selected call."""
        menu = QMenu(self)
        if self.walk.row is not None:
            self._add_strand_actions(menu, session, self.walk.row)
            menu.addSeparator()
        if session.call >= 0:
            add_call_actions(menu, session, session.call)
        menu.addAction(tr("Whole take"), session.show_all)
        top = max(0, self.walk.place) * self.heights().strand - self.scroll_bar.value()
        menu.exec(self.mapToGlobal(QPoint(round(self.label_px), round(top + self.heights().strand))))

    # --- keys ----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        walks = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        key = Qt.Key(event.key())
        if shifted and key in walks and self.ordered:
            self.walk.to(max(0, min(len(self.ordered) - 1, self.walk.place + walks[key])))
        elif shifted and key in steps:
            self.walk.step(steps[key])
        else:
            super().keyPressEvent(event)

    def _add_strand_actions(self, menu: QMenu, session: Session, row: StrandRow) -> None:
        sound_of = session.sound_of
        if row.kind == "track" and sound_of is not None:
            clips = distinct(np.asarray(session.take.tables["play"]["clip"])[row.items]).tolist()[:MOST_TRACKS]
            for clip in (session.take.text(int(code)) for code in clips):
                menu.addAction(
                    tr("Give “{clip}” its sound or its cues …", clip=shown_in_menu(clip)), partial(sound_of, clip)
                )
        if row.event and row.kind != "value":
            menu.addAction(
                tr("Sieve by event “{row}”", row=shown_in_menu(row.event)), lambda: sieve(session, f"ev:{row.event}")
            )
            add_tripwires(menu, session, event=row.event, sent=True)
        elif row.cls:
            menu.addAction(
                tr("Sieve by class “{row}”", row=shown_in_menu(row.cls)), lambda: sieve(session, f"cls:{row.cls}")
            )
