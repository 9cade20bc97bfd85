"""The weave Pacing: how regular, how wasteful."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QMenu, QWidget

from opossum_desk.context_menus import sieve
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.pacing.layout.gathering import recurring
from opossum_desk.pacing.layout.pacing import SPREAD_PX, PacedRow, PacingView, cost_told, layout_pacing, stack_rows
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.worst_first import paced_rows, tells_of
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas

MOST_PREPARED = 24
"""So many of the worst rows are reckoned off the window's thread; the others when they come into view."""
MOST_MEASURED = 2000
"""So many names are measured to find out how much room labels need."""


class PacingCanvas(RowCanvas):
    """Paints what recurs, worst first."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, "Pacing", parent)
        self.right_px = SPREAD_PX
        self.all_rows: list[Recurring] = []
        self.rows: list[PacedRow] = []
        self._stack = RowStack(np.zeros(0))
        self._meant: set[int] = set()
        self._shown_finding = ""
        self.setWhatsThis(
            "Pacing: each firing of what recurs is a dot at its distance from where it should have come: level is kept, "
            "raised is always late, a slope is drift, a cloud is jitter. At the right, how they spread; below the name, "
            "what it costs a second and how much of that was for nothing. Worst first."
        )

    def show_pacing(self, session: Session, rows: list[Recurring]) -> None:
        """Show a take of which everything that recurs is known."""
        self.all_rows = rows
        self.session = session
        session.subscribe("window selection hover axis", self.renew)
        session.subscribe("sieve findings", self._order)
        session.subscribe("selection", self._follow_finding)
        self._shown_finding = ""
        self._order()
        self.set_session(session)
        self._follow_finding()

    def _order(self) -> None:
        if self.session is None:
            return
        self.rows = paced_rows(self.session, self.all_rows)
        self._stack = stack_rows(self.rows, self.line_px())
        self._mean()
        self.cursor_row = min(self.cursor_row, len(self.rows) - 1)
        self.renew()

    def _mean(self) -> None:
        finding = self.session.finding if self.session is not None else None
        self._meant = (
            {place for place, row in enumerate(self.rows) if tells_of(finding, row.recurring)} if finding else set()
        )

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
        measured = self.all_rows[:MOST_MEASURED]
        self.fit_labels([(row.name, 12.0) for row in measured], [cost_told(row) for row in measured])
        view = PacingView(self.width(), self.height(), self.scroll_bar.value(), self.label_px, self.line_px())
        return layout_pacing(session, self.rows, self._stack, view, self._meant)

    def rows_height(self) -> float:
        return self._stack.height

    def row_count(self) -> int:
        return len(self.rows)

    def row_span(self, row: int) -> tuple[float, float]:
        return float(self._stack.tops[row]), float(self._stack.tops[row + 1])

    def summary(self) -> str:
        if self.session is None:
            return "No take is open."
        wrong = sum(row.finding is not None for row in self.rows)
        return f"{len(self.rows):,} things recur, {wrong:,} of them are told of by findings."

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
            menu.addAction(f"Tell: {found.summary[:60]}…", lambda: session.show_finding(found))
        if item.recurring.function:
            menu.addAction(
                f"Sieve by “{item.recurring.function}”", lambda: sieve(session, f"fn:{item.recurring.function}")
            )
        elif event:
            menu.addAction(f"Sieve by event “{event}”", lambda: sieve(session, f"ev:{event}"))


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
        self.canvas.show_pacing(session, known)
