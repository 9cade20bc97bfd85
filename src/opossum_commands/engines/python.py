"""Python games: run by their own interpreter, with the recorder's package in reach and nothing that is beside it."""

from __future__ import annotations

import os
from pathlib import Path
from typing import NamedTuple

from opossum_commands.engines.engine import Engine, Launch, recorder_folder
from opossum_commands.reading import CommandError

OPTIONS_WITH_VALUES = ("-X", "-W")
"""Options of the Python interpreter that take the next word along."""


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
    called, *rest = call or ("",)
    if called.endswith(".py"):
        called, rest = "python3", [called, *rest]
    options = []
    while rest and rest[0].startswith("-") and rest[0] != "-m":
        options += [rest.pop(0) for _ in range(2 if rest[0] in OPTIONS_WITH_VALUES else 1) if rest]
    as_module = rest[:1] == ["-m"]
    if not os.path.basename(called).startswith("python") or len(rest) < 1 + as_module:
        raise CommandError("give a Python game after --, such as: opossum record -- python game.py")
    if not as_module and not Path(rest[0]).is_file():
        raise CommandError(f"{rest[0]}: there is no such game; check the name.")
    return PythonGame([called, *options], rest, rest[1] if as_module else Path(rest[0]).stem)


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a Python game."""
    called = python_game(call)
    reach = folder / "reach"
    reach.mkdir()
    (reach / "opossum_recorder").symlink_to(recorder_folder())
    path = os.pathsep.join([str(reach), *filter(None, [os.environ.get("PYTHONPATH")])])
    run = [*called.interpreter, "-m", "opossum_recorder.launch", destination, *called.game]
    return Launch(called.name, run, {"PYTHONPATH": path})


PYTHON = Engine(
    "python",
    "Python",
    "",
    "Panda3D, pygame-ce, pyglet, or any that records itself",
    (),
    launch,
    "docs/record-panda3d.md",
    has_black_box=True,
)
