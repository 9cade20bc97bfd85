"""The weave Flow: the Loom above the Strands."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QScrollBar, QSplitter, QVBoxLayout, QWidget

from opossum.words import tr
from opossum_desk.flow.layout.loom import LABEL_PX
from opossum_desk.flow.loom import LoomView
from opossum_desk.flow.strands import StrandsView
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.weave import WeaveView

MOST_LABEL_SHARE = 0.36


class FlowWeave(WeaveView):
    """Calls in the order they ran, and below what sets them off."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session: Session | None = None
        self._shown_finding = ""
        self.loom, self.strands = LoomView(look), StrandsView(look)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.setAccessibleName(tr("Loom and Strands"))
        self.split.setHandleWidth(3)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(self.loom)
        self.split.addWidget(self.strands)
        self.split.setSizes([420, 190])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.split)
        for view in (self.loom, self.strands):
            view.measured.connect(self.said)
        self.strands.row_told.connect(self.said)

    def set_session(self, session: Session | None) -> None:
        self.session = session
        self.loom.set_session(session)
        self.strands.set_session(session)
        self._shown_finding = ""
        if session is not None:
            session.subscribe("rows", self._fit_labels)
            session.subscribe("selection", self._follow_finding)
        self._fit_labels()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_labels()

    def _fit_labels(self) -> None:
        """Give the names of both views the room they need, up to a share of the width: one axis runs below both."""
        if self.session is None:
            return
        needed = max(self.loom.labels.needs(self.session), self.strands.label_needs())
        room = float(round(max(LABEL_PX, min(needed, self.width() * MOST_LABEL_SHARE))))
        for view in (self.loom, self.strands):
            if view.label_px != room:
                view.label_px = room
                view.renew()

    def focusable(self) -> list[QWidget]:
        return [self.loom, self.strands]

    def panels(self) -> dict[str, QWidget]:
        return {"Strands": self.strands}

    def splits(self) -> dict[str, QSplitter]:
        return {"middle": self.split}

    def scroll_bars(self) -> list[QScrollBar]:
        return [self.loom.scroll_bar, self.strands.scroll_bar]

    def reveal_call(self, call: int) -> None:
        if self.session is not None and call >= 0:
            self.loom.scroll_to_rows({self.session.row_index.row_of_call(call, self.session.unfolded)})

    def _follow_finding(self) -> None:
        """Show a row of a finding that was gone to, where no call of it is selected."""
        session = self.session
        finding = session.finding if session is not None else None
        shown, self._shown_finding = self._shown_finding, finding.id if finding is not None else ""
        if session is not None and finding is not None and finding.id != shown and session.call < 0:
            self.loom.scroll_to_rows(session.rows_meant(finding))

    def fold_selected(self) -> None:
        session = self.session
        if session is not None and session.call >= 0:
            session.toggle_fold(session.row_index.row_of_call(session.call, session.unfolded))
            self.reveal_call(session.call)

    def clear_measure(self) -> None:
        self.loom.clear_measure()
        self.strands.clear_measure()
