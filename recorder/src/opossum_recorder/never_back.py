"""Clocks of games: simulated ones are the game's own code, and a stream's time must not fall."""

from __future__ import annotations

from collections.abc import Callable

LARGEST_TIME = 1 << 60


class NeverBack:
    """A clock of the game's own whose time never falls, nor ends the game: what it cannot tell is as late as before."""

    def __init__(self, clock: Callable[[], int]) -> None:
        self._clock = clock
        self._latest: int | None = None

    def __call__(self) -> int:
        """Return the time in ns."""
        try:
            told = int(self._clock())
        except Exception:
            told = -LARGEST_TIME - 1
        if abs(told) > LARGEST_TIME:
            told = self._latest or 0
        if self._latest is None or told > self._latest:
            self._latest = told
        return self._latest
