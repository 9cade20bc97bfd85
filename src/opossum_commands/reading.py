"""What commands share: opening what the user named, and saying in one sentence why it cannot be."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from opossum.foreign_text import shown_json
from opossum.take.helper import helper_for
from opossum.words import tr
from opossum_commands.exit_status import ExitStatus
from opossum_commands.steps import share_of, step

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.findings.wishes import Wishes
    from opossum.take.take import Take


class CommandError(click.ClickException):
    """One sentence for the user; the command ends with status 2."""

    exit_code = ExitStatus.ERROR


class Examined(NamedTuple):
    """What was found in a take: what counts, and how many findings more its user does not want counted."""

    counted: list[Finding]
    uncounted: int


def opened(paths: Sequence[str], shifts: Mapping[str, tuple[int, int]] | None = None) -> Take:
    """Open takes or streams for a command (`shifts` sets peers' clocks against each other).

    Raises:
        CommandError: they cannot be read.
    """
    from opossum.take.opening import ReadError, is_archive, open_any

    try:
        # begun before there is the thread that tells of the step
        helper = helper_for(list(paths)) if is_archive(paths[0]) else None
        told = ", ".join(tr("standard input") if path == "-" else path for path in paths)
        with step(tr("reading {told}", told=told)) as tell:
            return open_any(list(paths), share_of(tell, _size(paths)), shifts, helper)
    except ReadError as error:
        raise CommandError(f"{error}.") from None
    except MemoryError:
        raise CommandError(
            tr("{paths}: too large for this machine's memory; record a shorter run.", paths=paths[0])
        ) from None


def _size(paths: Sequence[str]) -> int:
    """Return the bytes of files, 0 where they are not known."""
    return sum(os.path.getsize(path) for path in paths) if all(map(os.path.isfile, paths)) else 0


def examined(take: Take, wishes: Wishes, only: Collection[str] = ()) -> Examined:
    """Examine a take for a command, and leave out what its user does not want counted."""
    from opossum.findings.examine import examine

    with step(tr("examining {name}", name=take.name)) as tell:
        everything = examine(take, wishes.settings, only, tell)
    counted = wishes.counted(everything)
    return Examined(counted, len(everything) - len(counted))


def wishes_for(*places: str | Path) -> Wishes:
    """Return the wishes that stand beside the first of some takes or folders, else where the command is run.

    Raises:
        CommandError: they cannot be read.
    """
    from opossum.findings.wishes import WishError, Wishes, wishes_beside

    try:
        for place in (*places, "."):
            if str(place) != "-" and (wishes := wishes_beside(place)) != Wishes():
                return wishes
    except WishError as error:
        raise CommandError(f"{error}.") from None
    return Wishes()


def printed_json(value: Any) -> None:
    """Print a value as indented JSON."""
    import msgspec

    click.echo(shown_json(msgspec.json.format(msgspec.json.encode(value), indent=2).decode()))
