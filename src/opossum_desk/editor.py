"""Opening a place of the game's source in the user's editor, by the command that he chose."""

from __future__ import annotations

import shlex
from pathlib import Path

from PySide6.QtCore import QProcess

from opossum.words import tr

USUAL = "xdg-open {file}"
"""What opens a file where no command was chosen: the desktop's own choice."""


class EditorError(ValueError):
    """A command cannot open a place; the message says why and gives a valid example."""


def parse_command(text: str) -> list[str]:
    """Return the words of an editor's command, in which {file} and {line} stand for the place.

    Raises:
        EditorError: it names no file, or its quotes do not match.
    """
    try:
        words = shlex.split(text)
    except ValueError as error:
        raise EditorError(
            tr(
                "“{text_}” is not understood ({error}); write it such as: myeditor +{{line}} {{file}}",
                text_=text,
                error=error,
            )
        ) from None
    if not words or "{file}" not in text:
        raise EditorError(tr("say where the file's name goes, such as: myeditor +{line} {file}"))
    return words


def open_in_editor(command: str, path: Path, line: int) -> None:
    """Open a file at a line; no shell sees the names.

    Raises:
        EditorError: the command is not understood, or cannot be started.
    """
    words = [word.replace("{file}", str(path)).replace("{line}", str(line)) for word in parse_command(command or USUAL)]
    started = QProcess.startDetached(words[0], words[1:])
    if not (started[0] if isinstance(started, tuple) else started):
        raise EditorError(
            tr("`{words}` cannot be started; choose the editor's command in the menu View", words=words[0])
        )
