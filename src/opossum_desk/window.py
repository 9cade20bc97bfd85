"""The window: the rail and its areas, the status line, and what happens when takes are opened and games play."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QByteArray, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QPaintEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMainWindow, QStackedWidget, QWidget

from moonrise_bakery import demo_take_path
from opossum.foreign_text import shown
from opossum.words import tr
from opossum_desk.area import AreaView, Way
from opossum_desk.areas import AREAS
from opossum_desk.asking import Asking
from opossum_desk.games_on_desk import GamesOnDesk
from opossum_desk.memory import Memory
from opossum_desk.menu_bar import DeskMenus
from opossum_desk.opening import Opening
from opossum_desk.playing import Games
from opossum_desk.rail import Rail
from opossum_desk.state.session import Session
from opossum_desk.state.tasks import HeadStart
from opossum_desk.takes_on_desk import TakesOnDesk
from opossum_desk.views.look import Look
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import announce

if TYPE_CHECKING:
    from opossum.findings.symptoms import Symptom

FILTER = "Takes and streams (*.take *.jsonl *.jsonl.gz);;All files (*)"
LEAST_SIZE = (1024, 640)
FIRST_SIZE = (1280, 800)
STANDS_AFTER_MS = 20
"""So long after it began to be painted for the first time, a window does what could wait."""


class DeskWindow(QMainWindow):
    """The desk."""

    stands = Signal()
    """It was shown for the first time, and painted."""

    def __init__(self, memory: Memory, look: Look) -> None:
        super().__init__()
        self.memory = memory
        self.look = look
        self.session: Session | None = None
        self._said = ""
        self.setWindowTitle("Opossum")
        self.setAcceptDrops(True)
        self.setMinimumSize(*LEAST_SIZE)
        self.resize(*FIRST_SIZE)
        self.opening, self.games, self.asking = Opening(self), Games(self), Asking(self)
        self._views: dict[str, AreaView] = {}
        self._pages: dict[str, QWidget] = {}
        self.stack = QStackedWidget()
        self.take_area: Any = self.view("take")
        self.rail = Rail(self.go)
        self.take_area.story.place_wanted.connect(self.asking.open_place)
        self.take_area.woven.connect(lambda _: self._mark_rail())
        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        row.addWidget(self.stack, 1)
        self.setCentralWidget(body)
        self._make_status_line()
        self._connect()
        self.menus = DeskMenus(self.menuBar(), self)
        self.stands.connect(self.menus.fill)
        self._was_painted = False
        self._restore()
        self._mark_rail()

    def _make_status_line(self) -> None:
        self.told, self.axis_told = QLabel(), QLabel()
        for label in (self.told, self.axis_told):
            label.setTextFormat(Qt.TextFormat.PlainText)  # names are not markup
        bar = self.statusBar()
        bar.addWidget(self.told, 1)
        bar.addPermanentWidget(self.axis_told)
        bar.setContentsMargins(4, 0, 6, 0)
        bar.setSizeGripEnabled(False)

    def _connect(self) -> None:
        opening = self.opening
        opening.begun.connect(self._opening_begun)
        opening.progressed.connect(lambda text, share: self.page("opening").tell(text, share))
        opening.failed.connect(self.fail)
        opening.saved.connect(self._saved)
        opening.reporting_told.connect(self.say)
        opening.reported.connect(lambda path: self.say(tr("Wrote {path}.", path=path)))
        opening.not_saved.connect(lambda text: self._warn(tr("Not saved"), text))
        self.takes = TakesOnDesk(self, self)
        self.beside = self.takes.beside
        self.played = GamesOnDesk(self, self.takes, self)

    # --- areas and pages, each made when it is first wanted ------------------------------------------

    def view(self, area: str) -> Any:
        """Return the view of an area, made if need be."""
        if area not in self._views:
            made = next(item for item in AREAS if item.name == area).make(self)
            self._views[area] = made
            self.stack.addWidget(made)
            made.set_session(self.session)
        return self._views[area]

    def go_to(self, area: str) -> None:
        """Go to an area, if it can be gone to."""
        declared = next(item for item in AREAS if item.name == area)
        if not declared.needs_take or self.session is not None:
            view = self.view(area)
            self.stack.setCurrentWidget(view)
            view.enter()
        self._mark_rail()

    def go(self, way: Way) -> None:
        """Go to an area, or to the area of the take and a weave of it."""
        if not way.is_weave:
            self.go_to(way.name)
        elif self.session is not None:
            self.session.choose_weave(way.name)
            self.go_to("take")

    def is_in(self, area: str) -> bool:
        """Say whether an area is shown, without making it."""
        return area in self._views and self.stack.currentWidget() is self._views[area]

    def _mark_rail(self) -> None:
        shown = next((item.name for item in AREAS if self.is_in(item.name)), "start")
        if shown == "take" and self.session is not None:
            shown = self.session.weave
        self.rail.mark(shown, self.session is not None)

    def page(self, name: str) -> Any:
        """Return one of the plain faces: ``opening``, ``listening`` or ``failed``."""
        if name not in self._pages:
            from opossum_desk import pages

            made = pages.make(name, self)
            self._pages[name] = made
            self.stack.addWidget(made)
        return self._pages[name]

    def show_page(self, name: str) -> None:
        """Show one of the plain faces."""
        page = self.page(name)
        self.stack.setCurrentWidget(page)
        self._mark_rail()
        page.enter()

    def is_on_page(self, name: str) -> bool:
        """Say whether one of the plain faces is shown."""
        return name in self._pages and self.stack.currentWidget() is self._pages[name]

    # --- opening -----------------------------------------------------------------------------------

    def ask_open(self) -> None:
        """Let the user choose a take or stream."""
        from PySide6.QtWidgets import QFileDialog  # dialogs are loaded when first wanted

        paths, _ = QFileDialog.getOpenFileNames(self, tr("Open a take or stream"), self.memory.kept.folder, tr(FILTER))
        if paths:
            self.memory.kept.folder = os.path.dirname(paths[0])
            self.open_paths(paths)

    def open_demo(self) -> None:
        """Open the bakery's night."""
        self.open_paths([str(demo_take_path())])

    def ask(self, symptom: Symptom) -> None:
        """Ask for a symptom: of the open take, of the last one, or of the bakery's."""
        self.takes.ask(symptom)
        if self.session is not None:
            self.go_to("take")
            return
        recent = [path for path in self.memory.kept.recent if Path(path).exists()]
        if recent:
            self.open_paths(recent[:1])
        else:
            self.open_demo()

    def open_paths(self, paths: list[str], head_start: HeadStart | None = None) -> None:
        """Open takes or streams in the background; `head_start` may have begun, or even done, that already."""
        self.opening.stop_examining()
        self.games.forget()
        self.opening.open(paths, head_start)

    def _opening_begun(self, path: str) -> None:
        self.page("opening").tell(tr("Reading {basename}", basename=os.path.basename(path)), 0.0)
        self.show_page("opening")

    def cancel_opening(self) -> None:
        """Stop opening and go back to where we were."""
        self.opening.cancel()
        self.takes.question = None
        self.go_to("take" if self.session is not None else "start")
        self.say(tr("Opening was cancelled."))

    def fail(self, text: str) -> None:
        """Say on a page of its own what could not be done."""
        self.takes.question = None
        self.games.forget()
        self.page("failed").tell(text if text.endswith(".") else text + ".")
        self.show_page("failed")

    def set_session(self, session: Session, grown: bool) -> None:
        """Show a session in every area; `grown`: its take is the one that is shown, longer by now."""
        self.session = session
        if not grown:
            self.take_area.banner.hide()
        for view in self._views.values():
            if grown:
                view.set_grown_session(session)
            else:
                view.set_session(session)
        self.setWindowTitle(f"{shown(session.take.name)} – Opossum")
        if not grown:
            self.go_to("take")
        self._mark_rail()

    # --- saving ------------------------------------------------------------------------------------

    def save_to(self, path: str) -> None:
        """Save the open take in the background."""
        assert self.session is not None
        self.opening.save(self.session, path)
        self.say(tr("Saving {basename} …", basename=os.path.basename(path)))

    def _warn(self, title: str, text: str) -> None:
        from PySide6.QtWidgets import QMessageBox

        QMessageBox.warning(self, title, text)

    def _saved(self, path: str) -> None:
        self.memory.add_recent(path)
        self.say(tr("Saved {path}.", path=path))

    # --- telling -----------------------------------------------------------------------------------

    def say(self, text: str, aloud: str = "") -> None:
        """Say something in the status line, and `aloud`; what does not fit there is in its tooltip."""
        announce(self.told, aloud or text)
        self._said = text = shown(text)
        self.told.setToolTip(plain_tooltip(text))
        self._fit_told()

    def _fit_told(self) -> None:
        room = self.width() - self.axis_told.sizeHint().width() - 40
        self.told.setText(self.told.fontMetrics().elidedText(self._said, Qt.TextElideMode.ElideRight, max(200, room)))

    def say_of_take(self, text: str) -> None:
        """Say what take this is, at the right of the status line."""
        self.axis_told.setText(shown(text))

    def explain(self) -> None:
        """Explain the view in focus."""
        from opossum_desk.explaining import explain

        self._help = explain(self, self.take_area.flow.loom.whatsThis())

    def tell_about(self) -> None:
        """Say which Opossum this is, and under which licence."""
        from opossum_desk.about import show_about

        show_about(self)

    # --- look and memory ---------------------------------------------------------------------------

    def choose_look(self, choice: str) -> None:
        """Choose the day or night look, or follow the system."""
        self.memory.kept.look = choice
        self.look.choose(choice)
        self.menus.mark_look(choice)

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
        self.menus.mark_look(self.look.choice)

    def _splits(self) -> dict[str, Any]:
        return {name: split for view in self._views.values() for name, split in view.splits().items()}

    # --- events --------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        if self.session is None and self.is_in("take"):
            self.go_to("start")
        super().showEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._was_painted:
            self._was_painted = True
            QTimer.singleShot(STANDS_AFTER_MS, self, self.stands.emit)  # what stands in the window is painted after it

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_told()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.menus.run_typed(event):
            event.accept()
        else:
            super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.opening.is_saving:
            self.say(tr("Saving …"))
        self.games.forget()
        self.games.stop()
        kept = self.memory.kept
        kept.geometry = bytes(self.saveGeometry().toBase64().data()).decode()
        kept.splits = kept.splits | {name: split.sizes() for name, split in self._splits().items()}
        kept.hidden = [name for name, action in self.menus.panels.items() if not action.isChecked()]
        self.memory.save()
        self.opening.close()
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.open_paths(paths)
