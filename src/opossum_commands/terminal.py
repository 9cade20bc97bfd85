"""What is printed: one line at a time, in which no name that comes from a game can do anything to the terminal."""

from __future__ import annotations

import os

import click

from opossum.foreign_text import shown

WIDTH = 100
_quiet = False


def be_quiet(quiet: bool = True) -> None:
    """Print no remarks from now on: results and errors alone."""
    global _quiet
    _quiet = quiet


def is_quiet() -> bool:
    """Say whether remarks are unwanted."""
    return _quiet


def is_plain() -> bool:
    """Say whether the terminal, or who sits at it, wants nothing but text (NO_COLOR, TERM=dumb)."""
    return bool(os.environ.get("NO_COLOR")) or os.environ.get("TERM") == "dumb"


def say(text: str = "", *, error: bool = False, bold: bool = False) -> None:
    """Print a line, to standard error if `error`."""
    text = shown(text)
    click.echo(click.style(text, bold=True) if bold and not is_plain() else text, err=error)


def remark(text: str, *, error: bool = True) -> None:
    """Print a line that is no result and no error, on standard error if `error`, unless remarks are unwanted."""
    if not _quiet:
        say(text, error=error)


def say_wrapped(text: str, first: str, others: str) -> None:
    """Print a text on as many lines as it takes, begun with `first` and `others`."""
    click.echo(click.wrap_text(shown(text), WIDTH, first, others))
