"""Shell scripts that end in a game: read, not run."""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Collection
from pathlib import Path
from typing import NamedTuple

from opossum.words import tr, translatable
from opossum_commands.reading import CommandError

SHELLS = ("sh", "bash", "dash", "zsh", "ksh")
BYTES_MAX = 64 << 10
_ASSIGNED = re.compile(r"(?:export\s+)?([A-Za-z_]\w*)=(.*)")
_VARIABLE = re.compile(r"\$\{?([A-Za-z_]\w*)\}?")
_ALL_ARGUMENTS = ("$@", "$*", "${@}", "${*}")


class Wrapped(NamedTuple):
    """What a shell script runs at its end: the call, the folder it goes to first (None: it stays), what it exports."""

    call: tuple[str, ...]
    folder: Path | None
    environment: dict[str, str]


def game_of_wrapper(path: str, arguments: list[str], programs: Collection[str]) -> Wrapped | None:
    """Return the game that a shell script runs at its end, a Python game or one of `programs`; None if it is no shell script.

    Raises:
        CommandError: it is one, but what it runs cannot be told from its text.
    """
    try:
        with open(path, "rb") as file:
            text = file.read(BYTES_MAX).decode("utf-8", "replace")
    except OSError:
        return None
    lines = text.replace("\\\n", " ").splitlines()
    interpreter = lines[0][2:].split() if lines and lines[0].startswith("#!") else []
    if not any(os.path.basename(word) in SHELLS for word in interpreter):
        return None
    folder: Path | None = None
    known: dict[str, str] = {"0": path}
    exported: dict[str, str] = {}
    for line in lines[1:]:
        words = _words(line)
        assigned = _ASSIGNED.fullmatch(line.strip())
        if assigned and (value := _filled_in(_unquoted(assigned[2]), known)) is not None:
            known[assigned[1]] = value
            if line.strip().startswith("export "):
                exported[assigned[1]] = value
        elif words[:1] == ["cd"] and len(words) > 1:
            filled = _filled_in(words[1], known)
            folder = None if filled is None else Path(folder or ".", filled)
        else:
            words = words[1:] if words[:1] == ["exec"] else words
            if words and (_is_python(words[0], folder, known) or os.path.basename(words[0]) in programs):
                return Wrapped(_call(path, words, arguments, known, folder), folder, exported)
    raise CommandError(
        tr(
            "{path}: is a shell script in which no game was found that can be recorded; {give}",
            path=path,
            give=tr(_GIVE),
        )
    )


_GIVE = translatable("give what it runs, such as: opossum record -- python3 game.py")


def _words(line: str) -> list[str]:
    try:
        return shlex.split(line, comments=True)
    except ValueError:
        return []


def _unquoted(value: str) -> str:
    return value.strip().strip("\"'")


def _filled_in(word: str, known: dict[str, str]) -> str | None:
    """Return a word with its variables filled in; None if one is not known, or the shell would have to be asked."""
    if "`" in word or "$(" in word or any(name not in known for name in _VARIABLE.findall(word)):
        return None
    return _VARIABLE.sub(lambda found: known[found[1]], word)


def _is_python(word: str, folder: Path | None, known: dict[str, str]) -> bool:
    filled = _filled_in(word, known) or ""
    return os.path.basename(filled).startswith("python") or (
        filled.endswith(".py") and Path(folder or ".", filled).is_file()
    )


def _call(
    path: str, words: list[str], arguments: list[str], known: dict[str, str], folder: Path | None
) -> tuple[str, ...]:
    call: list[str] = []
    for word in words:
        if word in _ALL_ARGUMENTS:
            call += arguments
            continue
        filled = _filled_in(word, known)
        if filled is None:
            raise CommandError(
                tr(
                    "{path}: what it runs ({words}) depends on what the shell does; {give}",
                    path=path,
                    words=" ".join(words),
                    give=tr(_GIVE),
                )
            )
        call.append(filled)
    if call[0].endswith(".py"):
        call[0] = str(Path(folder or ".", call[0]))
    return tuple(call)
