"""What commands share: opening what the user named, and saying in one sentence why it cannot be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from opossum.foreign_text import shown_json

if TYPE_CHECKING:
    from opossum.findings.wishes import Wishes
    from opossum.take.take import Take


class CommandError(click.ClickException):
    """One sentence for the user; the command ends with status 2."""

    exit_code = 2


def opened(paths: Sequence[str], shifts: Mapping[str, tuple[int, int]] | None = None) -> Take:
    """Open takes or streams for a command (`shifts` sets peers' clocks against each other).

    Raises:
        CommandError: they cannot be read.
    """
    from opossum.take.opening import ReadError, open_any

    try:
        return open_any(list(paths), shifts=shifts)
    except ReadError as error:
        raise CommandError(f"{error}.") from None
    except MemoryError:
        raise CommandError(f"{paths[0]}: too large for this machine's memory; record a shorter run.") from None


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
