"""The weave Compare: two takes, each row twice; what agrees fades, the first difference is marked."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from opossum.words import counted, tr
from opossum_desk.compare.layout.picture import Clock, layout_compare, stack_rows
from opossum_desk.compare.layout.rows import CompareRow, Sort, compare_rows
from opossum_desk.compare.layout.side_by_side import SideBySide
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas


class CompareCanvas(RowCanvas):
    """Paints both takes of a comparison on the axis of the one on the desk."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Compare"), parent)
        self.known: SideBySide | None = None
        self.rows: list[CompareRow] = []
        self.folded: set[str] = set()
        self._clock: Clock | None = None
        self.setWhatsThis(
            tr(
                "Compare: each listener twice, as it was before above and as it is after below. What agrees is a small faint dot; what is gone is hollow, what is new is filled, both in rose. The upright line is where the first difference lies; what follows from it is folded under it. Differences of chance, of another player and of the take's end stand apart."
            )
        )

    def list_rows(self, session: Session) -> RowStack:
        self.rows = compare_rows(self.known, session, self.folded) if self.known is not None else []
        labels = [(row.title, 16.0) for row in self.rows if row.title]
        names = [(row.listener.name[1] or row.listener.name[2], 30.0) for row in self.rows if row.listener is not None]
        remarks = [
            (self.known.remark(row.listener), 14.0) for row in self.rows if row.listener is not None and self.known
        ]
        self.labels.fit([*labels, *names], remarks)
        return stack_rows(self.rows, self.line_px(), self.width() - self.label_px - 12, self.letter_px())

    def mean(self, session: Session) -> Collection[int]:
        finding = session.finding
        if finding is None or not finding.subject.fn:
            return ()
        return {
            place
            for place, row in enumerate(self.rows)
            if row.listener is not None and row.listener.name[1] == finding.subject.fn
        }

    def lay_out(self, session: Session) -> RowPicture:
        clock = self._clock_of(session) if self.known is not None else None
        return layout_compare(self.known, clock, session, self.rows, self.stack, self.layout_view())

    def _clock_of(self, session: Session) -> Clock:
        """Return the clock of what is shown: made once a take and axis, it costs a look at every frame."""
        assert self.known is not None
        if self._clock is None or not self._clock.is_of(self.known, session):
            self._clock = Clock(self.known, session)
        return self._clock

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.order()  # sentences take other lines

    def fold(self, row: int) -> None:
        if 0 <= row < len(self.rows) and self.rows[row].key:
            self.folded ^= {self.rows[row].key}
            self.order()

    def summary(self) -> str:
        if self.known is None:
            return tr("Nothing lies beside this take.")
        comparison = self.known.comparison
        labels = comparison.labels
        count = sum(row.wrong for row in self.rows)
        return tr(
            "{labels} against {labels_2}: {differences} told.",
            labels=labels[0],
            labels_2=labels[1],
            differences=counted(count, "difference"),
        )

    def describe_row(self, row: int) -> str:
        if not 0 <= row < len(self.rows) or self.known is None:
            return ""
        item = self.rows[row]
        if item.listener is not None:
            cls, function, event = item.listener.name
            return tr(
                "{function} of {cls} for {event}: {remark}",
                function=function,
                cls=cls,
                event=event,
                remark=self.known.remark(item.listener),
            )
        return f"{item.title}: {item.text}" if item.title and item.text else item.title or item.text

    def walk_to(self, row: int) -> None:
        shown = 0 <= row < len(self.rows) and self.rows[row].sort is Sort.DIFFERENCE
        if self.session is not None and self.known is not None and shown:
            self._go_to_difference(self.session, self.rows[row].number)
        super().walk_to(row)  # after it, so that the row is what is said

    def _go_to_difference(self, session: Session, number: int) -> None:
        """Select the frame in which a first difference lies, where the axis has it."""
        if number >= 0 and self.known is not None:
            position = float(self._clock_of(session).positions(self.known.difference_seconds[[number]])[0])
            session.select_column(session.axis.column_at(position))

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        if not 0 <= row < len(self.rows):
            return
        item = self.rows[row]
        menu.addAction(tr("Copy as text"), lambda: QApplication.clipboard().setText(self.describe_row(row)))
        if item.key:
            menu.addAction(tr("Fold") if item.faded else tr("Unfold"), lambda: self.fold(row))


class CompareWeave(GatheredWeave):
    """Compare as a weave."""

    gathering_told = "Putting both takes side by side …"
    canvas: CompareCanvas

    def __init__(self, look: Look) -> None:
        super().__init__(CompareCanvas(look))

    def set_session(self, session: Session | None) -> None:
        if session is not None:
            session.subscribe("beside", self._follow_comparison)
        super().set_session(session)

    def _follow_comparison(self) -> None:
        self.canvas.folded = set()
        super().set_session(self.session)

    def gather(self, session: Session) -> SideBySide | None:
        comparison = session.beside.comparison
        return SideBySide(comparison, session.take) if comparison is not None else None

    def show_gathered(self, session: Session, known: SideBySide | None) -> None:
        self.canvas.known = known
        self.canvas.show_rows(session)
