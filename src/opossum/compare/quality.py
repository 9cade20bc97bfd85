"""How far two runs can be compared at all, and what was not alike in how they were played."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.differences import Difference, Sort
from opossum.compare.matching import Matching
from opossum.compare.nodes import Nodes, What
from opossum.compare.side import Side
from opossum.stream.tables import Array

TOO_LITTLE = 0.5
"""Runs of which in neither this share has a counterpart are not told apart difference by difference."""

LATE_SPAWNS = 0.5
"""A run that tells of less than this share of the other's spawns and binds, while names are alike, was begun later."""

ALIKE_NAMES = 0.5
"""Of its calls so many must be of listeners that the other run knows too."""


class Quality(NamedTuple):
    """What stands behind a comparison.

    `calls`: share of the single calls of both sides that have a counterpart (-1 where there are none), `stretches`: of the
    listeners that run with every frame; `same_steps`: frames were told the same times (None: nothing is told); `played_alike_to`: the frame (of the
    second run) from which the player or the world did something else, -1 where it never did; `comparable`: enough has a
    counterpart; `begins_later`: the side (0, 1) whose recording seems to begin later, -1 if none; `rounds`: how often the
    numbering was begun anew.
    """

    calls: float
    stretches: float
    same_steps: bool | None
    played_alike_to: int
    comparable: bool
    begins_later: int
    rounds: int


def quality_of(
    sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching, differences: list[Difference]
) -> Quality:
    """Judge a comparison."""
    calls, stretches = (_share(nodes, matching, sort) for sort in (What.CALL, What.STRETCH))
    # one run may have far more, of one cause: what the other has must be found in it
    overall = max(_shared(partner) for partner in matching.partner)
    outside = [item for item in differences if item.sort is Sort.OUTSIDE]
    first = min(outside, key=lambda item: item.seconds) if outside else None
    comparable = overall >= TOO_LITTLE
    return Quality(
        calls,
        stretches,
        _same_steps(sides),
        _frame_there(sides[1], first) if first else -1,
        comparable,
        -1 if comparable else _begins_later(nodes),
        matching.rounds,
    )


def _shared(partner: Array) -> float:
    return float((partner >= 0).mean()) if len(partner) else 0.0


def _share(nodes: tuple[Nodes, Nodes], matching: Matching, sort: What) -> float:
    mine = [side.what == sort for side in nodes]
    total = sum(int(flags.sum()) for flags in mine)
    shared = sum(int((partner[flags] >= 0).sum()) for partner, flags in zip(matching.partner, mine, strict=True))
    return shared / total if total else -1.0


def _same_steps(sides: tuple[Side, Side]) -> bool | None:
    steps = [_steps(side) for side in sides]
    if not all(np.isfinite(values).any() for values in steps):
        return None
    shorter = min(len(values) for values in steps)
    return bool(np.array_equal(steps[0][:shorter], steps[1][:shorter], equal_nan=True))


def _steps(side: Side) -> Array:
    return np.asarray(side.take.tables["frame"]["dt"], np.float64)[side.rows("frame")]


def _frame_there(side: Side, first: Difference) -> int:
    """Return the second run's frame at a difference's time."""
    frames = side.take.frames
    if not len(side.frames):
        return -1
    starts = side.seconds(frames.peer[side.frames], frames.start_ns[side.frames])
    place = int(np.searchsorted(starts, first.seconds, "right")) - 1
    return int(frames.number[side.frames[max(place, 0)]])


def _begins_later(nodes: tuple[Nodes, Nodes]) -> int:
    """Return the side that tells of far fewer spawns and binds than the other, though its calls are of the same names."""
    made = [int(np.isin(side.what, (What.SPAWN, What.BIND)).sum()) for side in nodes]
    fewer = int(made[1] < made[0])
    called = [side.label[np.isin(side.what, (What.CALL, What.STRETCH))] for side in nodes]
    alike = np.isin(called[fewer], called[1 - fewer])
    known = len(alike) > 0 and float(alike.mean()) >= ALIKE_NAMES
    return fewer if known and made[fewer] < LATE_SPAWNS * made[1 - fewer] else -1
