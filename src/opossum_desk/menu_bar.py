"""The menus: everything the desk can do, with the key that does it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

if TYPE_CHECKING:
    from opossum_desk.window import DeskWindow


class DeskMenus:
    """The menu bar of a window: `panels` and `looks` are its checkable items by name."""

    def __init__(self, window: DeskWindow) -> None:
        self._window = window
        bar = window.menuBar()
        file = bar.addMenu("&File")
        self._action(file, "&Open a take …", window.ask_open, QKeySequence.StandardKey.Open)
        self._action(file, "&Listen for a game", window.listen)
        self._action(file, "&Try the bakery", window.open_demo)
        self.recent = file.addMenu("&Recent takes")
        self.recent.aboutToShow.connect(self._fill_recent)
        self._action(file, "&Save the take …", window.ask_save, QKeySequence.StandardKey.Save)
        file.addSeparator()
        self._action(file, "Start &page", window.show_start)
        self._action(file, "&Quit", window.close, QKeySequence.StandardKey.Quit)

        view = bar.addMenu("&View")
        self.panels: dict[str, QAction] = {}
        for name, panel in window.flow.panels.items():
            action: QAction = view.addAction(name)
            action.setCheckable(True)
            action.setChecked(True)
            action.toggled.connect(panel.setVisible)
            self.panels[name] = action
        view.addSeparator()
        self._hint(view, "Axis by frame or by time", "T", window.flow.toggle_axis)
        self.peers = view.addMenu("Axis by the frames of")
        self.peers.aboutToShow.connect(self._fill_peers)
        self._hint(view, "Fold all threads", "", lambda: window.on_session(lambda s: s.fold_all(True)))
        self._hint(view, "Unfold all threads", "", lambda: window.on_session(lambda s: s.fold_all(False)))
        view.addSeparator()
        self.looks: dict[str, QAction] = {}
        for choice, title in (("day", "Day"), ("night", "Night"), ("system", "As the system")):
            action = view.addAction(f"Look: {title}")
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, choice=choice: window.choose_look(choice))
            self.looks[choice] = action

        go = bar.addMenu("&Go")
        steps: tuple[tuple[str, str, Callable[[], Any]], ...] = (
            ("Next finding", "N", lambda: window.step_finding(1)),
            ("Previous finding", "Shift+N", lambda: window.step_finding(-1)),
            ("Frame after", "→", lambda: window.on_session(lambda s: s.step_frame(1))),
            ("Frame before", "←", lambda: window.on_session(lambda s: s.step_frame(-1))),
            ("Call after", "↓", lambda: window.on_session(lambda s: s.step_call(1))),
            ("Call before", "↑", lambda: window.on_session(lambda s: s.step_call(-1))),
            ("Same event after", ".", lambda: window.on_session(lambda s: s.step_event(1))),
            ("Same event before", ",", lambda: window.on_session(lambda s: s.step_event(-1))),
            ("Follow the cause", "Enter", window.follow_cause),
            ("Back where you were", "Backspace", lambda: window.on_session(lambda s: s.go_back())),
            ("Forward again", "Shift+Backspace", lambda: window.on_session(lambda s: s.go_forward())),
            ("Fit the selection", "Z", lambda: window.on_session(lambda s: s.fit_selection())),
            ("Whole take", "0", lambda: window.on_session(lambda s: s.show_all())),
            ("Zoom in", "+", lambda: window.zoom(1.6)),
            ("Zoom out", "−", lambda: window.zoom(1 / 1.6)),
            ("Mark this frame", "B", window.bookmark),
            ("Mark after", "]", lambda: window.on_session(lambda s: s.step_bookmark(1))),
            ("Mark before", "[", lambda: window.on_session(lambda s: s.step_bookmark(-1))),
            ("Hide what does not match the sieve", "H", window.toggle_hide),
            ("Fold or unfold the selected thread", "F", window.fold_selected),
        )
        for title, keys, act in steps:
            self._hint(go, title, keys, act)
        self._action(go, "The sieve", window.focus_sieve, QKeySequence.StandardKey.Find)
        self._action(go, "Next panel", window.next_panel, QKeySequence("F6"))
        live = bar.addMenu("&Live")
        self._action(live, "Place Live: games, tripwires, values", window.show_live)
        self._action(live, "&Listen for a game", window.listen)
        self._action(live, "Stop listening", window.stop_listening)
        live.addSeparator()
        self._hint(live, "Hold the game, or let it go on", "Space", lambda: window.live_place.toggle_hold())
        self._hint(live, "One call on", "C", lambda: window.live_place.step("call"))
        self._hint(live, "One frame on", "Shift+C", lambda: window.live_place.step("frame"))
        helping = bar.addMenu("&Help")
        self._action(helping, "What am I looking at?", window.show_help, QKeySequence("F1"))

    def _fill_recent(self) -> None:
        window = self._window
        self.recent.clear()
        for path in window.memory.kept.recent:
            action = self.recent.addAction(path, partial(window.open_paths, [path]))
            action.setEnabled(Path(path).exists())
        if not window.memory.kept.recent:
            self.recent.addAction("None yet").setEnabled(False)

    def _fill_peers(self) -> None:
        """Offer the peers of the open take."""
        window = self._window
        self.peers.clear()
        session = window.session
        for number, span in enumerate(session.take.peers if session is not None else []):
            action = self.peers.addAction(span.name, partial(session.set_peer, number))  # type: ignore[union-attr]
            action.setCheckable(True)
            action.setChecked(number == session.peer)  # type: ignore[union-attr]

    def _action(self, menu: QMenu, title: str, action: Callable[[], Any], keys: Any = None) -> QAction:
        item = menu.addAction(title)
        item.triggered.connect(lambda _=False: action())
        if keys is not None:
            item.setShortcut(keys)
        return item

    def _hint(self, menu: QMenu, title: str, keys: str, action: Callable[[], Any]) -> None:
        """Add an item whose single key is handled by `keyPressEvent`, so that typing in the sieve stays typing."""
        menu.addAction(f"{title}\t{keys}" if keys else title).triggered.connect(lambda _=False: action())
