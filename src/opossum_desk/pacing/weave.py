"""The weave Pacing: how regular, how wasteful."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtWidgets import QMenu, QWidget

from opossum.foreign_text import shown_in_menu
from opossum.words import tr
from opossum_desk.context_menus import sieve
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.pacing.layout.gathering import recurring
from opossum_desk.pacing.layout.pacing import SPREAD_PX, PacedRow, cost_told, layout_pacing, stack_rows
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.worst_first import paced_rows, tells_of
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas

MOST_PREPARED = 24
"""So many of the worst rows are reckoned off the window's thread; the others when they come into view."""
WIDEST_SPREAD = "± 000.00 s"
BESIDE_SPREAD_PX = 20.0
"""Room about the words that tell a spread: for the gap before them, and for the handle of the scroll bar behind them."""
MOST_MEASURED = 2000
"""So many names are measured to find out how much room labels need."""


class PacingCanvas(RowCanvas):
    """Paints what recurs, worst first."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Pacing"), parent)
        self.right_px = SPREAD_PX
        self.all_rows: list[Recurring] = []
        self.rows: list[PacedRow] = []
        self.setWhatsThis(
            tr(
                "Pacing: each firing of what recurs is a dot at its distance from where it should have come: level is kept, raised is always late, a slope is drift, a cloud is jitter; of a cooldown, how long after its end its function acted again. At the right, how they spread; below the name, what it costs a second and how much of that was for nothing. Worst first."
            )
        )

    def list_rows(self, session: Session) -> RowStack:
        self.rows = paced_rows(session, self.all_rows)
        return stack_rows(self.rows, self.line_px(), self.detail_px())

    def mean(self, session: Session) -> Collection[int]:
        finding = session.finding
        if finding is None:
            return ()
        return {place for place, row in enumerate(self.rows) if tells_of(finding, row.recurring)}

    def lay_out(self, session: Session) -> RowPicture:
        self.right_px = max(SPREAD_PX, self.small_metrics().horizontalAdvance(WIDEST_SPREAD) + BESIDE_SPREAD_PX)
        measured = self.all_rows[:MOST_MEASURED]
        self.labels.fit([(row.name, 12.0) for row in measured], [(cost_told(row), 0.0) for row in measured])
        return layout_pacing(session, self.rows, self.stack, self.layout_view(), self.meant, self.right_px)

    def summary(self) -> str:
        if self.session is None:
            return tr("No take is open.")
        wrong = sum(row.finding is not None for row in self.rows)
        return tr("{rows:,} things recur, {wrong:,} of them are told of by findings.", rows=len(self.rows), wrong=wrong)

    def describe_row(self, row: int) -> str:
        if not 0 <= row < len(self.rows):
            return ""
        item = self.rows[row]
        lines = [
            f"{item.recurring.name}, {item.recurring.rhythm}",
            item.recurring.verdict[0],
        ]
        if item.recurring.cost_ns:
            lines.append(cost_told(item.recurring))
        if item.finding is not None:
            lines.append(item.finding.advice)
        return "\n".join(lines)

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        session, item = self.session, self.rows[row]
        if session is None:
            return
        found, event = item.finding, item.recurring.event
        if found is not None:
            menu.addAction(
                tr("Tell: {found}…", found=shown_in_menu(found.summary[:60])), lambda: session.show_finding(found)
            )
        if item.recurring.function:
            menu.addAction(
                tr("Sieve by “{item}”", item=item.recurring.function),
                lambda: sieve(session, f"fn:{item.recurring.function}"),
            )
        elif event:
            menu.addAction(
                tr("Sieve by event “{event}”", event=shown_in_menu(event)), lambda: sieve(session, f"ev:{event}")
            )


class PacingWeave(GatheredWeave):
    """Pacing as a weave."""

    gathering_told = "Gathering what recurs …"
    canvas: PacingCanvas

    def __init__(self, look: Look) -> None:
        super().__init__(PacingCanvas(look))

    def gather(self, session: Session) -> list[Recurring]:
        rows = recurring(session.take)
        for row in paced_rows(session, rows)[:MOST_PREPARED]:
            row.recurring.prepare()
        return rows

    def show_gathered(self, session: Session, known: list[Recurring]) -> None:
        self.canvas.all_rows = known
        self.canvas.show_rows(session)
