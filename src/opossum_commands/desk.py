"""`opossum [TAKE …]`: the desk."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

import click

from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.reading import CommandError

if TYPE_CHECKING:
    from opossum.take.take import Take


@click.command("desk")
@click.argument("paths", metavar="[TAKE|STREAM]…", nargs=-1, shell_complete=files)
@click.option("--look", type=click.Choice(["day", "night", "system"]), help="Day or night look for this run.")
def open_desk(paths: tuple[str, ...], look: str | None) -> None:
    """Open the desk, on a take or stream if one is named (several streams: one session's peers)."""
    for path in paths:
        if path != "-" and not os.path.exists(path) and not _was_begun(path):
            raise CommandError(tr("{path}: there is no such file; check the name.", path=path))
    run_on_screen(list(paths), look=look)


def _was_begun(path: str) -> bool:
    """Say whether a recording of that name lies there unfinished: the desk says where."""
    from opossum.take.unfinished import unfinished

    return bool(unfinished(Path(path)))


def run_on_screen(paths: list[str], look: str | None = None, take: Take | None = None) -> NoReturn:
    """Open the desk, or say in a sentence why there is no screen to open it on (Qt itself would abort)."""
    from opossum_desk.screen import why_no_window

    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise CommandError(f"{why_no_window()}.")
    from opossum_desk.starting import run_desk

    try:
        status = run_desk(paths, look=look, take=take)
    except ImportError as error:
        if not (error.name or "").startswith(("PySide6", "shiboken6")) and ".so" not in str(error):
            raise
        raise CommandError(f"{why_no_window()} ({error}).") from None
    sys.exit(status)
