"""Where somebody looked, to go back there: every jump can be undone."""

from __future__ import annotations

from typing import NamedTuple

from opossum_desk.state.axis import AxisMode

MOST_SPOTS = 200
FIRST_WEAVE = "flow"
"""The weave that a take is first looked at in."""


class Spot(NamedTuple):
    """Where somebody is looking: the axis (mode, peer), the window, what is selected, and in which weave; enough to come back to it."""

    mode: AxisMode
    peer: int
    low: float
    high: float
    column: int
    call: int
    finding: str
    weave: str = FIRST_WEAVE


class History:
    """Spots before the one that is looked at, and those that were gone back from."""

    def __init__(self) -> None:
        self._past: list[Spot] = []
        self._future: list[Spot] = []
        self._last_move = ""

    def leave(self, here: Spot, move: str) -> None:
        """Keep a spot before going elsewhere; a run of moves of one name counts as one."""
        if move and move == self._last_move:
            return
        self._last_move = move
        if not self._past or self._past[-1] != here:
            self._past.append(here)
            del self._past[:-MOST_SPOTS]
        self._future.clear()

    def back(self, here: Spot) -> Spot | None:
        """Return the spot before, None where there is none."""
        return self._step(here, self._past, self._future)

    def forward(self, here: Spot) -> Spot | None:
        """Return the spot that was gone back from, None where there is none."""
        return self._step(here, self._future, self._past)

    def _step(self, here: Spot, source: list[Spot], other: list[Spot]) -> Spot | None:
        while source:
            spot = source.pop()
            if spot != here:
                other.append(here)
                self._last_move = ""
                return spot
        return None
