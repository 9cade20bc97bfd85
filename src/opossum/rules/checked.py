"""What checking a rule tells: on which occasions it held, and where it broke."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from opossum.rules.sentence import Rule
from opossum.stream.tables import Array

MOST_BREAKS = 100
"""Breaks of one rule that are told one by one."""


class Break(NamedTuple):
    """One place where a rule broke: the game's number of the frame (-1: start-up), the line, and what was so."""

    frame: int
    line: int
    note: str


@dataclass(eq=False, repr=False)
class Occasions:
    """The occasions of a rule, (n,) each: the line and frame row where it is judged, whether it held, and what to say.

    `peers`, `owners`: whose, for scopes, -1 where nobody's; `note(place)` says what was so at one that broke.
    """

    lines: Array
    frames: Array
    held: Array
    note: Callable[[int], str]
    peers: Array
    owners: Array

    def __len__(self) -> int:
        return len(self.lines)


@dataclass(eq=False, repr=False)
class Outcome:
    """What became of one rule in one take.

    `occasions`, `broken`: how many; `frames` and `held` (n,): frame row of each occasion and whether the rule held there,
    for a strip; `breaks`: the first of the places where it broke; `hint`: why it had no occasion, where that can be said.
    """

    rule: Rule
    occasions: int
    broken: int
    frames: Array
    held: Array
    breaks: list[Break] = field(default_factory=list)
    hint: str = ""

    @property
    def verdict(self) -> str:
        """Return `held`, `broke` or `no occasion`."""
        return "broke" if self.broken else "held" if self.occasions else "no occasion"

    def as_dict(self) -> dict[str, Any]:
        """Return the outcome as plain values for JSON."""
        return {
            "rule": self.rule.text,
            "title": self.rule.title or None,
            "severity": self.rule.severity,
            "line": self.rule.line,
            "verdict": self.verdict,
            "occasions": self.occasions,
            "broken": self.broken,
            "breaks": [item._asdict() for item in self.breaks],
            "hint": self.hint or None,
        }


def occasions(
    lines: Array,
    frames: Array,
    held: Array,
    note: Callable[[int], str],
    peers: Array | None = None,
    owners: Array | None = None,
) -> Occasions:
    """Make occasions; without peers or owners they are nobody's."""
    nobody = np.full(len(lines), -1, np.int64)
    return Occasions(
        np.asarray(lines, np.int64),
        np.asarray(frames, np.int64),
        np.asarray(held, bool),
        note,
        nobody if peers is None else np.asarray(peers, np.int64),
        nobody if owners is None else np.asarray(owners, np.int64),
    )
