"""What a bead says: by its fill what a call did, by its shape (and colour) how the event came about."""

from __future__ import annotations

import math
from enum import IntEnum
from typing import NamedTuple


class BeadState(IntEnum):
    """What a bead says; later ones win where several calls share a bead."""

    DID = 0  # it changed something
    UNKNOWN = 1  # whether it did is not known
    IDLE = 2  # it ran for nothing
    GONE = 3  # its owner was gone
    TWIN = 4  # twice for one cause


FADED_SIZE = 0.62
"""What the sieve does not let through is so much smaller, and grey: faint, and still to be seen."""


class Shape(NamedTuple):
    """An outline around (0, 0), for a bead of size 1: an ellipse by its half axes, or a polygon by its corners."""

    half_axes: tuple[float, float] = (0.0, 0.0)
    corners: tuple[tuple[float, float], ...] = ()


def _box(width: float, height: float) -> Shape:
    x, y = width / 2, height / 2
    return Shape(corners=((-x, -y), (x, -y), (x, y), (-x, y)))


_STEPS = 8
_BOWL = tuple(
    (0.54 * math.cos(math.pi * step / _STEPS), 0.62 * math.sin(math.pi * step / _STEPS) - 0.26)
    for step in range(_STEPS + 1)
)

ROUND = Shape((0.5, 0.5))
SHAPES = {
    "delay": Shape(corners=_BOWL),
    "input": _box(0.86, 0.86),
    "zone": _box(0.58, 1.06),
    "clock": _box(1.08, 0.52),
    "net": Shape(corners=((-0.42, -0.5), (0.56, 0.0), (-0.42, 0.5))),
    "life": Shape(corners=((0.0, -0.56), (0.52, 0.42), (-0.52, 0.42))),
    "clip": Shape((0.34, 0.56)),
    "queue": Shape((0.58, 0.32)),
}
"""How the bead of each way an event came about is shaped, so that nobody has to tell ways by colour; others are round."""


def shape_of(via: str) -> Shape:
    """Return the shape of a way an event came about."""
    return SHAPES.get(via, ROUND)
