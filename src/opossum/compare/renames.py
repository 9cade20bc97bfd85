"""What only changed its name from one run to the other: told as that, not as a hundred differences."""

from __future__ import annotations

from typing import NamedTuple

from opossum.compare.side import Side

ALIKE = 0.05
"""What came about as often, give or take this share, under another name."""


FEWEST_CALLS = 5
"""What came less often says too little for two names to be one thing."""


class Renamed(NamedTuple):
    """An event or function (`what`) that is called `before` in the first run and `after` in the second."""

    what: str
    before: str
    after: str


class Used(NamedTuple):
    """What a name is used for: the classes whose listeners it is of, and how often these were called."""

    classes: frozenset[str]
    calls: int


def renamed(sides: tuple[Side, Side]) -> list[Renamed]:
    """Return events and functions of one run that look like those of the other under a new name. Linear in listeners."""
    return [Renamed(what, *pair) for what in ("event", "function") for pair in _pairs(sides, what)]


def _pairs(sides: tuple[Side, Side], what: str) -> list[tuple[str, str]]:
    one, other = (_usage(side, what) for side in sides)
    gone, new = one.keys() - other.keys(), other.keys() - one.keys()
    pairs = []
    for before in sorted(gone):
        likely = [after for after in new if _alike(one[before], other[after])]
        # two that could be it are none
        if len(likely) == 1 and sum(_alike(one[name], other[likely[0]]) for name in gone) == 1:
            pairs.append((before, likely[0]))
    return pairs


def _alike(one: Used, other: Used) -> bool:
    most = max(one.calls, other.calls)
    return one.classes == other.classes and most >= FEWEST_CALLS and abs(one.calls - other.calls) <= ALIKE * most


def _usage(side: Side, what: str) -> dict[str, Used]:
    """Return for each event or function (`what`) that was called: by which classes, and how often."""
    take, listeners = side.take, side.take.listeners
    classes: dict[str, set[str]] = {}
    calls: dict[str, int] = {}
    codes, sizes = getattr(listeners, what), take.calls_by_listener.sizes()
    for owner, code, size in zip(listeners.owner.tolist(), codes.tolist(), sizes.tolist(), strict=True):
        name = take.text(code)
        if name:
            classes.setdefault(name, set()).add(take.class_of(owner))
            calls[name] = calls.get(name, 0) + size
    return {name: Used(frozenset(classes[name]), count) for name, count in calls.items()}
