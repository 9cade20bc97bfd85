"""Python games: run by their own interpreter, with the recorder's package in reach and nothing that is beside it."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from opossum.words import tr, translatable
from opossum_commands.engines.engine import ENGINE_VARIABLE, Engine, Launch, path_of, recorder_folder
from opossum_commands.engines.shell_wrapper import game_of_wrapper
from opossum_commands.reading import CommandError

OPTIONS_WITH_VALUES = ("-X", "-W")
"""Options of the Python interpreter that take the next word along."""
DEFAULT_INTERPRETER = "python3"
MAINS = ("__main__.py", "main.py")
"""What a folder that is a Python game holds, the one that Python itself runs first."""
OTHER_THAN_SCRIPTS = ("-m", "-c")
"""What stands for the game where it is no script: a module, or the program itself."""
FIRST_LINE_BYTES_MAX = 1024
OLDEST = (3, 10)
"""The oldest Python that the recorder runs under."""
ANSWER_S = 10.0
"""How long an interpreter may take to tell its version."""


_GIVE = translatable(
    "give a game, such as: opossum record game.py, or as you call it: opossum record -- python game.py"
)


class PythonGame(NamedTuple):
    """How a Python game is called: the interpreter with its options, the game (a script, or ``-m`` and a module, or ``-c``
    and a program) with its arguments, its name, the folder it is run in (None: where we are) and what is added to the
    environment.
    """

    interpreter: list[str]
    game: list[str]
    name: str
    folder: Path | None = None
    environment: Mapping[str, str] = MappingProxyType({})

    @property
    def main_module(self) -> str:
        """Return the name by which the script would be imported, empty for what is no script."""
        return "" if self.game[0] in OTHER_THAN_SCRIPTS else Path(self.game[0]).stem

    @property
    def lies_in(self) -> Path:
        """Return the folder in which the game lies."""
        within = self.folder or Path()
        return within if self.game[0] in OTHER_THAN_SCRIPTS else Path(within, self.game[0]).parent


def python_game(call: tuple[str, ...]) -> PythonGame:
    """Return what a command line calls.

    Raises:
        CommandError: it calls no Python game.
    """
    script = path_of(call[0]) if call and not os.path.basename(call[0]).startswith("python") else None
    wrapped = game_of_wrapper(script, list(call[1:]), ()) if script else None
    folder = wrapped.folder if wrapped is not None else None
    called, *rest = _by_interpreter((wrapped.call if wrapped is not None else call) or ("",))
    if called and Path(called).is_dir():
        raise CommandError(
            tr("{called}: there is no game in this folder that can be told; give its main file.", called=called)
        )
    options = []
    while rest and rest[0].startswith("-") and rest[0] not in OTHER_THAN_SCRIPTS:
        options += [rest.pop(0) for _ in range(2 if rest[0] in OPTIONS_WITH_VALUES else 1) if rest]
    other = rest[:1] in ([word] for word in OTHER_THAN_SCRIPTS)
    if called and not os.path.basename(called).startswith("python"):
        here = path_of(called) is not None
        why = (
            tr("is no game that can be recorded")
            if here
            else tr("`opossum record` has no such option; `opossum record --help` lists those it has")
            if called.startswith("-")
            else tr("there is no such game and no such program; check the name")
        )
        raise CommandError(f"{called}: {why}{f'; {tr(_GIVE)}' if here else ''}.")
    if not called or len(rest) < 1 + other:
        raise CommandError(tr(_GIVE))
    if not other:
        _check_script(Path(folder or "", rest[0]))
    of_script = Path(str(script) if wrapped is not None else rest[0]).stem
    name = {"-m": rest[1:2], "-c": ["program"]}.get(rest[0], [of_script])[0]
    return PythonGame([called, *options], rest, name, folder, wrapped.environment if wrapped is not None else {})


def _check_script(script: Path) -> None:
    """See that a script can be a Python game.

    Raises:
        CommandError: it is not there, or is no text.
    """
    try:
        with open(script, "rb") as file:
            start = file.read(FIRST_LINE_BYTES_MAX)
    except OSError as error:
        why = tr("there is no such game; check the name") if not script.exists() else (error.strerror or str(error))
        raise CommandError(f"{script}: {why}.") from None
    if b"\0" in start and not start.startswith(b"PK"):
        raise CommandError(
            tr("{script}: is a compiled program, not a Python game; give the script that it runs.", script=script)
        )


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
    script = path_of(called)
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


@cache
def _version(interpreter: str) -> str:
    """Return an interpreter's version (``3.12``), empty if it cannot be run: starting the game will say that.

    Raises:
        CommandError: it is older than the recorder can be run by.
    """
    ask = "import sys; print('%d.%d' % sys.version_info[:2])"
    try:
        told = subprocess.run([interpreter, "-c", ask], capture_output=True, text=True, timeout=ANSWER_S).stdout.strip()
    except (OSError, subprocess.SubprocessError):
        return ""
    numbers = tuple(int(part) for part in told.split(".") if part.isdigit())
    if numbers and numbers < OLDEST:
        raise CommandError(
            tr(
                "{interpreter}: is Python {told}; games are recorded from Python 3.{oldest} on.",
                interpreter=interpreter,
                told=told,
                oldest=OLDEST[1],
            )
        )
    return told


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a Python game."""
    called = python_game(call)
    reach = folder / "reach"
    reach.mkdir()
    (reach / "opossum_recorder").symlink_to(recorder_folder())
    path = os.pathsep.join([str(reach), *filter(None, [os.environ.get("PYTHONPATH")])])
    version, engine = _version(called.interpreter[0]), _engine(called, path)
    run = [*called.interpreter, "-m", "opossum_recorder.launch", destination, *called.game]
    under = f"Python {version}".strip()
    environment = {**called.environment, "PYTHONPATH": path} | ({ENGINE_VARIABLE: engine} if engine else {})
    named = f"{called.name} ({engine})" if engine else called.name
    return Launch(called.name, run, environment, under, called.lies_in, called.folder, named, called.main_module)


_engines: dict[tuple[str, ...], str] = {}
"""The engines that interpreters named, by where and how they were asked: a game's launch is looked at before it is done."""


def _engine(called: PythonGame, path: str) -> str:
    """Return the engine that a game is written for and its version, as its own interpreter knows it."""
    if called.game[0] == "-c":
        return ""
    ask = [
        called.interpreter[0],
        "-m",
        "opossum_recorder.engines.recognising",
        *called.game[: 1 + (called.game[0] == "-m")],
    ]
    asked = (os.path.abspath(called.folder or ""), *ask)
    if asked not in _engines:
        try:
            told = subprocess.run(
                ask,
                capture_output=True,
                text=True,
                timeout=ANSWER_S,
                cwd=called.folder,
                env=os.environ | {"PYTHONPATH": path},
            )
        except (OSError, subprocess.SubprocessError):
            return ""
        lines = told.stdout.strip().splitlines() if told.returncode == 0 else []
        _engines[asked] = lines[-1] if lines else ""
    return _engines[asked]


PYTHON = Engine(
    "python",
    "Python",
    "",
    "Panda3D, ursina, pygame, Pygame Zero, pyglet, arcade, cocos2d, or any that records itself",
    MAINS,
    launch,
    "docs/record-python.md",
    has_black_box=True,
)
