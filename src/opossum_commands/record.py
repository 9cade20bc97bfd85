"""`opossum record`: run a game under the recorder and say what was found."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum_commands.desk import run_on_screen
from opossum_commands.launching import Launch, godot_launch, love_launch, python_game, python_launch
from opossum_commands.reading import CommandError, opened

if TYPE_CHECKING:
    from opossum.take.take import Take

_FAULT_LINE = re.compile(r'File "(.+?)", line (\d+) in (.+)')
LAST_LINES_S = 5.0
"""How long the last lines of a game that has ended may take to arrive."""
LAUNCHED = "opossum_recorder"
LOOK_S = 0.5
"""How often the black box of a game that plays over the link is looked into."""
BLACK_BOX_VARIABLE = "OPOSSUM_BLACK_BOX"


@click.command(context_settings={"ignore_unknown_options": True})
@click.option("--love", metavar="DIR", help="A LÖVE game's folder; what follows -- are its arguments.")
@click.option("--godot", metavar="DIR", help="A Godot 3 project's folder; what follows -- are its arguments.")
@click.option(
    "--link", metavar="HOST:PORT", help="Send to an Opossum that listens, such as the desk, and save nothing here."
)
@click.option("--show", is_flag=True, help="Open the desk on the take when the game has ended.")
@click.option("--out", metavar="FILE", help="Where to save the take (default: GAME-date.take here).")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
@click.argument("command", metavar="[-- python GAME.py] [ARGUMENTS]…", nargs=-1, type=click.UNPROCESSED)
def record(
    love: str | None,
    godot: str | None,
    link: str | None,
    show: bool,
    out: str | None,
    force: bool,
    command: tuple[str, ...],
) -> None:
    """Run a game under the recorder, without editing it, and save the take.

    \b
    opossum record -- python game.py     Python: Panda3D, pygame-ce, or any that records itself
    opossum record --love DIR            LÖVE 11
    opossum record --godot DIR           Godot 3

    The game's exit status is passed on; a crash or freeze leaves everything up to then.
    """
    if love is not None and godot is not None:
        raise CommandError("--love and --godot contradict each other; give one of them.")
    if link is not None:
        sys.exit(_record_to(link, love, godot, command))
    folder_given = love or godot
    name = Path(folder_given).resolve().name if folder_given else python_game(command).name
    target = Path(out or time.strftime(f"{name}-%Y-%m-%d-%H%M%S.take"))
    if target.exists() and not force:
        raise CommandError(f"{target}: is there already; give --force to replace it.")
    stream = target.with_name(target.name + ".part.flow.jsonl")
    box = Path(str(stream) + ".blackbox")
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        stream.unlink(missing_ok=True)
        if godot is not None:
            status = _run_linked(stream, lambda port: godot_launch(port, godot, command, Path(folder)))
        elif love is not None:
            status = _run(love_launch(str(stream.resolve()), love, command, Path(folder)))
        else:
            status = _run(python_launch(str(stream), python_game(command), Path(folder)))
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
    if show:
        run_on_screen([str(target)])
    sys.exit(status if status >= 0 else 128 - status)


def _record_to(link: str, love: str | None, godot: str | None, command: tuple[str, ...]) -> int:
    """Run a game that sends to an Opossum that listens; return its exit status."""
    host, _, port = link.rpartition(":")
    if not port.isdigit() or not 0 < int(port) < 65536:
        raise CommandError(f"--link {link}: give HOST:PORT, such as 127.0.0.1:47533.")
    if godot is not None and host not in ("", "127.0.0.1", "localhost"):
        raise CommandError("a Godot game can only send to this machine; give --link 127.0.0.1:PORT.")
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        if godot is not None:
            status = _run(godot_launch(int(port), godot, command, Path(folder)))
        elif love is not None:
            status = _run(love_launch(f"link:{link}", love, command, Path(folder)))
        else:
            box = Path(folder) / "blackbox"
            launch = python_launch(f"link:{link}", python_game(command), Path(folder))
            launch.environment[BLACK_BOX_VARIABLE] = str(box)
            status = _run(launch, lambda: _tell_black_box(box))
    return status if status >= 0 else 128 - status


def _run_linked(stream: Path, launch: Callable[[int], Launch]) -> int:
    """Run a game that sends its stream to us; return its exit status."""
    from opossum.live.receiver import ReceiveError, Receiver

    receiver = Receiver(stream, port=0)
    try:
        receiver.start()
    except ReceiveError as error:
        raise CommandError(f"{error}.") from None
    try:
        status = _run(launch(receiver.port))
        deadline = time.monotonic() + LAST_LINES_S
        while any(peer.connected for peer in receiver.peers) and time.monotonic() < deadline:
            time.sleep(0.01)
    finally:
        receiver.stop()
        if not receiver.peers:
            stream.unlink(missing_ok=True)
    return status


def _run(launch: Launch, look: Callable[[], None] | None = None) -> int:
    """Run the game and return its exit status; `look` is called now and then."""
    try:
        process = subprocess.Popen(launch.command, env=os.environ | launch.environment)
    except OSError as error:
        raise CommandError(f"{launch.command[0]}: cannot be run ({error.strerror or error}).") from None
    signal.signal(signal.SIGTERM, lambda *_: process.terminate())
    asked = 0
    while True:
        try:
            return process.wait(LOOK_S if look is not None else None)
        except subprocess.TimeoutExpired:
            look()  # type: ignore[misc]
        except KeyboardInterrupt:
            asked += 1  # the terminal told the game as well; it ends in its own way
            if asked == 2:
                click.echo("The game is told to end; once more, and it is killed.", err=True)
                process.terminate()
            elif asked > 2:
                process.kill()


_boxes_told: dict[Path, int] = {}


def _tell_black_box(box: Path) -> None:
    """Say where the interpreter stands, each time it has written to the black box because the game does not move on."""
    size = box.stat().st_size if box.exists() else 0
    if size > _boxes_told.get(box, 0):
        _boxes_told[box] = size
        stack = _stack_in(box)
        if stack:
            click.echo(f"The game stands still in {', called by '.join(stack[:3])}.", err=True)


def _stack_in(box: Path) -> list[str]:
    """Return where the game's own thread was when the interpreter last wrote to the black box, innermost first."""
    text = box.read_text(encoding="utf-8", errors="replace")
    # one section a thread, the game's own last; the launcher's lines say nothing of the game
    section = re.split(r"^(?:Current t|T)hread 0x", text, flags=re.MULTILINE)[-1]
    return [
        f"{name} {os.path.basename(file)}:{line}"
        for file, line, name in _FAULT_LINE.findall(section)
        if LAUNCHED not in file and "runpy" not in file
    ][:40]


def _add_black_box(stream: Path, box: Path) -> None:
    """Add to the stream where the interpreter was when it wrote to the black box, if the stream was cut off."""
    try:
        stack = _stack_in(box)
        data = stream.read_bytes().rstrip(b"\n\0")
    except OSError:
        return
    from opossum_recorder.launch import BLACK_BOX_AFTER_S

    last = data.rpartition(b"\n")[2]
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
    ending = "" if take.recording.closed(0) else " The game did not end by itself: see the end of the take."
    click.echo(f"{target}: {take.records:,} records, {take.game_frames:,} frames.{ending}", err=True)
    for finding in found[:8]:
        click.echo(f"  {finding.severity.value}: {finding.summary}", err=True)
    if not found:
        click.echo("  Nothing found.", err=True)
