"""What only changed its name from one run to the other: told as that, not as a hundred differences."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from opossum.compare.side import Side

ALIKE = 0.05
"""What came about as often, give or take this share, under another name."""


class Renamed(NamedTuple):
    """An event or function (`what`) that is called `before` in the first run and `after` in the second."""

    what: str
    before: str
    after: str


Usage = dict[str, tuple[object, int]]
"""What a name is used for (equal for what could be one thing), and how often."""


def renamed(sides: tuple[Side, Side]) -> list[Renamed]:
    """Return events and functions of one run that look like those of the other under a new name. Linear in listeners."""
    found = []
    for what, usage in (("event", _events), ("function", _functions)):
        found += [Renamed(what, *pair) for pair in _pairs(sides, usage)]
    return found


def _pairs(sides: tuple[Side, Side], usage: Callable[[Side], Usage]) -> list[tuple[str, str]]:
    one, other = usage(sides[0]), usage(sides[1])
    gone, new = one.keys() - other.keys(), other.keys() - one.keys()
    pairs = []
    for before in sorted(gone):
        likely = [after for after in new if _alike(one[before], other[after])]
        # two that could be it are none
        if len(likely) == 1 and sum(_alike(one[name], other[likely[0]]) for name in gone) == 1:
            pairs.append((before, likely[0]))
    return pairs


def _alike(one: tuple[object, int], other: tuple[object, int]) -> bool:
    return one[0] == other[0] and abs(one[1] - other[1]) <= 1 + ALIKE * max(one[1], other[1])


def _events(side: Side) -> Usage:
    """Return for each event that is heard: the classes that hear it and how many calls it made."""
    take = side.take
    sizes = take.calls_by_listener.sizes().tolist()
    hears: dict[str, set[str]] = {}
    calls: dict[str, int] = {}
    for number, (owner, event) in enumerate(
        zip(take.listeners.owner.tolist(), take.listeners.event.tolist(), strict=True)
    ):
        name = take.text(event)
        if name:
            hears.setdefault(name, set()).add(take.class_of(owner))
            calls[name] = calls.get(name, 0) + sizes[number]
    return {name: (frozenset(hears[name]), count) for name, count in calls.items()}


def _functions(side: Side) -> Usage:
    """Return for each function: the classes it is of and how often it was called."""
    take = side.take
    sizes = take.calls_by_listener.sizes().tolist()
    classes: dict[str, set[str]] = {}
    calls: dict[str, int] = {}
    for number, (owner, function) in enumerate(
        zip(take.listeners.owner.tolist(), take.listeners.function.tolist(), strict=True)
    ):
        name = take.text(function)
        if name:
            classes.setdefault(name, set()).add(take.class_of(owner))
            calls[name] = calls.get(name, 0) + sizes[number]
    return {name: (frozenset(classes[name]), count) for name, count in calls.items()}
