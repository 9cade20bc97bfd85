"""What an engine is for `opossum record`: how its games are known and started so that they record themselves."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from opossum.words import tr
from opossum_commands.reading import CommandError

STREAM_VARIABLE = "OPOSSUM_STREAM"
"""Tells a game's recorder where its stream goes."""
ENGINE_VARIABLE = "OPOSSUM_ENGINE"
"""Tells a game's recorder which engine was recognised."""
LINK = "link:"
"""Begins a destination that is an Opossum that listens (`link:HOST:PORT`), not a file."""


class Launch(NamedTuple):
    """A game to be started: its name, what is run, what is added to the environment, what runs it (for people), the
    folder in which it lies, the one it is run in (None: where we are), its name with its engine's (for people), and the
    name by which its main file would be imported.
    """

    name: str
    command: list[str]
    environment: dict[str, str]
    under: str
    folder: Path
    run_in: Path | None = None
    told: str = ""
    main_module: str = ""


class Engine(NamedTuple):
    """An engine whose games are recorded unedited.

    `option`: names its games on the command line (`--love DIR`); empty for what is given as it is called.  `markers`: a
    file that lies in a game's folder tells the engine; `suffix`: so does the ending of a game that is one file.  `launch(destination, call, folder)` returns how to start a game,
    given where its stream goes (a file, or `link:HOST:PORT`), how the user calls it (the game first), and a folder that
    lasts as long as it plays.  `only_links`: it cannot write a file.  `has_black_box`: the interpreter itself writes where
    it stands when the game hangs.  `held`: its games can be held at a moment.  `page`: what of a game is seen.  `programs`: what
    people run its games with, and `game_of`, given what follows that, the game and its arguments.
    """

    name: str
    title: str
    option: str
    explained: str
    markers: tuple[str, ...]
    launch: Callable[[str, tuple[str, ...], Path], Launch]
    page: str
    suffix: str = ""
    held: bool = True
    only_links: bool = False
    has_black_box: bool = False
    programs: tuple[str, ...] = ()
    game_of: Callable[[list[str]], tuple[str, ...]] = tuple

    def is_at(self, path: Path) -> bool:
        """Say whether a game of this engine lies at a path."""
        if self.suffix and path.suffix == self.suffix and path.is_file():
            return True
        return any((path / marker).is_file() or path.name == marker for marker in self.markers)


def path_of(called: str) -> str | None:
    """Return the path of what is called, where it lies here or is installed."""
    return called if Path(called).is_file() else shutil.which(called)


def recorder_folder() -> Path:
    """Return where the recorders lie."""
    import opossum_recorder

    return Path(opossum_recorder.__file__).parent


def game_folder(game: str, main: str, engine: str) -> Path:
    """Return the folder of a game, which must hold its main file.

    Raises:
        CommandError: it does not.
    """
    folder = Path(game)
    if folder.name == main and folder.is_file():
        folder = folder.parent
    if not (folder / main).is_file():
        raise CommandError(
            tr(
                "{game}: is no {engine} game (there is no {main} in it); give the game's folder.",
                game=game,
                engine=engine,
                main=main,
            )
        )
    return folder.resolve()


def program(names: tuple[str, ...], engine: str, package: str) -> str:
    """Return the first program of these names that is installed.

    Raises:
        CommandError: none is; the message says how to install one.
    """
    for name in names:
        found = shutil.which(name)
        if found:
            return found
    raise CommandError(
        tr(
            "{engine} is not installed here. Install it with:  sudo apt-get install -y {package}",
            engine=engine,
            package=package,
        )
    )
