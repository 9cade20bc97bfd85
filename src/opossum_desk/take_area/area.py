"""The area of a take: Pulse on top, findings at the left, a weave in the middle, Frame and Story at the right."""

from __future__ import annotations

from collections.abc import Callable, Collection
from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QStackedWidget, QVBoxLayout, QWidget

from opossum.words import tr
from opossum_desk.area import AreaView, Desk
from opossum_desk.flow.weave import FlowWeave
from opossum_desk.playing import Games
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session
from opossum_desk.take_area.banner import Banner
from opossum_desk.take_area.findings_list import FindingsList, findings_panel
from opossum_desk.take_area.frame import FrameView
from opossum_desk.take_area.pulse import PulseView
from opossum_desk.take_area.sieve_line import SieveLine
from opossum_desk.take_area.story import StoryView
from opossum_desk.views.look import Look
from opossum_desk.views.panels import titled
from opossum_desk.weaves import weave_named
from opossum_desk.weaving.weave import WeaveView

if TYPE_CHECKING:  # the bar of the games is made when one is listened for
    from opossum_desk.now.bar import NowBar


class TakeArea(AreaView):
    """All views of one take on one axis and one selection; which weave the middle is, the session knows."""

    said = Signal(str)
    woven = Signal(str)
    """Another weave is shown: its name."""

    @classmethod
    def of(cls, desk: Desk) -> TakeArea:
        """Return the area of a desk."""
        area = cls(desk.look, desk.games)
        area.said.connect(desk.say)
        return area

    def __init__(self, look: Look, games: Games, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.session: Session | None = None
        self._gone_told = ""
        self._weaves: dict[str, WeaveView] = {}
        self._shown_take: dict[str, Session | None] = {}
        """Which session each weave shows: one that is not seen learns of another when it is."""
        self.banner = Banner()
        self._games = games
        self._now: NowBar | None = None
        self.pulse = PulseView(look)
        self.findings = FindingsList(look)
        self.sieve = SieveLine()
        self.frame = FrameView(look)
        self.story = StoryView(look)
        self.story.left_out.connect(self.said)
        self.findings_panel, self.all_findings = findings_panel(self.findings)
        self.all_findings.clicked.connect(lambda: self.ask(()))
        self.middle = QStackedWidget()
        self._arrange()
        self.flow: FlowWeave = self.weave("flow")  # type: ignore[assignment]
        self._order_by_tab()
        games.listening.connect(self._show_now)
        if games.receiver is not None:
            self._show_now()

    def _arrange(self) -> None:
        """Put the views beside each other, with handles between them."""
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.sieve)
        column.addWidget(self.middle, 1)

        self.right_split = QSplitter(Qt.Orientation.Vertical)
        self.right_split.setAccessibleName(tr("Frame and Story"))
        self.frame_panel = titled(tr("Frame – one frame, call by call"), self.frame)[1]
        self.story_panel = titled(tr("Story – what is wrong and why"), self.story)[1]
        self.right_split.addWidget(self.frame_panel)
        self.right_split.addWidget(self.story_panel)
        self.right_split.setSizes([280, 330])

        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setAccessibleName(tr("Findings, middle, Story"))
        self.split.addWidget(self.findings_panel)
        self.split.addWidget(middle)
        self.split.addWidget(self.right_split)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([216, 690, 300])
        for split in (self.split, self.right_split):
            split.setHandleWidth(3)
            split.setChildrenCollapsible(False)

        whole = self._whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.banner)
        whole.addWidget(self.pulse)
        whole.addSpacing(2)
        whole.addWidget(self.split, 1)

    def _order_by_tab(self) -> None:
        """Have Tab go from view to view as they stand: from left to right, from above to below."""
        chain: list[QWidget] = self._now.focusable() if self._now is not None else []
        chain += [self.pulse, self.findings, self.sieve.line, self.sieve.hide_rest]
        chain += [*self.woven_now.focusable(), self.frame, self.story]
        for one, other in pairwise(chain):
            QWidget.setTabOrder(one, other)

    @property
    def now(self) -> NowBar:
        """Return the bar of the games that play, made once one is listened for: most takes were played long ago."""
        if self._now is None:
            from opossum_desk.now.bar import NowBar

            self._now = NowBar(self._games, self)
            self._now.said.connect(self.said)
            self._now.set_session(self.session)
            self._whole.insertWidget(self._whole.indexOf(self.pulse), self._now)
            self._order_by_tab()
        return self._now

    def _show_now(self, *told: object) -> None:
        self.now.renew()

    # --- weaves --------------------------------------------------------------------------------------

    def weave(self, name: str) -> WeaveView:
        """Return the view of a weave, made if need be."""
        if name not in self._weaves:
            made = weave_named(name).make(self.look)
            made.said.connect(self.said)
            self._weaves[name] = made
            self.middle.addWidget(made)
        return self._weaves[name]

    @property
    def woven_now(self) -> WeaveView:
        """Return the weave that is shown."""
        return self.middle.currentWidget()  # type: ignore[return-value]

    def _follow_weave(self) -> None:
        """Show the weave that the session is looked at in."""
        name = weave_named(self.session.weave if self.session is not None else "").name
        view = self.weave(name)
        if self._shown_take.get(name) is not self.session or name not in self._shown_take:
            self._shown_take[name] = self.session
            view.set_session(self.session)
        if self.middle.currentWidget() is not view:
            had_focus = any(each.hasFocus() for each in self.woven_now.focusable())
            self.middle.setCurrentWidget(view)
            if had_focus and view.focusable():
                view.focusable()[0].setFocus()
            self._follow_selection()
            self._order_by_tab()
        self.woven.emit(name)

    # --- what an area is -----------------------------------------------------------------------------

    def enter(self) -> None:
        """Be gone to."""
        self.woven_now.focusable()[0].setFocus()

    def panels(self) -> dict[str, QWidget]:
        """Return the panels that can be hidden, by name."""
        return {
            "Pulse": self.pulse,
            "Findings": self.findings_panel,
            **self.flow.panels(),
            "Frame": self.frame_panel,
            "Story": self.story_panel,
        }

    def splits(self) -> dict[str, QSplitter]:
        """Return the splitters whose sizes are remembered, by name."""
        splits = {"flow": self.split, "right": self.right_split}
        return splits | {name: split for view in self._weaves.values() for name, split in view.splits().items()}

    def set_session(self, session: Session | None) -> None:
        """Show a take, or nothing."""
        self.session = session
        self.all_findings.hide()
        for view in (self.pulse, self.findings, self.sieve, self.frame, self.story):
            view.set_session(session)
        if self._now is not None:
            self._now.set_session(session)
        if session is not None:
            session.subscribe("weave", self._follow_weave)
        self._follow_weave()
        if session is not None:
            session.subscribe("selection rows", self._follow_selection)

    def set_grown_session(self, session: Session) -> None:
        """Show a take that has grown, leaving everything where its user has put it."""
        bars = [*self.woven_now.scroll_bars(), self.frame.verticalScrollBar()]
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
            self.woven_now.reveal_call(self.session.call)

    def ask(self, causes: Collection[tuple[str, str]]) -> int:
        """List only findings of these (kind, cause), all if there are none; return how many there are."""
        self.all_findings.setVisible(bool(causes))
        return self.findings.ask(causes)

    def warn(self, text: str, button: str, action: Callable[[], None]) -> None:
        """Say above the views that something is amiss with the take itself, and offer one thing to do."""
        self.banner.tell(text, button, action)

    # --- what commands ask of it ---------------------------------------------------------------------

    def toggle_axis(self) -> None:
        """Switch the axis between frames and time."""
        if self.session is not None:
            self.session.set_axis_mode(AxisMode.TIME if self.session.axis.mode is AxisMode.FRAME else AxisMode.FRAME)

    def fold_selected(self) -> None:
        """Fold or unfold what is selected in the middle."""
        self.woven_now.fold_selected()

    def forget_measure(self) -> None:
        """Forget the measured stretch, and end the Trail."""
        if self.session is not None and self.session.trail is not None:
            self.session.show_trail(-1)
        for view in self._weaves.values():
            view.clear_measure()

    def focus_sieve(self) -> None:
        """Put the cursor into the sieve."""
        self.sieve.line.setFocus()
        self.sieve.line.selectAll()

    def next_panel(self) -> None:
        """Give the focus to the next panel."""
        views: list[QWidget] = [
            *([self._now.line] if self._now is not None else []),
            self.pulse,
            self.findings,
            *self.woven_now.focusable(),
            self.frame,
            self.story,
        ]
        seen = [view for view in views if view.isVisible()]
        if seen:
            here = next((i for i, view in enumerate(seen) if view.hasFocus()), -1)
            seen[(here + 1) % len(seen)].setFocus(Qt.FocusReason.TabFocusReason)

    def view_in_focus(self) -> QWidget:
        """Return the view that has the focus, the middle where none has."""
        views = [self.pulse, self.findings, *self.woven_now.focusable(), self.frame, self.story]
        return next((view for view in views if view.hasFocus()), self.woven_now.focusable()[0])

    # --- following an object -------------------------------------------------------------------------

    def follow_object(self, name: str) -> None:
        """Let everything but one object fade."""
        if self.session is not None:
            self.sieve.line.setText(f"o:{name}")
            self.session.set_sieve(f"o:{name}")
            self.said.emit(tr("Following {name}; an empty sieve ends it.", name=name))

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
            self.said.emit(tr("{name} is gone: it does not live any more.", name=name))
