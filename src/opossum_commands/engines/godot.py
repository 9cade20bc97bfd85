"""Godot 3 games: run through an overlay of links to all their files, with an override that loads our autoload."""

from __future__ import annotations

import re
from pathlib import Path

from opossum.words import tr
from opossum_commands.engines.engine import LINK, Engine, Launch, game_folder, program, recorder_folder
from opossum_commands.reading import CommandError

PROJECT = "project.godot"
PROGRAMS = ("godot3", "godot3-runner", "godot3-server")
NEWEST_FORMAT = 4
"""Of a project's file, as Godot 3 writes it; Godot 4 writes a newer one."""
THIS_MACHINE = ("", "127.0.0.1", "localhost")


def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to run a Godot 3 game; it sends over a link, for this engine cannot flush a file.

    Raises:
        CommandError: the link leads to another machine, or the project is of Godot 4.
    """
    game, *arguments = call
    host, _, port = destination.removeprefix(LINK).rpartition(":")
    if host not in THIS_MACHINE:
        raise CommandError(tr("a Godot game can only send to this machine; give --link 127.0.0.1:PORT."))
    source = game_folder(game, PROJECT, "Godot")
    if _format_of(source / PROJECT) > NEWEST_FORMAT:
        raise CommandError(
            tr(
                "{project}: is a project of Godot 4, and only those of Godot 3 can be recorded; a game can write its stream itself instead, see docs/stream.md.",
                project=source / PROJECT,
            )
        )
    godot = program(PROGRAMS, "Godot 3", "godot3-server")
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
    return Launch(source.name, [godot, "--path", str(overlay), *arguments], {"OPOSSUM_PORT": port}, "Godot 3", source)


def _format_of(project: Path) -> int:
    """Return the version of a project file's format, 0 where it tells none."""
    found = re.search(r"^\s*config_version\s*=\s*(\d{1,9})", project.read_text("utf-8", "replace"), re.MULTILINE)
    return int(found.group(1)) if found else 0


def game_of(words: list[str]) -> tuple[str, ...]:
    """Return the project and the arguments of what follows `godot3`: a folder after `--path`, or where we are."""
    at = words.index("--path") if "--path" in words[:-1] else -1
    return (words[at + 1], *words[:at], *words[at + 2 :]) if at >= 0 else (".", *words)


GODOT = Engine(
    "godot",
    "Godot 3",
    "godot",
    "Godot 3",
    (PROJECT,),
    launch,
    "docs/record-godot.md",
    only_links=True,
    programs=PROGRAMS,
    game_of=game_of,
)
