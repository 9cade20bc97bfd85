"""How time passes: simulated (a night in a second, the same for a seed) or real."""

from __future__ import annotations

import random
import time


class SimulatedPace:
    """A clock that moves only when work or waiting is spent on it."""

    simulated = True

    def __init__(self, seed: int) -> None:
        self._now_ns = 0
        self._random = random.Random(seed)

    def now_ns(self) -> int:
        """Return the time since the game began."""
        return self._now_ns

    def spend(self, microseconds: float) -> None:
        """Let work take this long, give or take a fifth."""
        self._now_ns += int(microseconds * 1000 * (0.8 + 0.4 * self._random.random()))

    def wait_until(self, moment_ns: int) -> None:
        """Wait for the next frame's beginning."""
        self._now_ns = max(self._now_ns, moment_ns)


class RealPace:
    """The machine's own clock; work takes what it takes, and long work is slept through."""

    simulated = False

    def __init__(self) -> None:
        self._begin = time.perf_counter_ns()

    def now_ns(self) -> int:
        """Return the time since the game began."""
        return time.perf_counter_ns() - self._begin

    def spend(self, microseconds: float) -> None:
        """Sleep through work of a millisecond and more; less is not worth a sleep."""
        if microseconds >= 1000:
            time.sleep(microseconds / 1e6)

    def wait_until(self, moment_ns: int) -> None:
        """Wait for the next frame's beginning."""
        time.sleep(max(0.0, (moment_ns - self.now_ns()) / 1e9))
