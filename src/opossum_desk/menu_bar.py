"""The menus and keys: everything the desk can do, as `commands` and `areas` declare it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from opossum.words import tr
from opossum_desk.area import Desk
from opossum_desk.command import Command, key_sign
from opossum_desk.commands import COMMANDS
from opossum_desk.rail import way_title, ways

MENUS = ("&File", "&View", "&Go", "G&ame", "&Help")
LOOKS = (("day", "Day"), ("night", "Night"), ("system", "As the system"))


class DeskMenus:
    """The menu bar of a window: `panels` and `looks` are its checkable items by name."""

    def __init__(self, bar: QMenuBar, desk: Desk) -> None:
        self._desk = desk
        self.panels: dict[str, QAction] = {}
        self.looks: dict[str, QAction] = {}
        self._typed: dict[str, Command] = {}
        self.menus: dict[str, QMenu] = {}
        for title in dict.fromkeys((*MENUS, *(command.where for command in COMMANDS))):
            self.menus[title] = bar.addMenu(tr(title))
        self._fill_panels(self.menus["&View"])
        for command in COMMANDS:
            self._add(command)
        self._fill_file(self.menus["&File"])
        self._fill_looks(self.menus["&View"])
        self._fill_areas(self.menus["&Go"])

    def _add(self, command: Command) -> None:
        menu = self.menus[command.where]
        group = menu.property("group")
        if (group is not None and group != command.group) or (group is None and command.group and menu.actions()):
            menu.addSeparator()
        menu.setProperty("group", command.group)
        if command.is_typed:
            # its key is handled by `run_typed`, so that typing in the sieve stays typing
            action: QAction = menu.addAction(f"{tr(command.title)}\t{key_sign(command.keys[0])}")
            self._typed |= {QKeySequence(key).toString(): command for key in command.keys}
        else:
            action = menu.addAction(tr(command.title))
            action.setShortcuts([QKeySequence(key) for key in command.keys])
        action.triggered.connect(lambda _=False: command.run(self._desk))

    def run_typed(self, event: QKeyEvent) -> bool:
        """Run the command whose plain key was typed; say whether there is one."""
        modifiers = event.modifiers()
        if modifiers & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return False
        key = QKeySequence(event.key()).toString()
        shifted = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        # on some keyboards a sign is only typed with Shift
        command = (self._typed.get(f"Shift+{key}") if shifted else None) or self._typed.get(key)
        if command is None or not self._applies(command):
            return False
        command.run(self._desk)
        return True

    def _applies(self, command: Command) -> bool:
        """Say whether a typed command has anything to act on here; else the key is somebody else's."""
        if command.where == "G&ame":
            return self._desk.games.receiver is not None and not self._desk.is_in("start")
        return self._desk.is_in("take")

    # --- what is not always the same -----------------------------------------------------------------

    def _fill_file(self, menu: QMenu) -> None:
        self.recent = QMenu(tr("&Recent takes"), menu)
        menu.insertMenu(menu.actions()[3], self.recent)
        self.recent.aboutToShow.connect(self._fill_recent)

    def _fill_panels(self, menu: QMenu) -> None:
        for name, panel in self._desk.view("take").panels().items():
            action: QAction = menu.addAction(tr(name))
            action.setCheckable(True)
            action.setChecked(True)
            action.toggled.connect(panel.setVisible)
            self.panels[name] = action

    def _fill_looks(self, menu: QMenu) -> None:
        self.peers = menu.addMenu(tr("Axis by the frames of"))
        self.peers.aboutToShow.connect(self._fill_peers)
        menu.addSeparator()
        for choice, title in LOOKS:
            action: QAction = menu.addAction(tr("Look: {title}", title=tr(title)))
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, choice=choice: self._desk.choose_look(choice))
            self.looks[choice] = action

    def _fill_areas(self, menu: QMenu) -> None:
        menu.addSeparator()
        for way in ways():
            action: QAction = menu.addAction(way_title(way))
            if way.key:
                action.setShortcut(QKeySequence(way.key))
            action.triggered.connect(lambda _=False, way=way: self._desk.go(way))

    def mark_look(self, choice: str) -> None:
        """Mark the look that is worn."""
        for name, action in self.looks.items():
            action.setChecked(name == choice)

    def _fill_recent(self) -> None:
        desk = self._desk
        self.recent.clear()
        desk.memory.renew()
        for path in desk.memory.kept.recent:
            action = self.recent.addAction(path.replace("&", "&&"), partial(desk.open_paths, [path]))
            action.setEnabled(Path(path).exists())
        if not desk.memory.kept.recent:
            self.recent.addAction(tr("None yet")).setEnabled(False)

    def _fill_peers(self) -> None:
        """Offer the peers of the open take."""
        session = self._desk.session
        self.peers.clear()
        for number, span in enumerate(session.take.peers if session is not None else []):
            action = self.peers.addAction(span.name.replace("&", "&&"), partial(session.set_peer, number))  # type: ignore[union-attr]
            action.setCheckable(True)
            action.setChecked(number == session.peer)  # type: ignore[union-attr]
