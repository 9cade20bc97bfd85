"""The area Flow: Pulse on top, findings at the left, Loom and Strands in the middle, Slice and Story at the right."""

from __future__ import annotations

from collections.abc import Callable, Collection

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from opossum_desk.area import AreaView, Desk
from opossum_desk.flow.findings_list import FindingsList
from opossum_desk.flow.loom import LoomView
from opossum_desk.flow.pulse import PulseView
from opossum_desk.flow.sieve_line import SieveLine
from opossum_desk.flow.slice import SliceView
from opossum_desk.flow.story import StoryView
from opossum_desk.flow.strands import StrandsView
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.views.panels import titled


class FlowArea(AreaView):
    """All views of one take on one axis and one selection."""

    said = Signal(str)

    @classmethod
    def of(cls, desk: Desk) -> FlowArea:
        """Return the area of a desk."""
        area = cls(desk.look)
        area.said.connect(desk.say)
        return area

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session: Session | None = None
        self._gone_told = ""
        self.pulse = PulseView(look)
        self.findings = FindingsList(look)
        self.sieve = SieveLine()
        self.loom = LoomView(look)
        self.strands = StrandsView(look)
        self.slice = SliceView(look)
        self.story = StoryView(look)
        self.story.left_out.connect(self.said)

        self.all_findings = QPushButton("Show all findings")
        self.all_findings.clicked.connect(lambda: self.ask(()))
        self.all_findings.hide()
        self.findings_panel = titled("What is wrong", self.findings, below=self.all_findings)[1]
        self._make_banner()
        self._arrange()
        for view in (self.loom, self.strands):
            view.measured.connect(self.said)

    def _make_banner(self) -> None:
        """Make the line above everything that tells what cannot wait, and what to do about it."""
        self.banner = QFrame()
        self.banner.setProperty("role", "banner")
        self.banner_text = QLabel()
        self.banner_text.setTextFormat(Qt.TextFormat.PlainText)
        self.banner_text.setWordWrap(True)
        self.banner_button = QPushButton()
        row = QHBoxLayout(self.banner)
        row.setContentsMargins(12, 5, 8, 5)
        row.addWidget(self.banner_text, 1)
        self._banner_action: Callable[[], None] = self.banner.hide
        self.banner_button.clicked.connect(lambda: self._banner_action())
        row.addWidget(self.banner_button)
        close = QPushButton("Dismiss")
        close.clicked.connect(self.banner.hide)
        row.addWidget(close)
        self.banner.hide()

    def _arrange(self) -> None:
        """Put the views beside each other, with handles between them."""
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.sieve)
        self.middle_split = QSplitter(Qt.Orientation.Vertical)
        self.middle_split.setAccessibleName("Loom and Strands")
        self.middle_split.addWidget(self.loom)
        self.middle_split.addWidget(self.strands)
        self.middle_split.setSizes([420, 190])
        column.addWidget(self.middle_split, 1)

        self.right_split = QSplitter(Qt.Orientation.Vertical)
        self.right_split.setAccessibleName("Slice and Story")
        self.slice_panel = titled("Slice – one frame, call by call", self.slice)[1]
        self.story_panel = titled("Story – what is wrong and why", self.story)[1]
        self.right_split.addWidget(self.slice_panel)
        self.right_split.addWidget(self.story_panel)
        self.right_split.setSizes([280, 330])

        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setAccessibleName("Findings, Loom, Story")
        self.split.addWidget(self.findings_panel)
        self.split.addWidget(middle)
        self.split.addWidget(self.right_split)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([216, 690, 300])
        for split in (self.split, self.middle_split, self.right_split):
            split.setHandleWidth(3)
            split.setChildrenCollapsible(False)

        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.banner)
        whole.addWidget(self.pulse)
        whole.addSpacing(2)
        whole.addWidget(self.split, 1)

    def enter(self) -> None:
        """Be gone to."""
        self.loom.setFocus()

    def panels(self) -> dict[str, QWidget]:
        """Return the panels that can be hidden, by name."""
        return {
            "Pulse": self.pulse,
            "Findings": self.findings_panel,
            "Strands": self.strands,
            "Slice": self.slice_panel,
            "Story": self.story_panel,
        }

    def splits(self) -> dict[str, QSplitter]:
        """Return the splitters whose sizes are remembered, by name."""
        return {"flow": self.split, "middle": self.middle_split, "right": self.right_split}

    def set_session(self, session: Session | None) -> None:
        """Show a take, or nothing."""
        self.session = session
        self.all_findings.hide()
        for view in (self.pulse, self.findings, self.sieve, self.loom, self.strands, self.slice, self.story):
            view.set_session(session)
        if session is not None:
            session.subscribe("selection rows", self._follow_selection)

    def set_grown_session(self, session: Session) -> None:
        """Show a take that has grown, leaving everything where its user has put it."""
        bars = (self.loom.scroll_bar, self.strands.scroll_bar, self.slice.verticalScrollBar())
        values, only, asked = [bar.value() for bar in bars], self.findings.only, self.all_findings.isVisible()
        self.sieve.leave_as_it_is = True
        self.set_session(session)
        self.sieve.leave_as_it_is = False
        self.findings.ask(only)
        self.all_findings.setVisible(asked)
        for bar, value in zip(bars, values, strict=True):
            bar.setValue(value)

    def _follow_selection(self) -> None:
        if self.session is not None and self.session.call >= 0:
            self.loom.scroll_to_call(self.session.call)

    def ask(self, causes: Collection[tuple[str, str]]) -> int:
        """List only findings of these (kind, cause), all if there are none; return how many there are."""
        self.all_findings.setVisible(bool(causes))
        return self.findings.ask(causes)

    def warn(self, text: str, button: str, action: Callable[[], None]) -> None:
        """Say above the views that something is amiss with the take itself, and offer one thing to do."""
        self.banner_text.setText(text)
        self.banner_button.setText(button)
        self._banner_action = action
        self.banner.show()

    def toggle_axis(self) -> None:
        """Switch the axis between frames and time."""
        if self.session is not None:
            self.session.set_axis_mode(AxisMode.TIME if self.session.axis.mode is AxisMode.FRAME else AxisMode.FRAME)

    # --- what commands ask of it ---------------------------------------------------------------------

    def fold_selected(self) -> None:
        """Fold or unfold the selected call's class."""
        session = self.session
        if session is not None and session.call >= 0:
            session.toggle_fold(session.row_index.row_of_call(session.call, session.unfolded))
            self.loom.scroll_to_call(session.call)

    def forget_measure(self) -> None:
        """Forget the measured stretch."""
        self.loom.clear_measure()
        self.strands.clear_measure()

    def focus_sieve(self) -> None:
        """Put the cursor into the sieve."""
        self.sieve.line.setFocus()
        self.sieve.line.selectAll()

    def next_panel(self) -> None:
        """Give the focus to the next panel."""
        views: list[QWidget] = [self.pulse, self.findings, self.loom, self.strands, self.slice, self.story]
        seen = [view for view in views if view.isVisible()]
        if seen:
            here = next((i for i, view in enumerate(seen) if view.hasFocus()), -1)
            seen[(here + 1) % len(seen)].setFocus(Qt.FocusReason.TabFocusReason)

    # --- following an object -------------------------------------------------------------------------

    def follow_object(self, name: str) -> None:
        """Let everything but one object fade."""
        if self.session is not None:
            self.sieve.line.setText(f"o:{name}")
            self.session.set_sieve(f"o:{name}")
            self.said.emit(f"Following {name}; an empty sieve ends it.")

    def tell_followed_object(self) -> None:
        """Say when the object that is followed is gone."""
        from opossum.take.moment import alive_at, last_line

        text = self.sieve.line.text().strip()
        name = text.removeprefix("o:")
        if self.session is None or not text.startswith("o:") or " " in name or name == self._gone_told:
            return
        take = self.session.take
        if take.code(name) in take.tables["gone"]["o"] and name not in dict(alive_at(take, last_line(take))):
            self._gone_told = name
            self.said.emit(f"{name} is gone: it does not live any more.")
