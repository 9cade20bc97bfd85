"""`opossum listen`: record games that connect, without a window."""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum.words import tr
from opossum_commands.endings import writer_for
from opossum_commands.exit_status import ExitStatus
from opossum_commands.keeping import free_part, keep, spare_what_is_there, tell_lost
from opossum_commands.reading import CommandError, opened
from opossum_commands.terminal import remark, say
from opossum_commands.token_file import token_option

if TYPE_CHECKING:
    from opossum.live.receiver import Receiver


@click.command()
@click.option(
    "--host",
    default="127.0.0.1",
    show_default=True,
    help="Address to listen on; beyond this machine, a token is demanded.",
)
@click.option(
    "--port",
    default=47533,
    show_default=True,
    type=click.IntRange(0, 65535),
    help="Port to listen on (0: any free one).",
)
@click.option(
    "--out", metavar="FILE", help="Where to save: .take, .flow.jsonl or .flow.jsonl.gz (default: a dated .take here)."
)
@token_option
@click.option("--for", "seconds", type=click.FloatRange(0.1), help="Stop after so many seconds.")
@click.option("--until-bye", is_flag=True, help="Stop when every game that came has closed its recorder.")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
def listen(
    host: str, port: int, out: str | None, token: str, seconds: float | None, until_bye: bool, force: bool
) -> None:
    """Listen for games that record over the link, and save what they send as one take.

    Everything received is on disk at once, in FILE's folder as FILE.part.flow.jsonl; Ctrl+C ends listening and saves.
    """
    from opossum.live.receiver import ReceiveError, Receiver
    from opossum.take.unfinished import unfinished

    target = Path(out or time.strftime("game-%Y-%m-%d-%H%M%S.take"))
    write = writer_for(target)
    spare_what_is_there(target, force)
    for left in unfinished(target):
        say(tr("opossum: an unfinished recording lies at {left}; it is left as it is.", left=left), error=True)
    part = free_part(target)
    try:
        receiver = Receiver(part, host, port, token)
        receiver.start()
    except ReceiveError as error:
        raise CommandError(f"{error}.") from None
    remark(tr("Listening on {host}:{port}; Ctrl+C ends it.", host=receiver.host, port=receiver.port))
    _wait(receiver, seconds, until_bye)
    receiver.stop()
    for why in receiver.refusals:
        say(tr("Refused: {why}.", why=why), error=True)
    if not any(peer.records for peer in receiver.peers):
        part.unlink()
        raise CommandError(tr("no game connected, so there is nothing to save."))
    shifts = receiver.shifts()
    take = opened([str(part)], shifts)
    take.name = target.name.split(".")[0]
    keep(take, target, part, write)
    remark(
        tr(
            "{target}: {records:,} records of {name}",
            target=target,
            records=take.records,
            name=", ".join(span.name for span in take.peers),
        ),
        error=False,
    )
    for peer in receiver.peers:
        if peer.error_ns is not None and not peer.clock_is_believable:
            say(tr("  {name}'s clock does not agree with its records, and was not used", name=peer.name), error=True)
    for name, (shift_ns, error_ns) in shifts.items():
        remark(
            tr(
                "  {name}'s clock was set by {shift_ns:+.3f} ms, give or take {error_ns:.3f} ms",
                name=name,
                shift_ns=shift_ns / 1e6,
                error_ns=error_ns / 1e6,
            ),
            error=False,
        )
    not_written = tell_lost(take)
    if receiver.trouble:
        raise CommandError(tr("{trouble}: the take holds what came before.", trouble=receiver.trouble))
    if not_written:
        sys.exit(ExitStatus.ERROR)


def _wait(receiver: Receiver, seconds: float | None, until_bye: bool) -> None:
    """Wait for the end: the time, everybody's bye, or Ctrl+C."""
    deadline = time.monotonic() + seconds if seconds is not None else float("inf")
    told: set[str] = set()
    try:
        while time.monotonic() < deadline and not receiver.trouble:
            peers = receiver.peers
            for peer in peers:
                if peer.name not in told:
                    told.add(peer.name)
                    remark(tr("{name} is recording {game}.", name=peer.name, game=peer.game))
            if until_bye and peers and not any(peer.connected for peer in peers):
                return
            time.sleep(0.05)
    except KeyboardInterrupt:
        say(error=True)
