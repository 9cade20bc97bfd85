"""`opossum record`: run a game under the recorder and say what was found."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click
from click.core import ParameterSource

from opossum.findings.finding import Severity
from opossum.words import counted, tr
from opossum_commands.black_box import BLACK_BOX_SUFFIX, BLACK_BOX_VARIABLE, BlackBoxWatch, add_black_box
from opossum_commands.completing import files
from opossum_commands.declaring import declared_for
from opossum_commands.desk import run_on_screen
from opossum_commands.endings import writer_for
from opossum_commands.engines import ENGINES, PYTHON, engine_at
from opossum_commands.engines.called import engine_called
from opossum_commands.engines.engine import LINK, Engine, Launch
from opossum_commands.exit_status import ExitStatus
from opossum_commands.keeping import free_part, keep, spare_what_is_there, tell_lost
from opossum_commands.reading import CommandError, examined, opened, wishes_for
from opossum_commands.terminal import remark, say
from opossum_commands.token_file import TOKEN_VARIABLE, token_option
from opossum_recorder.engines.declared.declarations import VARIABLE as DECLARED

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.take.take import Take

LAST_LINES_S = 5.0
"""How long the last lines of a game that has ended may take to arrive."""
MOST_TOLD = 8
"""Findings told when a game has ended; how many more there are is told too."""
LOOK_S = 0.5
"""How often the black box of a game that plays over the link is looked into."""


class RecordCommand(click.Command):
    """A command with an option for each engine whose games are named by a folder, as the engines declare them."""

    def get_params(self, ctx: click.Context) -> list[click.Parameter]:
        """Return the options, the engines' first."""
        folders: list[click.Parameter] = [
            click.Option(
                [f"--{engine.option}"],
                metavar="DIR",
                help=tr("A {title} game's folder; what follows -- are its arguments.", title=engine.title),
            )
            for engine in ENGINES
            if engine.option
        ]
        return folders + super().get_params(ctx)

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the engines below the options."""
        with formatter.section(tr("Engines")):
            formatter.write_dl([(engine.title, f"{tr(engine.explained)}: {engine.page}") for engine in ENGINES])


@click.command(cls=RecordCommand, context_settings={"ignore_unknown_options": True})
@click.option(
    "--link", metavar="HOST:PORT", help="Send to an Opossum that listens, such as the desk, and save nothing here."
)
@token_option
@click.option("--show", is_flag=True, help="Open the desk on the take when the game has ended.")
@click.option(
    "--out", metavar="FILE", help="Where to save: .take, .flow.jsonl or .flow.jsonl.gz (default: GAME-date.take here)."
)
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
@click.option(
    "--for",
    "seconds",
    type=click.FloatRange(0, min_open=True),
    metavar="SECONDS",
    help="End the game after so long, and call that a success.",
)
@click.option(
    "--fail-on",
    type=click.Choice([item.value for item in Severity if item is not Severity.NOTE]),
    help="End with status 1 if anything this bad, or worse, is found and the game itself ended well.",
)
@click.option(
    "--dispatcher",
    "dispatchers",
    multiple=True,
    metavar="MODULE:CLASS",
    help="A class of the game's that dispatches events, and its methods: "
    '"game.events:EventBus bind=subscribe unbind=unsubscribe send=publish".',
)
@click.option(
    "--watch",
    "watched",
    multiple=True,
    metavar="MODULE:FUNCTION",
    help="A function of the game's whose runs are recorded: game.shop:Counter.restock.",
)
@click.option(
    "--frame",
    metavar="MODULE:FUNCTION",
    help="The function of the game's each of whose runs is a frame, where no engine tells: game.main:Game.turn.",
)
@click.argument(
    "call", metavar="[GAME] | [-- python GAME.py] [ARGUMENTS]…", nargs=-1, type=click.UNPROCESSED, shell_complete=files
)
@click.pass_context
def record(
    context: click.Context,
    link: str | None,
    token: str,
    show: bool,
    out: str | None,
    force: bool,
    seconds: float | None,
    fail_on: str | None,
    dispatchers: tuple[str, ...],
    watched: tuple[str, ...],
    frame: str | None,
    call: tuple[str, ...],
    **folders: str,
) -> None:
    """Run a game under the recorder, without editing it, and save the take.

    \b
    opossum record GAME                  a script, or a folder or file that tells its engine
    opossum record -- python game.py     a Python game, as you call it
    opossum record --love DIR            … or of the engine that you name

    The game's exit status is passed on; a crash or freeze leaves everything up to then.
    """
    engine, call = _engine_and_call(folders, call)
    if (dispatchers or watched or frame) and engine is not PYTHON:
        raise CommandError(
            tr(
                "--dispatcher, --watch and --frame are for Python games, and this is one for {title}.",
                title=engine.title,
            )
        )
    engine = _declaring(engine, dispatchers, watched, frame)
    if link is None and context.get_parameter_source("token") is ParameterSource.COMMANDLINE:
        raise CommandError(
            tr("--token-file is for a game that plays to an Opossum elsewhere; give --link HOST:PORT too.")
        )
    if link is not None:
        sys.exit(_record_to(link, token, engine, call, seconds))
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        # only to learn the game's name, and that it can be started, before anything is written
        game = engine.launch(f"{LINK}127.0.0.1:0", call, Path(folder))
    target = Path(out or time.strftime(f"{game.name}-%Y-%m-%d-%H%M%S.take"))
    from opossum.take.unfinished import unfinished

    write = writer_for(target)
    spare_what_is_there(target, force)
    for left in unfinished(target):
        say(tr("opossum: an unfinished recording lies at {left}; it is left as it is.", left=left), error=True)
    stream = free_part(target)
    box = Path(str(stream) + BLACK_BOX_SUFFIX)
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        if engine.only_links:
            status = _run_linked(stream, lambda to: engine.launch(to, call, Path(folder)), seconds)
        else:
            status = _run(engine.launch(str(stream.absolute()), call, Path(folder)), seconds)
    if not stream.exists():
        raise CommandError(tr("the game ended before anything was recorded (exit status {status}).", status=status))
    add_black_box(stream, box)
    take = opened([str(stream)])
    take.name = target.name.split(".")[0]
    keep(take, target, stream, write)
    box.unlink(missing_ok=True)
    found = _tell(take, target, game.folder)
    if fail_on is not None and status == 0 and any(item.severity.rank <= Severity(fail_on).rank for item in found):
        status = ExitStatus.FOUND
    if tell_lost(take) and status == 0:
        status = ExitStatus.ERROR  # the game ended well, and not all that it did could be written
    if show:
        run_on_screen([str(target)])
    sys.exit(status if status >= 0 else 128 - status)


def _engine_and_call(folders: dict[str, str], call: tuple[str, ...]) -> tuple[Engine, tuple[str, ...]]:
    """Return the engine of the game and how it is called, the game first.

    Raises:
        CommandError: several engines are named.
    """
    named = [engine for engine in ENGINES if engine.option and folders.get(engine.option) is not None]
    if len(named) > 1:
        both = tr(" and ").join(f"--{engine.option}" for engine in named)
        raise CommandError(tr("{both} contradict each other; give one of them.", both=both))
    if named:
        return named[0], (folders[named[0].option], *call)
    found = engine_at(Path(call[0])) if call else None
    if found is not None or not call:
        return found or PYTHON, call
    return engine_called(call) or (PYTHON, call)


def _declaring(engine: Engine, dispatchers: tuple[str, ...], watched: tuple[str, ...], frame: str | None) -> Engine:
    """Return an engine whose games are told what the user declares of them."""
    if engine is not PYTHON:
        return engine

    def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
        launch = engine.launch(destination, call, folder)
        declared = declared_for(launch.folder, dispatchers, watched, frame)
        if declared != type(declared)():
            launch.environment[DECLARED] = declared.of_main(launch.main_module).as_json()
        return launch

    return engine._replace(launch=launch)


def _record_to(link: str, token: str, engine: Engine, call: tuple[str, ...], seconds: float | None) -> int:
    """Run a game that sends to an Opossum that listens; return its exit status."""
    _, _, port = link.rpartition(":")
    if not port.isdigit() or not 0 < int(port) < 65536:
        raise CommandError(tr("--link {link}: give HOST:PORT, such as 127.0.0.1:47533.", link=link))
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        launch = engine.launch(LINK + link, call, Path(folder))
        if token:
            launch.environment[TOKEN_VARIABLE] = token
        look = None
        if engine.has_black_box:
            box = Path(folder) / "blackbox"
            launch.environment[BLACK_BOX_VARIABLE] = str(box)
            watch = BlackBoxWatch(box)
            look = watch.look
        status = _run(launch, seconds, look)
    return status if status >= 0 else 128 - status


def _run_linked(stream: Path, launch: Callable[[str], Launch], seconds: float | None) -> int:
    """Run a game that sends its stream to us; return its exit status."""
    from opossum.live.receiver import ReceiveError, Receiver

    receiver = Receiver(stream, port=0)
    try:
        receiver.start()
    except ReceiveError as error:
        raise CommandError(f"{error}.") from None
    try:
        status = _run(launch(f"{LINK}127.0.0.1:{receiver.port}"), seconds)
        deadline = time.monotonic() + LAST_LINES_S
        while any(peer.connected for peer in receiver.peers) and time.monotonic() < deadline:
            time.sleep(0.01)
    finally:
        receiver.stop()
        if not receiver.peers:
            stream.unlink(missing_ok=True)
    if receiver.trouble:
        say(tr("opossum: {trouble}.", trouble=receiver.trouble), error=True)
        return status or ExitStatus.ERROR
    return status


def _run(launch: Launch, seconds: float | None, look: Callable[[], None] | None = None) -> int:
    """Run the game, for so many seconds at most, and return its exit status, 0 if it ended because it was told to.

    `look` is called now and then.
    """
    try:
        process = subprocess.Popen(launch.command, env=os.environ | launch.environment, cwd=launch.run_in)
    except OSError as error:
        raise CommandError(
            tr("{command}: cannot be run ({why}).", command=launch.command[0], why=error.strerror or error)
        ) from None
    signal.signal(signal.SIGTERM, lambda *_: process.terminate())
    lasts = "" if seconds is None else tr(" for {seconds:g} s", seconds=seconds)
    remark(
        tr(
            "opossum: recording {told} under {under}{lasts}; Ctrl+C ends it.",
            told=launch.told or launch.name,
            under=launch.under,
            lasts=lasts,
        )
    )
    ends = None if seconds is None else time.monotonic() + seconds
    asked = 0
    while True:
        left = None if ends is None else max(ends - time.monotonic(), 0.0)
        try:
            return process.wait(min(LOOK_S, left if left is not None else LOOK_S) if look or ends is not None else None)
        except subprocess.TimeoutExpired:
            if look is not None:
                look()
            if ends is not None and time.monotonic() >= ends:
                return _told_to_end(process)
        except KeyboardInterrupt:
            asked += 1  # the terminal told the game as well; it ends in its own way
            if asked == 2:
                say(tr("The game is told to end; once more, and it is killed."), error=True)
                process.terminate()
            elif asked > 2:
                process.kill()


def _told_to_end(process: subprocess.Popen[bytes]) -> int:
    """Tell a game whose time is up to end, and return 0; one that does not listen is killed, and its status returned."""
    process.terminate()
    try:
        process.wait(LAST_LINES_S)
    except subprocess.TimeoutExpired:
        say(
            tr("opossum: the game did not end within {last_lines_s:g} s; it was killed.", last_lines_s=LAST_LINES_S),
            error=True,
        )
        process.kill()
        return process.wait()
    return 0


def _tell(take: Take, target: Path, game_folder: Path) -> list[Finding]:
    """Say where the take is and what is wrong, in a few lines; return what counts."""
    from opossum.findings.blind_spots import blind_spots, error_that_ended
    from opossum.findings.wishes import Wishes, not_counted

    try:
        wishes = wishes_for(target, game_folder)
    except CommandError as error:
        wishes = Wishes()
        say(tr("  {why}; it is not heeded.", why=error.message.removesuffix(".")), error=True)
    found, uncounted = examined(take, wishes)
    ending = "" if take.recording.closed(0) else tr(" The game did not end by itself: see the end of the take.")
    told = f"{counted(take.records, 'record')}, {counted(take.game_frames, 'frame')}"
    say(f"{target}: {told}.{ending}", error=True)
    for finding in found[:MOST_TOLD]:
        say(f"  {finding.severity.value}: {finding.summary}", error=True)
    if len(found) > MOST_TOLD:
        say(
            tr("  … and {found} more: opossum findings {target}", found=len(found) - MOST_TOLD, target=target),
            error=True,
        )
    if uncounted:
        say(f"  {not_counted(uncounted)}", error=True)
    raised = None if take.game_frames else error_that_ended(take)
    if raised:
        say(tr("  The game raised before its first frame: {raised}", raised=raised), error=True)
        if raised.startswith(ModuleNotFoundError.__name__):
            say(tr("  Name the Python that has its packages: opossum record -- path/to/python game.py"), error=True)
        return found
    spots = blind_spots(take)
    for spot in spots:
        say(tr("  not seen: {spot}", spot=spot), error=True)
    if not found:
        say(tr("  Nothing found in what was seen.") if spots else tr("  Nothing found."), error=True)
    return found
