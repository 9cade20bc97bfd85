"""The window: rail, places, menus, keys; opens takes and keeps what should be remembered."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QByteArray, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from moonrise_bakery import demo_take_path
from opossum_desk.growth import Growth
from opossum_desk.listening import Listening
from opossum_desk.memory import Memory
from opossum_desk.menu_bar import DeskMenus
from opossum_desk.state.session import Session
from opossum_desk.state.tasks import HeadStart, Tell, examining_task, open_session
from opossum_desk.views.flow import FlowPlace
from opossum_desk.views.look import Look
from opossum_desk.work import Work

if TYPE_CHECKING:
    from opossum.live.listener import Listener
    from opossum_desk.views.live import LivePlace
    from opossum_desk.views.pages import FailedPage, ListeningPage, OpeningPage
    from opossum_desk.views.start import StartPage, Symptom

EXAMINE_AFTER_MS = 60
"""What is there is painted first and then examined: the two would share one interpreter."""
EXAMINE_REST = 6
"""Examining a take that grows rests at least this many times as long as it took."""
FILTER = "Takes and streams (*.take *.jsonl *.jsonl.gz);;All files (*)"


class DeskWindow(QMainWindow):
    """The desk."""

    def __init__(self, memory: Memory, look: Look) -> None:
        super().__init__()
        self.memory = memory
        self.look = look
        self.session: Session | None = None
        self.paths: list[str] = []
        self.question: Symptom | None = None
        self._examine_began = self._examine_again = 0.0
        self.setWindowTitle("Opossum")
        self.setAcceptDrops(True)
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)

        self.flow = FlowPlace(look)
        self.places = QStackedWidget()
        self.places.addWidget(self.flow)

        self.rail = QFrame()
        self.rail.setProperty("role", "rail")
        column = QVBoxLayout(self.rail)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(2)
        self._rail_group = QButtonGroup(self)
        self.rail_start = self._rail_button("Start", column, self.show_start)
        self.rail_flow = self._rail_button("Flow", column, self.show_flow)
        self.rail_live = self._rail_button("Live", column, self.show_live)
        column.addStretch(1)

        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        row.addWidget(self.places, 1)
        self.setCentralWidget(body)

        self.told = QLabel()
        self._said = ""
        self.statusBar().addWidget(self.told, 1)
        self.axis_told = QLabel()
        self.statusBar().addPermanentWidget(self.axis_told)
        self.statusBar().setContentsMargins(4, 0, 6, 0)
        self.statusBar().setSizeGripEnabled(False)

        self.opening = Work(self)
        self.opening.progressed.connect(self._opening_progressed)
        self.opening.finished.connect(self._opened)
        self.opening.failed.connect(self._opening_failed)
        self.examining = Work(self)
        self.examining.progressed.connect(lambda _, text, share: self.say(text + " …"))
        self.examining.finished.connect(self._examined)
        self.examining.failed.connect(lambda _, text: self.say(f"The take could not be examined: {text}"))
        self.saving = Work(self)
        self.saving.finished.connect(lambda _, path: self._saved(path))
        self.saving.failed.connect(lambda _, text: self._warn("Not saved", text))

        self.flow.said.connect(self.say)

        self.growth = Growth(self)
        self.listening = Listening(self)

        self.menus = DeskMenus(self)
        self._restore()
        self._mark_rail()

    def _rail_button(self, text: str, column: QVBoxLayout, action: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setCheckable(True)
        button.setAccessibleName(f"Place: {text}")
        button.clicked.connect(action)
        self._rail_group.addButton(button)
        column.addWidget(button)
        return button

    # --- places, each made when it is first wanted ---------------------------------------------------

    @cached_property
    def start_page(self) -> StartPage:
        """Return the start page."""
        from opossum_desk.views.start import StartPage

        page = StartPage(self.look)
        page.open_wanted.connect(self.ask_open)
        page.listen_wanted.connect(self.listen)
        page.demo_wanted.connect(self.open_demo)
        page.recent_wanted.connect(lambda path: self.open_paths([path]))
        page.symptom_wanted.connect(self.ask_symptom)
        self.places.addWidget(page)
        return page

    @cached_property
    def opening_page(self) -> OpeningPage:
        """Return the page that tells how far opening is."""
        from opossum_desk.views.pages import OpeningPage

        page = OpeningPage()
        page.cancelled.connect(self.cancel_opening)
        self.places.addWidget(page)
        return page

    @cached_property
    def listening_page(self) -> ListeningPage:
        """Return the page that waits for a game."""
        from opossum_desk.views.pages import ListeningPage

        page = ListeningPage()
        page.cancelled.connect(self.stop_listening)
        self.places.addWidget(page)
        return page

    @cached_property
    def live_place(self) -> LivePlace:
        """Return the place Live."""
        from opossum_desk.views.live import LivePlace

        place = LivePlace(self.look)
        place.listen_wanted.connect(self.listen)
        place.stop_wanted.connect(self.stop_listening)
        place.follow_wanted.connect(self.follow_object)
        place.line_wanted.connect(self.show_line)
        place.call_wanted.connect(self.show_call)
        self.look.changed.connect(place.renew)
        self.places.addWidget(place)
        place.set_session(self.session)
        place.set_listener(self.listener)
        return place

    @cached_property
    def failed_page(self) -> FailedPage:
        """Return the page that says what could not be done."""
        from opossum_desk.views.pages import FailedPage

        page = FailedPage()
        page.open_wanted.connect(self.ask_open)
        page.start_wanted.connect(self.show_start)
        self.places.addWidget(page)
        return page

    def show_start(self) -> None:
        """Go to the start page."""
        from opossum_desk.live import left_behind

        self.start_page.set_recent(self.memory.kept.recent, left_behind(self.memory.kept.recent))
        self.places.setCurrentWidget(self.start_page)
        self.start_page.demo.setFocus()
        self._mark_rail()

    def show_flow(self) -> None:
        """Go to the place Flow, if a take is open."""
        if self.session is not None:
            self.places.setCurrentWidget(self.flow)
            self.flow.loom.setFocus()
        self._mark_rail()

    def show_live(self) -> None:
        """Go to the place Live."""
        self.places.setCurrentWidget(self.live_place)
        self.live_place.renew()
        (self.live_place.line if self.listener is not None else self.live_place.listening).setFocus()
        self._mark_rail()

    def follow_object(self, name: str) -> None:
        """Let everything but one object fade in Flow, and say when it is gone."""
        if self.session is not None:
            self.flow.sieve.line.setText(f"o:{name}")
            self.session.set_sieve(f"o:{name}")
            self.show_flow()
            self.say(f"Following {name}; an empty sieve ends it.")

    def show_line(self, line: int) -> None:
        """Go to the frame in which a line of the stream was written."""
        from opossum.take.moment import frame_at

        def act(session: Session) -> None:
            row = frame_at(session.take, session.peer, line)
            if row >= 0:
                session.select_column(row - session.axis.first_row)

        self.show_flow()
        self.on_session(act)

    def show_call(self, call: int) -> None:
        """Go to a call in Flow."""
        self.show_flow()
        self.on_session(lambda session: session.select_call(call))

    def _is_on(self, page: str) -> bool:
        """Say whether a page is shown, without making it."""
        return page in self.__dict__ and self.places.currentWidget() is self.__dict__[page]

    def _mark_rail(self) -> None:
        self.rail_flow.setEnabled(self.session is not None)
        in_flow, in_live = self.places.currentWidget() is self.flow, self._is_on("live_place")
        self.rail_flow.setChecked(in_flow)
        self.rail_live.setChecked(in_live)
        self.rail_start.setChecked(not in_flow and not in_live)

    # --- opening -----------------------------------------------------------------------------------

    def ask_open(self) -> None:
        """Let the user choose a take or stream."""
        from PySide6.QtWidgets import QFileDialog  # dialogs are loaded when first wanted

        paths, _ = QFileDialog.getOpenFileNames(self, "Open a take or stream", self.memory.kept.folder, FILTER)
        if paths:
            self.memory.kept.folder = os.path.dirname(paths[0])
            self.open_paths(paths)

    def open_demo(self) -> None:
        """Open the bakery's night."""
        self.open_paths([str(demo_take_path())])

    def ask_symptom(self, symptom: Symptom) -> None:
        """Open a take with a symptom's question asked: the open one, the last one, or the one chosen now."""
        self.question = symptom
        if self.session is not None:
            self.show_flow()
            self._ask_question()
            return
        recent = [path for path in self.memory.kept.recent if Path(path).exists()]
        if recent:
            self.open_paths(recent[:1])
        else:
            self.open_demo()

    def open_paths(self, paths: list[str], head_start: HeadStart | None = None) -> None:
        """Open takes or streams in the background; `head_start` may have begun, or even done, that already."""
        self.growth.forget()
        wanted = self.wanted = list(paths)
        if head_start is not None and head_start.session is not None:
            self.show_opened(head_start.session)
            return
        self.opening_page.tell(f"Reading {os.path.basename(paths[0])}", 0.0)
        if not self._is_on("live_place"):
            self.places.setCurrentWidget(self.opening_page)
        self._mark_rail()
        self.opening.start(head_start.go_on if head_start else lambda tell: open_session(wanted, tell))

    def show_game(self, path: str) -> None:
        """Show a stream that a game plays into, as far as it has come."""
        self.wanted = [path]
        self.growth.begin_live(path)

    def cancel_opening(self) -> None:
        """Stop opening and go back to where we were."""
        self.opening.cancel()
        self.question = None
        if self.session is not None:
            self.show_flow()
        else:
            self.show_start()
        self.say("Opening was cancelled.")

    def _opening_progressed(self, number: int, text: str, share: float) -> None:
        if number == self.opening.number:
            self.opening_page.tell(text, share)

    def _opening_failed(self, number: int, text: str) -> None:
        if number == self.opening.number:
            self.growth.forget()
            self.fail(text)

    def fail(self, text: str) -> None:
        """Say on a page of its own what could not be done."""
        self.question = None
        self.failed_page.tell(text if text.endswith(".") else text + ".")
        self.places.setCurrentWidget(self.failed_page)
        self._mark_rail()
        self.failed_page.another.setFocus()

    def _opened(self, number: int, opened: Any) -> None:
        if number != self.opening.number:
            return
        if self.growth.followed is not None:  # the same stream, grown
            self.growth.take_over(opened)
            return
        self.show_opened(opened)

    def show_opened(self, session: Session) -> None:
        """Put what was opened on the desk."""
        self.paths = self.wanted
        own = self.paths[0]
        if own != str(demo_take_path()):
            self.memory.add_recent(own)
        session.take.growing = self.listening.records(own) and self.listening.playing
        session.bookmarks = [mark for mark in self.memory.bookmarks(own) if mark < session.axis.columns]
        self.show_session(session)
        if len(self.paths) == 1 and own.endswith(".jsonl") and self.growth.followed is None:
            self.growth.begin(own)

    def show_session(self, session: Session, grown: bool = False) -> None:
        """Put a take on the desk and have it examined; `grown`: it is the one on the desk, longer by now."""
        self.session = session
        if grown:
            self.flow.set_grown_session(session)
        else:
            self.flow.banner.hide()
            self.flow.set_session(session)
        session.subscribe("selection window axis measure", self._tell_selection)
        session.subscribe("bookmarks", self._keep_bookmarks)
        if "live_place" in self.__dict__:
            self.live_place.set_session(session)
        self.setWindowTitle(f"{session.take.name} – Opossum")
        if not grown and not self._is_on("live_place"):
            self.show_flow()
        self._tell_selection()
        QTimer.singleShot(EXAMINE_AFTER_MS, lambda: self._examine(session))

    def _examine(self, session: Session) -> None:
        now = time.monotonic()
        if session is not self.session:
            return
        if session.take.growing and (now < self._examine_again or self.examining.running):
            return
        self._examine_began = now
        self.examining.start(examining_task(session, self.growth.followed))

    def _examined(self, number: int, answer: Any) -> None:
        if self.session is None:
            return
        if isinstance(answer[0], Session):
            session, found, damage, doubled = answer
            if session is not self.session:
                return
            session.set_findings(found, doubled)
        else:
            growth, examination, found, damage, doubled = answer
            if self.growth.followed is None:
                return
            if growth == self.growth.number:
                self.session.set_findings(found, doubled)
                self.session.doubles_of = examination
            elif len(self.session.take.peers) == 1:
                # it has grown meanwhile: what was found still stands where it stood
                self.session.list_findings(found)
            else:
                return
        took = time.monotonic() - self._examine_began
        self._examine_again = time.monotonic() + EXAMINE_REST * took
        self._tell_selection()
        serious = [item for item in damage if item.code not in ("no-bye", "no-frames")]
        if serious:
            count = sum(item.count for item in serious)
            shown = "; ".join(item.told() for item in serious[:2])
            self.flow.warn(
                f"{count:,} records of this take are damaged or missing; all else is shown. {shown}",
                "Show all",
                lambda: self._show_damage(damage),
            )
        if self.question is not None:
            self._ask_question()
        else:
            self._announce(found)
        if not self.session.take.growing:
            self.growth.forget_ended()

    def _announce(self, found: list[Any]) -> None:
        faults = sum(1 for finding in found if finding.severity.value == "fault")
        if not found:
            self.say("Examined: nothing found.")
        else:
            things = "1 finding" if len(found) == 1 else f"{len(found)} findings"
            self.say(
                f"Examined: {things}, {faults} of them {'a fault' if faults == 1 else 'faults'}. Press N for the first."
            )

    def _ask_question(self) -> None:
        symptom, self.question = self.question, None
        if symptom is None or self.session is None:
            return
        if not self.session.examined:
            self.question = symptom
            return
        count = self.flow.ask(symptom.kinds)
        if count:
            self.session.show_finding(self.flow.findings.shown()[0])
            self.say(f"“{symptom.title}”: {count} {'finding' if count == 1 else 'findings'}.")
        else:
            self.say(f"“{symptom.title}”: this take shows no such thing.")

    def _show_damage(self, damage: list[Any]) -> None:
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(self)
        box.setWindowTitle("What is damaged")
        box.setText("\n".join(item.told() for item in damage[:14]))
        box.setInformativeText("The rest of the take is shown as it was recorded.")
        box.exec()

    # --- listening ---------------------------------------------------------------------------------

    @property
    def listener(self) -> Listener | None:
        """Return what listens for games, if anything does."""
        return self.listening.listener

    def listen(self, port: int | None = None) -> None:
        """Listen for a game on this machine, and show what it records while it plays."""
        self.listening.begin(port)

    def stop_listening(self) -> None:
        """Stop listening; what was recorded stays."""
        self.listening.stop()

    def show_listening(self, listener: Listener) -> None:
        """Say where the desk listens."""
        self.listening_page.tell(listener.host, listener.port)
        if self._is_on("live_place"):
            self.live_place.set_listener(listener)
        else:
            self.places.setCurrentWidget(self.listening_page)
        self._mark_rail()

    def show_listening_ended(self, nobody_came: bool) -> None:
        """Show that nothing listens any more."""
        if "live_place" in self.__dict__:
            self.live_place.set_listener(None)
        if nobody_came and self._is_on("listening_page"):
            self.show_start()

    def renew_live(self) -> None:
        """Show the place Live as it is now, if it is looked at."""
        if self._is_on("live_place"):
            self.live_place.renew()

    def examine_ended(self) -> None:
        """Examine a take that grew to its end as a whole."""
        if self.session is None:
            return
        if self.session.take.growing:
            self.session.take.growing = False
            self._examine(self.session)
        elif self.session.examined and not self.examining.running:
            self.growth.forget_ended()

    # --- saving ------------------------------------------------------------------------------------

    def ask_save(self) -> None:
        """Save the open take as one `.take` file."""
        if self.session is None:
            return
        from PySide6.QtWidgets import QFileDialog

        start = os.path.join(self.memory.kept.folder, f"{self.session.take.name}.take")
        path, _ = QFileDialog.getSaveFileName(self, "Save the take", start, "Takes (*.take)")
        if path:
            self.save_to(path if path.endswith(".take") else path + ".take")

    def save_to(self, path: str) -> None:
        """Save the open take in the background."""
        assert self.session is not None
        take = self.session.take

        def task(tell: Tell) -> str:
            from opossum.take.archive import save_take

            try:
                save_take(take, path)
            except OSError as error:
                raise OSError(f"{path}: cannot be written ({error.strerror or error}).") from None
            return path

        self.saving.start(task)
        self.say(f"Saving {os.path.basename(path)} …")

    def _warn(self, title: str, text: str) -> None:
        from PySide6.QtWidgets import QMessageBox

        QMessageBox.warning(self, title, text)

    def _saved(self, path: str) -> None:
        self.memory.add_recent(path)
        self.say(f"Saved {path}.")

    # --- telling -----------------------------------------------------------------------------------

    def say(self, text: str) -> None:
        """Say something in the status line; what does not fit there is in its tooltip."""
        self._said = text
        self.told.setToolTip(text)
        self._fit_told()

    def _fit_told(self) -> None:
        room = self.width() - self.axis_told.sizeHint().width() - 40
        self.told.setText(self.told.fontMetrics().elidedText(self._said, Qt.TextElideMode.ElideRight, max(200, room)))

    def showEvent(self, event: QShowEvent) -> None:
        if self.session is None and self.places.currentWidget() is self.flow:
            self.show_start()
        super().showEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_told()

    def _tell_selection(self) -> None:
        session = self.session
        if session is None:
            return
        mode = "by frame" if session.axis.mode.value == "frame" else "by time"
        take = session.take
        self.axis_told.setText(
            f"{take.game} · {take.duration_ns / 1e9:.1f} s · {take.game_frames:,} frames · {take.records:,} records · {mode}"
        )
        if session.call >= 0:
            from opossum_desk.views.loom import describe_call

            self.say(" · ".join(describe_call(session, session.call).split("\n")[:2]))
        elif session.column >= 0:
            row = session.axis.row_of_column(session.column)
            number = int(take.frames.number[row])
            calls = len(session.calls_of_column(session.column))
            self.say(
                f"{f'Frame {number}' if number >= 0 else 'Start-up'} · {session.frame_lengths[row] / 1e6:.2f} ms of work · {calls} calls"
            )

    def _keep_bookmarks(self) -> None:
        if self.session is not None and self.paths:
            self.memory.set_bookmarks(self.paths[0], self.session.bookmarks)

    # --- menus and keys ----------------------------------------------------------------------------

    def on_session(self, action: Callable[[Session], Any]) -> None:
        """Do something with the session, if one is being looked at."""
        if self.session is not None and self.places.currentWidget() is self.flow:
            action(self.session)

    def step_finding(self, step: int) -> None:
        """Go to the next or previous finding and say it."""

        def act(session: Session) -> None:
            finding = session.step_finding(step)
            self.say(finding.summary if finding else "There are no findings to step through.")

        self.on_session(act)

    def follow_cause(self) -> None:
        """Select what caused the selected call, or say that nothing is known to have."""

        def act(session: Session) -> None:
            if not session.follow_cause():
                self.say(
                    "Nothing is known to have caused this: the send came from outside any call."
                    if session.call >= 0
                    else "Select a call first."
                )

        self.on_session(act)

    def zoom(self, factor: float) -> None:
        """Zoom around the selected frame, or the middle."""

        def act(session: Session) -> None:
            inside = session.column >= 0 and session.low <= session.axis.edges[session.column] < session.high
            middle = float(session.axis.edges[session.column]) + 0.5 if inside else (session.low + session.high) / 2
            session.zoom(factor, middle)
            session.settle()

        self.on_session(act)

    def bookmark(self) -> None:
        """Mark the selected frame, or unmark it."""
        self.on_session(
            lambda s: self.say("Marked." if s.toggle_bookmark() else "Not marked; select a frame to mark it.")
        )

    def _forget_measure(self) -> None:
        self.flow.loom.clear_measure()
        self.flow.strands.clear_measure()

    def toggle_hide(self) -> None:
        """Hide, or only fade, what the sieve does not let through."""
        self.on_session(lambda s: s.set_hide_unmatched(not s.hide_unmatched))

    def fold_selected(self) -> None:
        """Fold or unfold the selected call's class."""

        def act(session: Session) -> None:
            if session.call >= 0:
                session.toggle_fold(session.threads.row_of_call(session.call, session.unfolded))
                self.flow.loom.scroll_to_call(session.call)

        self.on_session(act)

    def focus_sieve(self) -> None:
        """Put the cursor into the sieve."""
        if self.places.currentWidget() is self.flow:
            self.flow.sieve.line.setFocus()
            self.flow.sieve.line.selectAll()

    def next_panel(self) -> None:
        """Give the focus to the next panel."""
        views: list[QWidget] = [
            self.flow.pulse,
            self.flow.findings,
            self.flow.loom,
            self.flow.strands,
            self.flow.slice,
            self.flow.story,
        ]
        seen = [view for view in views if view.isVisible()]
        if seen:
            here = next((i for i, view in enumerate(seen) if view.hasFocus()), -1)
            seen[(here + 1) % len(seen)].setFocus(Qt.FocusReason.TabFocusReason)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
            return
        key, keys = event.key(), Qt.Key
        actions: dict[int, Callable[[], Any]] = {
            keys.Key_Left: lambda: self.on_session(lambda s: s.step_frame(-1)),
            keys.Key_Right: lambda: self.on_session(lambda s: s.step_frame(1)),
            keys.Key_Up: lambda: self.on_session(lambda s: s.step_call(-1)),
            keys.Key_Down: lambda: self.on_session(lambda s: s.step_call(1)),
            keys.Key_Comma: lambda: self.on_session(lambda s: s.step_event(-1)),
            keys.Key_Period: lambda: self.on_session(lambda s: s.step_event(1)),
            keys.Key_N: lambda: self.step_finding(-1 if shift else 1),
            keys.Key_Return: self.follow_cause,
            keys.Key_Enter: self.follow_cause,
            keys.Key_Backspace: lambda: self.on_session(lambda s: s.go_forward() if shift else s.go_back()),
            keys.Key_Z: lambda: self.on_session(lambda s: s.fit_selection()),
            keys.Key_0: lambda: self.on_session(lambda s: s.show_all()),
            keys.Key_Plus: lambda: self.zoom(1.6),
            keys.Key_Equal: lambda: self.zoom(1.6),
            keys.Key_Minus: lambda: self.zoom(1 / 1.6),
            keys.Key_B: self.bookmark,
            keys.Key_BracketLeft: lambda: self.on_session(lambda s: s.step_bookmark(-1)),
            keys.Key_BracketRight: lambda: self.on_session(lambda s: s.step_bookmark(1)),
            keys.Key_H: self.toggle_hide,
            keys.Key_F: self.fold_selected,
            keys.Key_T: self.flow.toggle_axis,
            keys.Key_Escape: self._forget_measure,
        }
        if self.listener is not None and (self._is_on("live_place") or self.places.currentWidget() is self.flow):
            live: dict[int, Callable[[], Any]] = {
                keys.Key_Space: self.live_place.toggle_hold,
                keys.Key_C: lambda: self.live_place.step("frame" if shift else "call"),
            }
            if key in live:
                live[key]()
                event.accept()
                return
        action = actions.get(key)
        if action is None or self.places.currentWidget() is not self.flow:
            super().keyPressEvent(event)
            return
        action()
        event.accept()

    def show_help(self) -> None:
        """Explain the view in focus."""
        from opossum_desk.views.help import HelpDialog

        widget: QWidget | None = QApplication.focusWidget()
        while widget is not None and not widget.whatsThis():
            widget = widget.parentWidget()
        about = widget.whatsThis() if widget is not None else self.flow.loom.whatsThis()
        self._help = HelpDialog(self.look, about, self)
        self._help.show()

    # --- look and memory ---------------------------------------------------------------------------

    def choose_look(self, choice: str) -> None:
        """Choose the day or night look, or follow the system."""
        self.memory.kept.look = choice
        self.look.choose(choice)
        self._mark_look()

    def _mark_look(self) -> None:
        for name, action in self.menus.looks.items():
            action.setChecked(name == self.look.choice)

    def _restore(self) -> None:
        kept = self.memory.kept
        if kept.geometry:
            self.restoreGeometry(QByteArray.fromBase64(kept.geometry.encode()))
        for name, split in self._splits().items():
            sizes = kept.splits.get(name)
            if sizes and len(sizes) == split.count() and sum(sizes) > 0:
                split.setSizes(sizes)
        for name in kept.hidden:
            if name in self.menus.panels:
                self.menus.panels[name].setChecked(False)
        self._mark_look()

    def _splits(self) -> dict[str, Any]:
        return {"flow": self.flow.split, "middle": self.flow.middle_split, "right": self.flow.right_split}

    def closeEvent(self, event: QCloseEvent) -> None:
        for work in (self.opening, self.examining):
            work.cancel()
        if self.saving.running:
            self.say("Saving …")
            self.saving.wait(30)
        self.growth.forget()
        self.stop_listening()
        kept = self.memory.kept
        kept.geometry = bytes(self.saveGeometry().toBase64().data()).decode()
        kept.splits = {name: split.sizes() for name, split in self._splits().items()}
        kept.hidden = [name for name, action in self.menus.panels.items() if not action.isChecked()]
        self.memory.save()
        for work in (self.opening, self.examining):
            work.wait()
        event.accept()

    # --- dropping ----------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.open_paths(paths)
