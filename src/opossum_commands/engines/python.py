"""Python games: run by their own interpreter, with the recorder's package in reach and nothing that is beside it."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path
from typing import NamedTuple

from opossum_commands.engines.engine import Engine, Launch, recorder_folder
from opossum_commands.reading import CommandError

OPTIONS_WITH_VALUES = ("-X", "-W")
"""Options of the Python interpreter that take the next word along."""
DEFAULT_INTERPRETER = "python3"
MAINS = ("__main__.py", "main.py")
"""What a folder that is a Python game holds, the one that Python itself runs first."""
FIRST_LINE_BYTES_MAX = 1024
OLDEST = (3, 10)
"""The oldest Python that the recorder runs under."""
ANSWER_S = 10.0
"""How long an interpreter may take to tell its version."""


class PythonGame(NamedTuple):
    """How a Python game is called: the interpreter with its options, the game (a script, or ``-m`` and a module) with its
    arguments, and its name.
    """

    interpreter: list[str]
    game: list[str]
    name: str


def python_game(call: tuple[str, ...]) -> PythonGame:
    """Return what a command line calls.

    Raises:
        CommandError: it calls no Python game.
    """
    called, *rest = _by_interpreter(call or ("",))
    if called and Path(called).is_dir():
        raise CommandError(f"{called}: there is no game in this folder that can be told; give its main file.")
    options = []
    while rest and rest[0].startswith("-") and rest[0] != "-m":
        options += [rest.pop(0) for _ in range(2 if rest[0] in OPTIONS_WITH_VALUES else 1) if rest]
    as_module = rest[:1] == ["-m"]
    if not os.path.basename(called).startswith("python") or len(rest) < 1 + as_module:
        raise CommandError(
            "give a game, such as: opossum record game.py, or as you call it: opossum record -- python game.py"
        )
    if not as_module and not Path(rest[0]).is_file():
        raise CommandError(f"{rest[0]}: there is no such game; check the name.")
    return PythonGame([called, *options], rest, rest[1] if as_module else Path(rest[0]).stem)


def _by_interpreter(call: tuple[str, ...]) -> list[str]:
    """Return a call with its interpreter in front: of a module (``-m``), a folder with a main, a script that ends in
    ``.py``, or one that is installed or lies here and whose first line names a Python.
    """
    called, *rest = call
    if called == "-m":
        return [DEFAULT_INTERPRETER, *call]
    main = next((Path(called) / name for name in MAINS if (Path(called) / name).is_file()), None)
    if main is not None:
        return [DEFAULT_INTERPRETER, str(main), *rest]
    if called.endswith(".py"):
        return [DEFAULT_INTERPRETER, *call]
    script = called if Path(called).is_file() else shutil.which(called)
    interpreter = _first_line_names(script) if script else []
    return [*interpreter, str(script), *rest] if interpreter else list(call)


def _first_line_names(script: str) -> list[str]:
    """Return the Python, with its options, that a script's first line names; nothing if it names none."""
    try:
        with open(script, "rb") as file:
            line = file.readline(FIRST_LINE_BYTES_MAX)
    except OSError:
        return []
    if not line.startswith(b"#!"):
        return []
    words = line[2:].decode("utf-8", "replace").split()
    if words and os.path.basename(words[0]) == "env":
        words = [word for word in words[1:] if word != "-S"]
    return words if words and os.path.basename(words[0]).startswith("python") else []


def _version(interpreter: list[str]) -> str:
    """Return an interpreter's version (``3.12``), empty if it cannot be run: starting the game will say that.

    Raises:
        CommandError: it is older than the recorder can be run by.
    """
    ask = "import sys; print('%d.%d' % sys.version_info[:2])"
    try:
        told = subprocess.run(
            [interpreter[0], "-c", ask], capture_output=True, text=True, timeout=ANSWER_S
        ).stdout.strip()
    except (OSError, subprocess.SubprocessError):
        return ""
    numbers = tuple(int(part) for part in told.split(".") if part.isdigit())
    if numbers and numbers < OLDEST:
        raise CommandError(f"{interpreter[0]}: is Python {told}; games are recorded from Python 3.{OLDEST[1]} on.")
    return told


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a Python game."""
    called = python_game(call)
    reach = folder / "reach"
    reach.mkdir()
    (reach / "opossum_recorder").symlink_to(recorder_folder())
    path = os.pathsep.join([str(reach), *filter(None, [os.environ.get("PYTHONPATH")])])
    lies = Path() if called.game[0] == "-m" else Path(called.game[0]).parent
    run = [*called.interpreter, "-m", "opossum_recorder.launch", destination, *called.game]
    return Launch(called.name, run, {"PYTHONPATH": path}, f"Python {_version(called.interpreter)}".strip(), lies)


PYTHON = Engine(
    "python",
    "Python",
    "",
    "Panda3D, pygame-ce, pyglet, or any that records itself",
    MAINS,
    launch,
    "docs/record-panda3d.md",
    has_black_box=True,
)
