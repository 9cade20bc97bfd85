"""The word that lets a game in: from a file or the environment, so that no list of processes shows it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from opossum.words import tr

TOKEN_VARIABLE = "OPOSSUM_TOKEN"
LONGEST_TOKEN = 1024


def _token_of(context: click.Context, parameter: click.Parameter, file: str | None) -> str:
    """Return the token that stands in a file, else in the environment; empty where none is given."""
    import os

    if file is None:
        return os.environ.get(TOKEN_VARIABLE, "")
    try:
        with Path(file).open("rb") as opened:
            data = opened.read(LONGEST_TOKEN + 1)
        token = data.decode().strip()
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or tr("it is no text")
        raise click.BadParameter(tr("{file} cannot be read ({why}).", file=file, why=why), context, parameter) from None
    if not token or len(data) > LONGEST_TOKEN or not token.isprintable():
        raise click.BadParameter(
            tr("{file} must hold one line, the token, and nothing else.", file=file), context, parameter
        )
    return token


def token_option(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add an option that names the token's file; the command is given the token itself as `token`."""
    return click.option(
        "--token-file",
        "token",
        metavar="FILE",
        callback=_token_of,
        help=f"File with the word that a game must say to be let in (or set {TOKEN_VARIABLE}).",
    )(command)
