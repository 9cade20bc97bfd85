"""What the desk asks in dialogs: where to save, what to write, what to watch, which editor. Dialogs are loaded when first wanted."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtWidgets import QWidget

from opossum.words import tr
from opossum_desk.area import Desk


class Asking:
    """Asks for a desk, over its window."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    @property
    def _window(self) -> QWidget:
        return self._desk.view("take").window()

    def _warn(self, title: str, text: str) -> None:
        from PySide6.QtWidgets import QMessageBox

        QMessageBox.warning(self._window, title, text)

    def save(self) -> None:
        """Let the user say where to save the open take as one `.take` file."""
        if self._desk.session is None:
            return
        from PySide6.QtWidgets import QFileDialog

        start = os.path.join(self._desk.memory.kept.folder, f"{self._desk.session.take.name}.take")
        path, _ = QFileDialog.getSaveFileName(self._window, tr("Save the take"), start, tr("Takes (*.take)"))
        if path:
            self._desk.save_to(path if path.endswith(".take") else path + ".take")

    def report(self) -> None:
        """Let the user say where to write the report of the open take."""
        if self._desk.session is None or not self._desk.session.examined:
            self._desk.say(tr("The take has to be examined first."))
            return
        from PySide6.QtWidgets import QFileDialog

        start = os.path.join(self._desk.memory.kept.folder, f"{self._desk.session.take.name}.html")
        path, _ = QFileDialog.getSaveFileName(self._window, tr("Write a report"), start, tr("Pages (*.html)"))
        if path:
            from opossum_desk.report.writing import reporting_task  # the template engine is loaded when first wanted

            target = path if path.endswith(".html") else path + ".html"
            self._desk.opening.write_report(
                reporting_task(self._desk.session.take, self._desk.session.findings, target)
            )
            self._desk.say(tr("Writing the report …"))

    def picture(self) -> None:
        """Let the user say where to save a picture of the view in focus, or of the window."""
        from PySide6.QtWidgets import QFileDialog

        from opossum_desk.picture_saving import FILTER, save_picture

        view = self._desk.view("take").view_in_focus() if self._desk.is_in("take") else self._window
        start = os.path.join(self._desk.memory.kept.folder, f"{(view.accessibleName() or 'opossum').lower()}.png")
        path, _ = QFileDialog.getSaveFileName(self._window, tr("Save a picture of this view"), start, tr(FILTER))
        if not path:
            return
        try:
            save_picture(view, path if Path(path).suffix else f"{path}.png")
        except (OSError, ValueError) as error:
            self._warn(tr("Not saved"), f"{getattr(error, 'strerror', None) or error}.")
        else:
            self._desk.say(tr("Saved {path}.", path=path))

    def attribute(self, owner: str) -> None:
        """Let the user choose an attribute of an object of the game that plays, to be watched from now on."""
        from PySide6.QtWidgets import QInputDialog

        told = tr(
            "The attribute of {owner} to watch; it is read at each frame's end, without running any of its code:",
            owner=owner,
        )
        name, accepted = QInputDialog.getText(self._window, tr("Watch"), told)
        receiver = self._desk.games.receiver
        if accepted and name.strip() and receiver is not None:
            receiver.watch(owner, name.strip())
            self._desk.view("take").now.renew()
            self._desk.say(
                tr(
                    "{owner} {attribute} is watched: it stands among the Strands as soon as it changes.",
                    owner=owner,
                    attribute=name.strip(),
                )
            )

    def note(self, column: int) -> None:
        """Let the user write a note to a frame of the open take, which is marked by it."""
        from PySide6.QtWidgets import QInputDialog

        if self._desk.session is None:
            return
        number = int(self._desk.session.axis.numbers[column])
        where = tr("frame {number}", number=number) if number >= 0 else tr("the start-up")
        before = self._desk.session.marks.notes.get(column, "")
        text, accepted = QInputDialog.getText(
            self._window, tr("A note"), tr("Your note to {where}:", where=where), text=before
        )
        if accepted:
            self._desk.session.marks.write(column, text)
            self._desk.say(tr("Marked: {note}", note=text.strip()) if text.strip() else tr("Marked."))

    def open_place(self, text: str) -> None:
        """Open a place of the game's source in the user's editor; say what is in the way."""
        from opossum_desk.editor import EditorError, open_in_editor
        from opossum_desk.state.source_places import find_source, place_of

        place = place_of(text)
        path = find_source(place, self._desk.view("take").story.roots) if place is not None else None
        if place is None or path is None:
            self._desk.say(
                tr("{text}: there is no such file near the take, nor where the desk was started.", text=text)
            )
            return
        try:
            open_in_editor(self._desk.memory.kept.editor, path, place.line)
        except EditorError as error:
            self._desk.say(f"{error}.")
        else:
            self._desk.say(tr("Opened {path}, line {line}.", path=path, line=place.line))

    def editor(self) -> None:
        """Let the user say which command opens places of the source."""
        from PySide6.QtWidgets import QInputDialog

        from opossum_desk.editor import USUAL, EditorError, parse_command

        told = tr("The command that opens a place; {file} and {line} stand for it:")
        text, accepted = QInputDialog.getText(
            self._window, tr("The editor"), told, text=self._desk.memory.kept.editor or USUAL
        )
        if not accepted:
            return
        try:
            parse_command(text)
        except EditorError as error:
            self._warn(tr("Not changed"), f"{error}.")
        else:
            self._desk.memory.kept.editor = text
            self._desk.memory.save()
            self._desk.say(tr("Places open by: {text}", text=text))
