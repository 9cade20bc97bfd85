"""The weave Clips: clips laid over each other, and their marks."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QMenu, QWidget

from opossum_desk.clips.layout.clips import ClipsView, clip_remark, layout_clips, stack_rows
from opossum_desk.clips.layout.plays import Overlaid
from opossum_desk.clips.layout.rows import ClipRow, Sort, clip_rows, tells_of
from opossum_desk.context_menus import sieve
from opossum_desk.layout.row_picture import HEADER_PX, RowPicture, RowStack
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas


class ClipsCanvas(RowCanvas):
    """Paints the clips of each class; x is the place within the clip, so the shared axis chooses only what is not faded."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, "Clips", parent)
        self.is_on_axis = False
        self.known: Overlaid | None = None
        self.rows: list[ClipRow] = []
        self._stack = RowStack(np.zeros(0))
        self._meant: set[int] = set()
        self._shown_finding = ""
        self.setWhatsThis(
            "Clips: all plays of a clip laid over each other. Tall ticks are planned marks, dots where they really came, "
            "hollow ones never came; an arc is a delay that acts beside the clip, a ragged line a cut, a dashed one a wait "
            "(rose: in vain). Below, which clip of the class has which mark. What is not in the visible stretch is faint."
        )

    def show_clips(self, session: Session, known: Overlaid) -> None:
        """Show a take of which all plays are known."""
        self.known = known
        self.session = session
        session.subscribe("window selection hover axis", self.renew)
        session.subscribe("sieve findings", self._order)
        session.subscribe("selection", self._follow_finding)
        self._shown_finding = ""
        self._order()
        self.set_session(session)
        self._follow_finding()

    def _order(self) -> None:
        if self.session is None or self.known is None:
            return
        self.rows = clip_rows(self.known, self.session)
        self._stack = stack_rows(self.rows, self.line_px())
        self._mean()
        self.cursor_row = min(self.cursor_row, len(self.rows) - 1)
        self.renew()

    def _mean(self) -> None:
        finding, known = self.session.finding if self.session is not None else None, self.known
        self._meant = set()
        if finding is not None and known is not None:
            self._meant = {
                place
                for place, row in enumerate(self.rows)
                if row.sort in (Sort.CLIP, Sort.GRID) and tells_of(known, finding, row.clip)
            }

    def _follow_finding(self) -> None:
        session = self.session
        name = session.finding.id if session is not None and session.finding is not None else ""
        if name != self._shown_finding:
            self._shown_finding = name
            self._mean()
            if self._meant:
                self.scroll_to_row(min(self._meant))

    def restyle(self) -> None:
        super().restyle()
        self._order()

    def lay_out(self, session: Session) -> RowPicture:
        assert self.known is not None
        self.fit_labels(
            [(row.clip.clip, 12.0) for row in self.rows if row.sort is Sort.CLIP],
            [line for row in self.rows if row.findings for line in clip_remark(self.known, row)[0].split("\n")],
        )
        view = ClipsView(self.width(), self.height(), self.scroll_bar.value(), self.label_px, self.line_px())
        return layout_clips(self.known, session, self.rows, self._stack, view, self._meant)

    def paint_header(self, painter: QPainter) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), HEADER_PX), self.colour("paper"))
        painter.setFont(self.small_font())
        painter.setPen(self.colour("quiet"))
        text = "place within the clip, all plays over each other →"
        painter.drawText(QRectF(28, 0, self.width() - 40, HEADER_PX), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(self.colour("line"))
        painter.drawLine(QPointF(0, HEADER_PX), QPointF(self.width(), HEADER_PX))

    def rows_height(self) -> float:
        return self._stack.height

    def row_count(self) -> int:
        return len(self.rows)

    def row_span(self, row: int) -> tuple[float, float]:
        return float(self._stack.tops[row]), float(self._stack.tops[row + 1])

    def summary(self) -> str:
        if self.session is None or self.known is None:
            return "No take is open."
        clips = [row for row in self.rows if row.sort is Sort.CLIP]
        wrong = sum(bool(row.findings) for row in clips)
        return f"{len(clips):,} clips, {wrong:,} of them are told of by findings."

    def describe_row(self, row: int) -> str:
        if self.known is None or not 0 <= row < len(self.rows):
            return ""
        item = self.rows[row]
        if item.sort is Sort.CLASS:
            return f"class {item.clip.cls}"
        if item.sort is Sort.GRID_HEAD:
            return f"marks of class {item.clip.cls}: {', '.join(self.known.name_of(number) for number in item.marks)}"
        has = {number for number, _ in item.clip.planned}
        if item.sort is Sort.GRID:
            lacks = [self.known.name_of(number) for number in item.marks if number not in has]
            told = f"lacks {', '.join(lacks)}" if lacks else "has all marks of its class"
            return f"{item.clip.clip} {told}"
        lines = [f"clip {item.clip.clip}, {item.clip.seconds:.2f} s", clip_remark(self.known, item)[0]]
        return "\n".join([*lines, *(finding.summary for finding in item.findings[:3])])

    def choose(self, session: Session, kind: str, row: int, position: float) -> None:
        if kind == "play" and self.known is not None:
            time = np.asarray(self.known.take.tables["play"]["t"], np.int64)[row : row + 1]
            session.select_column(int(session.axis.columns_of_times(time)[0]))
        elif kind == "send" and row >= 0:
            super().choose(session, kind, row, position)

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        session, item = self.session, self.rows[row]
        if session is None:
            return
        for finding in item.findings[:4]:
            menu.addAction(f"Tell: {finding.summary[:60]}…", partial(session.show_finding, finding))
        menu.addAction("Go to its first play", lambda: self.choose(session, "play", int(item.clip.plays[0]), 0.0))
        if item.clip.cls:
            menu.addAction(f"Sieve by class “{item.clip.cls}”", lambda: sieve(session, f"cls:{item.clip.cls}"))


class ClipsWeave(GatheredWeave):
    """Clips as a weave."""

    gathering_told = "Gathering the clips …"
    canvas: ClipsCanvas

    def __init__(self, look: Look) -> None:
        super().__init__(ClipsCanvas(look))

    def gather(self, session: Session) -> Overlaid:
        return Overlaid(session.take)

    def show_gathered(self, session: Session, known: Overlaid) -> None:
        self.canvas.show_clips(session, known)
