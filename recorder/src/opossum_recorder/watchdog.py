"""The watchdog: a thread that looks whether the game thread's frame ends, and says where it hangs.

It sleeps nearly always; a sample costs the game about 50 µs, twice a second, and only while it hangs.  It
cannot run while one C call keeps the interpreter's lock: then the stream simply ends with the call that was
written before the listener ran.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence
from typing import Protocol

from opossum_recorder.stacks import stack_of

LONGEST_PAUSE_S = 5.0
"""While a hang lasts, samples come ever less often, up to this many seconds apart."""


class Watched(Protocol):
    """What the watchdog asks of a recorder."""

    def rest(self) -> None:
        """Do what is to be done while the game thread waits."""

    def main_call(self) -> int | None:
        """Return the call that the game thread is in."""

    def stuck(self, sec: float, stack: Sequence[str], c: int | None = None) -> None:
        """Say that the game thread has not moved on."""


class Watchdog:
    """Writes `stuck` records while a frame of the thread that made it does not end."""

    def __init__(self, recorder: Watched, after_s: float) -> None:
        self._recorder = recorder
        self._after_s = after_s
        self._thread_id = threading.get_ident()
        self._since: float | None = None
        self._stopped = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="opossum-watchdog", daemon=True)
        self._thread.start()

    def frame_began(self) -> None:
        """Say that the game thread moved on."""
        self._since = time.monotonic()

    def frame_ended(self) -> None:
        """Say that the game thread now waits, as it may."""
        self._since = None

    @property
    def frame_lasts_s(self) -> float:
        """How long the game thread's frame has lasted, 0 where it waits."""
        since = self._since
        return 0.0 if since is None else time.monotonic() - since

    def stop(self) -> None:
        """End the thread."""
        self._stopped.set()
        self._thread.join(1.0)

    def _watch(self) -> None:
        told: float | None = None
        pause = self._after_s / 2
        while not self._stopped.wait(pause):
            since = self._since
            if since is None:
                told, pause = None, self._after_s / 2
                self._recorder.rest()
                continue
            stuck_for = time.monotonic() - since
            if since != told:
                pause = self._after_s / 2
            if stuck_for < self._after_s:
                continue
            told = since
            pause = min(pause * 1.5, LONGEST_PAUSE_S)
            self._recorder.stuck(round(stuck_for, 3), stack_of(self._thread_id), self._recorder.main_call())
