"""The weave Clips: clips laid over each other, and their marks."""

from __future__ import annotations

from collections.abc import Collection
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QMenu, QWidget

from opossum.foreign_text import shown_in_menu
from opossum.words import tr
from opossum_desk.clips.layout.clips import clip_remark, layout_clips, stack_rows
from opossum_desk.clips.layout.plays import Overlaid
from opossum_desk.clips.layout.rows import ClipRow, Sort, clip_rows, tells_of
from opossum_desk.context_menus import sieve
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas


class ClipsCanvas(RowCanvas):
    """Paints the clips of each class; x is the place within the clip, so the shared axis chooses only what is not faded."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Clips"), parent)
        self.is_on_axis = False
        self.known: Overlaid | None = None
        self.rows: list[ClipRow] = []
        self.setWhatsThis(
            tr(
                "Clips: all plays of a clip laid over each other. Tall ticks are planned marks, dots where they really came, hollow ones never came; an arc is a delay that acts beside the clip, a ragged line a cut, a dashed one a wait (rose: in vain). Below, which clip of the class has which mark. What is not in the visible stretch is faint."
            )
        )

    def list_rows(self, session: Session) -> RowStack:
        assert self.known is not None
        self.rows = clip_rows(self.known, session)
        return stack_rows(self.rows, self.line_px())

    def mean(self, session: Session) -> Collection[int]:
        finding, known = session.finding, self.known
        if finding is None or known is None:
            return ()
        return {
            place
            for place, row in enumerate(self.rows)
            if row.sort in (Sort.CLIP, Sort.GRID) and tells_of(known, finding, row.clip)
        }

    def lay_out(self, session: Session) -> RowPicture:
        assert self.known is not None
        self.labels.fit(
            [(row.clip.clip, 12.0) for row in self.rows if row.sort is Sort.CLIP],
            [(line, 10.0) for row in self.rows if row.findings for line in clip_remark(self.known, row)[0].split("\n")],
        )
        return layout_clips(self.known, session, self.rows, self.stack, self.layout_view(), self.meant)

    def paint_header(self, painter: QPainter) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), self.heights().header), self.colour("paper"))
        painter.setFont(self.small_font())
        painter.setPen(self.colour("quiet"))
        text = tr("place within the clip, all plays over each other →")
        painter.drawText(QRectF(28, 0, self.width() - 40, self.heights().header), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(self.colour("line"))
        painter.drawLine(QPointF(0, self.heights().header), QPointF(self.width(), self.heights().header))

    def summary(self) -> str:
        if self.session is None or self.known is None:
            return tr("No take is open.")
        clips = [row for row in self.rows if row.sort is Sort.CLIP]
        wrong = sum(bool(row.findings) for row in clips)
        return tr("{clips:,} clips, {wrong:,} of them are told of by findings.", clips=len(clips), wrong=wrong)

    def describe_row(self, row: int) -> str:
        if self.known is None or not 0 <= row < len(self.rows):
            return ""
        item = self.rows[row]
        if item.sort is Sort.CLASS:
            return tr("class {cls}", cls=item.clip.cls)
        if item.sort is Sort.GRID_HEAD:
            return tr(
                "marks of class {cls}: {join}",
                cls=item.clip.cls,
                join=", ".join(self.known.name_of(number) for number in item.marks),
            )
        has = {number for number, _ in item.clip.planned}
        if item.sort is Sort.GRID:
            lacks = [self.known.name_of(number) for number in item.marks if number not in has]
            told = tr("lacks {join}", join=", ".join(lacks)) if lacks else tr("has all marks of its class")
            return f"{item.clip.clip} {told}"
        lines = [
            tr("clip {clip}, {seconds:.2f} s", clip=item.clip.clip, seconds=item.clip.seconds),
            clip_remark(self.known, item)[0],
        ]
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
            menu.addAction(
                tr("Tell: {finding}…", finding=shown_in_menu(finding.summary[:60])),
                partial(session.show_finding, finding),
            )
        menu.addAction(tr("Go to its first play"), lambda: self.choose(session, "play", int(item.clip.plays[0]), 0.0))
        if item.clip.cls:
            menu.addAction(
                tr("Sieve by class “{item}”", item=shown_in_menu(item.clip.cls)),
                lambda: sieve(session, f"cls:{item.clip.cls}"),
            )


class ClipsWeave(GatheredWeave):
    """Clips as a weave."""

    gathering_told = "Gathering the clips …"
    canvas: ClipsCanvas

    def __init__(self, look: Look) -> None:
        super().__init__(ClipsCanvas(look))

    def gather(self, session: Session) -> Overlaid:
        return Overlaid(session.take)

    def show_gathered(self, session: Session, known: Overlaid) -> None:
        self.canvas.known = known
        self.canvas.show_rows(session)
