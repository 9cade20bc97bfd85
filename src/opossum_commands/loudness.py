"""How much a command tells besides its results: `--quiet` and `--verbose`, alike for all commands."""

from __future__ import annotations

import logging
import sys
from typing import Any

import click

from opossum_commands.terminal import be_quiet


def _quiet(_: click.Context, __: click.Parameter, wanted: bool) -> None:
    if wanted:
        be_quiet()


def _verbose(_: click.Context, __: click.Parameter, wanted: bool) -> None:
    if wanted:
        logging.basicConfig(level=logging.INFO, format="opossum: %(message)s", stream=sys.stderr, force=True)


QUIET: dict[str, Any] = {
    "is_flag": True,
    "expose_value": False,
    "callback": _quiet,
    "help": "Print results and errors alone: no progress, no remarks.",
}
VERBOSE: dict[str, Any] = {
    "is_flag": True,
    "expose_value": False,
    "callback": _verbose,
    "help": "Say how long each step took.",
}


def usual_loudness() -> None:
    """Tell remarks and no times, as without any option."""
    be_quiet(False)
    logging.getLogger().setLevel(logging.WARNING)


def with_loudness(command: click.Command) -> click.Command:
    """Return a command that can be told to be quiet or verbose, where it has no such options of its own."""
    has = {option for parameter in command.params for option in parameter.opts}
    for names, what in ((("-q", "--quiet"), QUIET), (("-v", "--verbose"), VERBOSE)):
        if not has.intersection(names):
            command.params.append(click.Option(names, **what))
    return command
