"""LÖVE games: run through an overlay of links to all their files, with a main of ours that runs theirs."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from opossum_commands.engines.engine import (
    LINK,
    STREAM_VARIABLE,
    Engine,
    Launch,
    game_folder,
    program,
    recorder_folder,
)

MAIN = "main.lua"
RUN_BY_US = "opossum_game_main.lua"


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a LÖVE game."""
    game, *arguments = call
    source = game_folder(game, MAIN, "LÖVE")
    love = program(("love",), "LÖVE", "love")
    overlay = folder / "overlay"
    overlay.mkdir()
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
    return Launch(source.name, [love, str(overlay), *arguments], {STREAM_VARIABLE: stream})


LOVE = Engine("love", "LÖVE", "love", "LÖVE 11", (MAIN,), launch, "docs/record-love.md")
