"""`opossum record`: run a game under the recorder and say what was found."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum_commands.launching import Launch, love_launch, python_launch
from opossum_commands.reading import CommandError, opened

if TYPE_CHECKING:
    from opossum.take.take import Take

_FAULT_LINE = re.compile(r'File "(.+?)", line (\d+) in (.+)')
LAUNCHED = "opossum_recorder"


@click.command(context_settings={"ignore_unknown_options": True})
@click.option("--love", metavar="DIR", help="A LÖVE game's folder; what follows -- are its arguments.")
@click.option("--out", metavar="FILE", help="Where to save the take (default: GAME-date.take here).")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
@click.argument("command", metavar="[-- python GAME.py] [ARGUMENTS]…", nargs=-1, type=click.UNPROCESSED)
def record(love: str | None, out: str | None, force: bool, command: tuple[str, ...]) -> None:
    """Run a game under the recorder, without editing it, and save the take.

    \b
    opossum record -- python game.py     Python: Panda3D, pygame-ce, or any that records itself
    opossum record --love DIR            LÖVE 11

    The game's exit status is passed on; a crash or freeze leaves everything up to then.
    """
    name = Path(love).resolve().name if love is not None else Path(command[1]).stem if len(command) > 1 else "game"
    target = Path(out or time.strftime(f"{name}-%Y-%m-%d-%H%M%S.take"))
    if target.exists() and not force:
        raise CommandError(f"{target}: is there already; give --force to replace it.")
    stream = target.with_name(target.name + ".part.flow.jsonl")
    box = Path(str(stream) + ".blackbox")
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        if love is not None:
            launch = love_launch(stream, love, command, Path(folder))
        else:
            launch = python_launch(stream, command)
        stream.unlink(missing_ok=True)
        status = _run(launch)
    if not stream.exists():
        raise CommandError(f"the game ended before anything was recorded (exit status {status}).")
    _add_black_box(stream, box)
    take = opened([str(stream)])
    take.name = target.name.split(".")[0]
    from opossum.take.archive import save_take

    try:
        save_take(take, target)
    except OSError as error:
        raise CommandError(
            f"{target}: cannot be written ({error.strerror or error}); the stream is kept as {stream}."
        ) from None
    stream.unlink()
    box.unlink(missing_ok=True)
    _tell(take, target)
    sys.exit(status if status >= 0 else 128 - status)


def _run(launch: Launch) -> int:
    """Run the game and return its exit status."""
    try:
        process = subprocess.Popen(launch.command, env=os.environ | launch.environment)
    except OSError as error:
        raise CommandError(f"{launch.command[0]}: cannot be run ({error.strerror or error}).") from None
    while True:
        try:
            return process.wait()
        except KeyboardInterrupt:
            continue  # the game was told as well; it ends in its own way


def _add_black_box(stream: Path, box: Path) -> None:
    """Add to the stream where the interpreter was when it wrote to the black box, if the stream was cut off."""
    try:
        text = box.read_text(encoding="utf-8", errors="replace")
        data = stream.read_bytes().rstrip(b"\n\0")
    except OSError:
        return
    from opossum_recorder.launch import BLACK_BOX_AFTER_S

    last = data.rpartition(b"\n")[2]
    # one section a thread, the game's own last; innermost lines first, the launcher's say nothing of the game
    section = re.split(r"^(?:Current t|T)hread 0x", text, flags=re.MULTILINE)[-1]
    stack = [
        f"{name} {os.path.basename(file)}:{line}"
        for file, line, name in _FAULT_LINE.findall(section)
        if LAUNCHED not in file and "runpy" not in file
    ][:40]
    if b'"k":"bye"' in last or not stack:
        return
    t = re.search(rb'"t":(\d+)', last)
    moment = (int(t.group(1)) if t else 0) + int(BLACK_BOX_AFTER_S * 1e9)
    entry = {"k": "stuck", "t": moment, "sec": BLACK_BOX_AFTER_S, "stack": stack}
    stream.write_bytes(data + b"\n" + json.dumps(entry).encode() + b"\n")


def _tell(take: Take, target: Path) -> None:
    """Say where the take is and what is wrong, in a few lines."""
    from opossum.findings.examine import examine

    found = examine(take)
    ending = "" if take.closed(0) else " The game did not end by itself: see the end of the take."
    click.echo(f"{target}: {take.records:,} records, {take.game_frames:,} frames.{ending}", err=True)
    for finding in found[:8]:
        click.echo(f"  {finding.severity.value}: {finding.summary}", err=True)
    if not found:
        click.echo("  Nothing found.", err=True)
