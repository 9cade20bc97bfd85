"""Why some mutants can live: changes after which the program does the same, or what no test could tell apart.

A reason is found from the one line that a mutant changes, or stands in `read.toml`, where a person has read the mutant; what has
none is to be read, and killed by a test.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import NamedTuple


class Change(NamedTuple):
    """What a mutant changes on its line: the line as it was, and the text that another took the place of."""

    line: str
    old: str
    new: str


_TYPE = re.compile(r"np\.(int|uint|float)\d+|bool|int|float")
_ARRAYS = re.compile(r"np\.(array|asarray|zeros|ones|full|empty|arange|cumsum|frombuffer)\(|astype\(|dtype=")


def _is_type(change: Change) -> bool:
    return bool(
        _TYPE.fullmatch(change.old.removeprefix("dtype=")) and change.new in ("", "None", "dtype=None")
    ) and bool(_ARRAYS.search(change.line))


def _is_stride(change: Change) -> bool:
    grows = change.old.isdigit() and change.new.isdigit() and int(change.new) > int(change.old)
    return grows and bool(re.search(r"stride|self\._texts|limits? \+", change.line))


REASONS: tuple[tuple[str, Callable[[Change], bool]], ...] = (
    ("a column's type: what is in it fits that which it has without being told", _is_type),
    (
        "lengths are equal by construction; `strict` says so to whoever reads",
        lambda change: "strict=" in change.line and change.old in ("True", "strict=True"),
    ),
    (
        "the order of what is equal, where nothing is or either will do",
        lambda change: change.old in ("stable", '"stable"', 'kind="stable"'),
    ),
    (
        "a thousand-millionth or millionth part, below what is told",
        lambda change: (change.old, change.new) in (("1e9", "1000000001.0"), ("1e6", "1000001.0")),
    ),
    ("the side that is meant where none is told", lambda change: change.old == '"left"' and change.new == ""),
    ("speed alone", lambda change: change.old in ("assume_unique=True", "copy=False")),
    (
        "the same codec",
        lambda change: (
            change.old.strip("\"'").lower() in ("utf-8", "ascii")
            and change.new.strip("\"'").lower() in ("utf-8", "ascii")
        ),
    ),
    (
        "any number below nothing stands for none",
        lambda change: (
            (change.old, change.new) == ("1", "2")
            and bool(re.search(r"(np\.full|np\.append|np\.where)\(.*-1\b", change.line))
        ),
    ),
    ("a stride: anything beyond the largest number will do", _is_stride),
)


@cache
def read_ones() -> dict[tuple[str, tuple[str, ...], tuple[str, ...]], str]:
    """Return the reasons of mutants that were read, by function, the lines that were and the lines they became."""
    listed = tomllib.loads((Path(__file__).parent / "read.toml").read_text())["read"]
    return {(one["function"], tuple(one["was"]), tuple(one["becomes"])): one["reason"] for one in listed}


def _lines(difference: str, mark: str) -> list[str]:
    return [line[1:].strip() for line in difference.splitlines() if line.startswith(mark)]


def change_in(difference: str) -> Change | None:
    """Return what changes in a difference of one line for one line, or None where it changes more."""
    before, after = _lines(difference, "-"), _lines(difference, "+")
    if len(before) != 1 or len(after) != 1:
        return None
    one, other = before[0], after[0]
    start = next(
        (place for place, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other))
    )
    while start and (one[start - 1].isalnum() or one[start - 1] in "._"):  # from the beginning of a word on
        start -= 1
    end = 0
    while end < min(len(one), len(other)) - start and one[-1 - end] == other[-1 - end]:
        end += 1
    while end and (one[len(one) - end].isalnum() or one[len(one) - end] in "._"):
        end -= 1
    return Change(one, one[start : len(one) - end].strip(), other[start : len(other) - end].strip())


def reason_for(name: str, difference: str) -> str:
    """Return why a mutant of this name (`function:number`) and difference can live, or nothing."""
    change = change_in(difference)
    by_sort = next((reason for reason, applies in REASONS if applies(change)), "") if change else ""
    lines = tuple(_lines(difference, "-")), tuple(_lines(difference, "+"))
    return by_sort or read_ones().get((name.rpartition(":")[0], *lines), "")
