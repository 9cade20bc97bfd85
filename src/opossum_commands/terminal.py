"""What is printed: one line at a time, in which no name that comes from a game can do anything to the terminal."""

from __future__ import annotations

import click

from opossum.foreign_text import shown

WIDTH = 100


def say(text: str = "", *, error: bool = False, bold: bool = False) -> None:
    """Print a line, to standard error if `error`."""
    click.secho(shown(text), err=error, bold=bold or None)


def say_wrapped(text: str, first: str, others: str) -> None:
    """Print a text on as many lines as it takes, begun with `first` and `others`."""
    click.echo(click.wrap_text(shown(text), WIDTH, first, others))
