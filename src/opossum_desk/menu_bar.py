"""The menus and keys: everything the desk can do, as `commands` and `areas` declare it."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QMenuBar

from opossum.words import tr
from opossum_desk.area import Desk
from opossum_desk.command import Command, key_sign
from opossum_desk.commands import COMMANDS
from opossum_desk.rail import way_title, ways

if TYPE_CHECKING:
    from PySide6.QtGui import QAction, QKeyEvent

MENUS = ("&File", "&View", "&Go", "G&ame", "&Help")
LOOKS = (("day", "Day"), ("night", "Night"), ("system", "As the system"))


class DeskMenus:
    """The menu bar of a window: its titles at once, what they offer when the window stands, or somebody asks for it."""

    def __init__(self, bar: QMenuBar, desk: Desk) -> None:
        self._desk = desk
        self._look = ""
        self._is_filled = False
        self._panels: dict[str, QAction] = {}
        self._looks: dict[str, QAction] = {}
        self._typed: dict[str, Command] = {}
        self._menus: dict[str, QMenu] = {}
        for title in dict.fromkeys((*MENUS, *(command.where for command in COMMANDS))):
            self._menus[title] = bar.addMenu(tr(title))
            self._menus[title].aboutToShow.connect(self.fill)

    @property
    def menus(self) -> dict[str, QMenu]:
        """Return the menus by their titles, filled."""
        self.fill()
        return self._menus

    @property
    def panels(self) -> dict[str, QAction]:
        """Return the items that show and hide panels, by name."""
        self.fill()
        return self._panels

    @property
    def looks(self) -> dict[str, QAction]:
        """Return the items that choose a look, by name."""
        self.fill()
        return self._looks

    def fill(self) -> None:
        """Make what the menus offer, with its keys, unless it is made."""
        if self._is_filled:
            return
        self._is_filled = True
        self._fill_panels(self._menus["&View"])
        for command in COMMANDS:
            self._add(command)
        self._fill_file(self._menus["&File"])
        self._fill_looks(self._menus["&View"])
        self._fill_areas(self._menus["&Go"])
        self.mark_look(self._look)

    def _add(self, command: Command) -> None:
        from PySide6.QtGui import QKeySequence

        menu = self._menus[command.where]
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
        from PySide6.QtGui import QKeySequence

        self.fill()
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
            self._panels[name] = action

    def _fill_looks(self, menu: QMenu) -> None:
        self.peers = menu.addMenu(tr("Axis by the frames of"))
        self.peers.aboutToShow.connect(self._fill_peers)
        menu.addSeparator()
        for choice, title in LOOKS:
            action: QAction = menu.addAction(tr("Look: {title}", title=tr(title)))
            action.setCheckable(True)
            action.triggered.connect(lambda _=False, choice=choice: self._desk.choose_look(choice))
            self._looks[choice] = action

    def _fill_areas(self, menu: QMenu) -> None:
        from PySide6.QtGui import QKeySequence

        menu.addSeparator()
        for way in ways():
            action: QAction = menu.addAction(way_title(way))
            if way.key:
                action.setShortcut(QKeySequence(way.key))
            action.triggered.connect(lambda _=False, way=way: self._desk.go(way))

    def mark_look(self, choice: str) -> None:
        """Mark the look that is worn."""
        self._look = choice
        for name, action in self._looks.items():
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
