"""How help is laid out: names that hold hyphens stay whole, and nothing is cut."""

from __future__ import annotations

from collections.abc import Iterable

import click

_WHOLE = "\N{NON-BREAKING HYPHEN}"
"""Stands for a hyphen while lines are broken."""


class Formatter(click.HelpFormatter):
    """Breaks lines between words only."""

    def write_text(self, text: str) -> None:
        """Write a paragraph."""
        begun = len(self.buffer)
        super().write_text(text.replace("-", _WHOLE))
        self._with_hyphens(begun)

    def write_dl(self, rows: Iterable[tuple[str, str]], col_max: int = 30, col_spacing: int = 2) -> None:
        """Write terms, each with what is said of it."""
        begun = len(self.buffer)
        super().write_dl([(term, said.replace("-", _WHOLE)) for term, said in rows], col_max, col_spacing)
        self._with_hyphens(begun)

    def _with_hyphens(self, begun: int) -> None:
        self.buffer[begun:] = [part.replace(_WHOLE, "-") for part in self.buffer[begun:]]


class Context(click.Context):
    """Where a command runs; its help is laid out as above."""

    formatter_class = Formatter


def whole_sentence(command: click.Command) -> str:
    """Return the first sentence of what a command says of itself."""
    first = " ".join((command.help or "").split("\n\n")[0].split())
    return first.partition(". ")[0].removesuffix(".")
