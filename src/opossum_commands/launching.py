"""How each engine's game is started so that it records itself: the command, its environment, what is laid around it."""

from __future__ import annotations

import os
import shutil
from pathlib import Path
from typing import NamedTuple

from opossum_commands.reading import CommandError

STREAM_VARIABLE = "OPOSSUM_STREAM"
"""Tells a game's recorder where its stream goes."""

OPTIONS_WITH_VALUES = ("-X", "-W")
"""Options of the Python interpreter that take the next word along."""

RUN_BY_US = "opossum_game_main.lua"


class Launch(NamedTuple):
    """A game to be started: its name, what is run, and what is added to the environment."""

    name: str
    command: list[str]
    environment: dict[str, str]


class PythonGame(NamedTuple):
    """How a Python game is called: the interpreter with its options, the game (a script, or ``-m`` and a module) with its
    arguments, and its name.
    """

    interpreter: list[str]
    game: list[str]
    name: str


def python_game(command: tuple[str, ...]) -> PythonGame:
    """Return what a command line calls.

    Raises:
        CommandError: it calls no Python game.
    """
    program, *rest = command or ("",)
    options = []
    while rest and rest[0].startswith("-") and rest[0] != "-m":
        options += [rest.pop(0) for _ in range(2 if rest[0] in OPTIONS_WITH_VALUES else 1) if rest]
    as_module = rest[:1] == ["-m"]
    if not os.path.basename(program).startswith("python") or len(rest) < 1 + as_module:
        raise CommandError("give a Python game after --, such as: opossum record -- python game.py")
    if not as_module and not Path(rest[0]).is_file():
        raise CommandError(f"{rest[0]}: there is no such game; check the name.")
    return PythonGame([program, *options], rest, rest[1] if as_module else Path(rest[0]).stem)


def python_launch(stream: str, called: PythonGame, folder: Path) -> Launch:
    """Run a Python game with the recorder's package in reach, and nothing that is installed beside it."""
    reach = folder / "reach"
    reach.mkdir()
    (reach / "opossum_recorder").symlink_to(recorder_folder())
    path = os.pathsep.join([str(reach), *filter(None, [os.environ.get("PYTHONPATH")])])
    run = [*called.interpreter, "-m", "opossum_recorder.launch", stream, *called.game]
    return Launch(called.name, run, {"PYTHONPATH": path})


def love_launch(stream: str, game: str, arguments: tuple[str, ...], folder: Path) -> Launch:
    """Run a LÖVE game through an overlay: links to all its files, and a main of ours that runs the game's."""
    source = _game_folder(game, "main.lua", "LÖVE")
    program = _program(("love",), "LÖVE", "love")
    overlay = folder / "overlay"
    overlay.mkdir()
    for entry in source.iterdir():
        name = RUN_BY_US if entry.name == "main.lua" else entry.name
        (overlay / name).symlink_to(entry.resolve())
    own = overlay / "opossum.lua"
    own.unlink(missing_ok=True)
    shutil.copy(recorder_folder() / "engines" / "love" / "opossum.lua", own)
    (overlay / "main.lua").write_text(
        "local arguments = { ... }\n"
        'require("opossum").play(function(...)\n'
        f'\treturn assert(loadstring(assert(love.filesystem.read("{RUN_BY_US}")), "@main.lua"))(...)\n'
        "end, unpack(arguments))\n"
    )
    return Launch(source.name, [program, str(overlay), *arguments], {STREAM_VARIABLE: stream})


def godot_launch(port: int, game: str, arguments: tuple[str, ...], folder: Path) -> Launch:
    """Run a Godot 3 game through an overlay: links to all its files, and an override that loads our autoload.

    It sends to us over the link: this engine cannot flush a file.
    """
    source = _game_folder(game, "project.godot", "Godot")
    program = _program(("godot3", "godot3-runner", "godot3-server"), "Godot 3", "godot3-server")
    overlay = folder / "overlay"
    overlay.mkdir()
    for entry in source.iterdir():
        if entry.name != "override.cfg":
            (overlay / entry.name).symlink_to(entry.resolve())
    theirs = source / "override.cfg"
    script = recorder_folder() / "engines" / "godot" / "opossum.gd"
    (overlay / "override.cfg").write_text(
        (theirs.read_text() if theirs.is_file() else "") + f'\n[autoload]\n\nOpossumRecorder="*{script}"\n'
    )
    return Launch(source.name, [program, "--path", str(overlay), *arguments], {"OPOSSUM_PORT": str(port)})


def recorder_folder() -> Path:
    """Return where the recorders lie."""
    import opossum_recorder

    return Path(opossum_recorder.__file__).parent


def _game_folder(game: str, main: str, engine: str) -> Path:
    folder = Path(game)
    if not (folder / main).is_file():
        raise CommandError(f"{game}: is no {engine} game (there is no {main} in it); give the game's folder.")
    return folder.resolve()


def _program(names: tuple[str, ...], engine: str, package: str) -> str:
    for name in names:
        found = shutil.which(name)
        if found:
            return found
    raise CommandError(f"{engine} is not installed here. Install it with:  sudo apt-get install -y {package}")
