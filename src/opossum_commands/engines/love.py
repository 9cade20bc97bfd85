"""LÖVE games: run through an overlay of links to all their files, with a main of ours that runs theirs."""

from __future__ import annotations

import os
import shutil
import zipfile
from pathlib import Path

from opossum.words import tr
from opossum_commands.engines.engine import (
    LINK,
    STREAM_VARIABLE,
    Engine,
    Launch,
    game_folder,
    program,
    recorder_folder,
)
from opossum_commands.reading import CommandError

PROGRAMS = ("love",)
MAIN = "main.lua"
RUN_BY_US = "opossum_game_main.lua"
PACKED = ".love"
"""The ending of a game that is one file: a ZIP archive with its main at the top."""
PACKED_BYTES_MAX = 4 << 30
"""A packed game that says it is larger is not unpacked."""


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a LÖVE game."""
    game, *arguments = call
    packed = Path(game).suffix == PACKED and Path(game).is_file()
    source = _unpacked(Path(game), folder) if packed else game_folder(game, MAIN, "LÖVE")
    love = program(PROGRAMS, "LÖVE", "love")
    # what a game saves lies under the name of its folder, unless it names itself: it must find it again
    overlay = folder / "overlay" / (source.resolve().name or "game")
    overlay.mkdir(parents=True)
    for entry in source.iterdir():
        (overlay / (RUN_BY_US if entry.name == MAIN else entry.name)).symlink_to(entry.resolve())
    own = overlay / "opossum.lua"
    own.unlink(missing_ok=True)
    shutil.copy(recorder_folder() / "engines" / "love" / "opossum.lua", own)
    (overlay / MAIN).write_text(
        "local arguments = { ... }\n"
        'require("opossum").play(function(...)\n'
        f'\treturn assert(loadstring(assert(love.filesystem.read("{RUN_BY_US}")), "@main.lua"))(...)\n'
        "end, unpack(arguments))\n"
    )
    stream = destination if destination.startswith(LINK) else os.path.abspath(destination)
    return Launch(
        source.name,
        [love, str(overlay), *arguments],
        {STREAM_VARIABLE: stream},
        "LÖVE",
        Path(game).parent if packed else source,
    )


def _unpacked(game: Path, folder: Path) -> Path:
    """Unpack a game that is one file into a folder named after it, and return that.

    Raises:
        CommandError: it is no such archive, is too large, or holds no main.
    """
    source = folder / game.stem
    try:
        with zipfile.ZipFile(game) as archive:
            if sum(member.file_size for member in archive.infolist()) > PACKED_BYTES_MAX:
                raise CommandError(
                    tr(
                        "{game}: holds more than {packed_bytes_max} GiB; give the game's folder.",
                        game=game,
                        packed_bytes_max=PACKED_BYTES_MAX >> 30,
                    )
                )
            if MAIN not in archive.namelist():
                raise CommandError(tr("{game}: is no LÖVE game (there is no {main} at its top).", game=game, main=MAIN))
            archive.extractall(source)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError) as error:
        raise CommandError(
            tr("{game}: cannot be unpacked ({error}); give the game's folder.", game=game, error=error)
        ) from None
    return source.resolve()


def game_of(words: list[str]) -> tuple[str, ...]:
    """Return the game and its arguments of what follows `love`: its own options stand before the game."""
    while words and words[0].startswith("--"):
        words = words[1:]
    return tuple(words)


LOVE = Engine(
    "love",
    "LÖVE",
    "love",
    "LÖVE 11",
    (MAIN,),
    launch,
    "docs/record-love.md",
    PACKED,
    programs=PROGRAMS,
    game_of=game_of,
)
