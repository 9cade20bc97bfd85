"""The watchdog: a thread that looks whether the game thread's frame ends, and says where it hangs.

It sleeps nearly always; a sample costs the game about 50 µs, twice a second, and only while it hangs.  It
cannot run while one C call keeps the interpreter's lock: then the stream simply ends with the call that was
written before the listener ran.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Sequence
from typing import Protocol

from opossum_recorder.stacks import stack_of

LONGEST_PAUSE_S = 5.0
"""While a hang lasts, samples come ever less often, up to this many seconds apart."""


class Watched(Protocol):
    """What the watchdog asks of a recorder."""

    moves_since_s: float | None
    """When the game thread last moved on, by the monotonic clock; None while it waits, as it may."""

    def rest(self) -> None:
        """Do what is to be done while the game thread waits."""

    def moves(self) -> None:
        """Do what is to be done now and then while the game thread moves on."""

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
        # a lock alone: waiting for one that nobody lets go costs a fraction of waiting for an event
        self._plays_on = threading.Lock()
        self._plays_on.acquire()
        self._thread = threading.Thread(target=self._watch, name="opossum-watchdog", daemon=True)
        with contextlib.suppress(RuntimeError):  # the interpreter ends, or has too many: nobody watches then
            self._thread.start()

    def stop(self) -> None:
        """End the thread."""
        with contextlib.suppress(RuntimeError):  # let go already
            self._plays_on.release()
        with contextlib.suppress(RuntimeError):  # it never ran, or the interpreter ends
            self._thread.join(1.0)

    def _watch(self) -> None:
        told: float | None = None
        last_seen: float | None = None
        pause = self._after_s / 2
        while not self._plays_on.acquire(timeout=pause):
            since, seen_before = self._recorder.moves_since_s, last_seen
            last_seen = since
            if since is None:
                told, pause = None, self._after_s / 2
                self._recorder.rest()
                continue
            if since != seen_before:
                self._recorder.moves()
            stuck_for = time.monotonic() - since
            if stuck_for < self._after_s:
                pause = self._after_s - stuck_for  # a frame that goes on until then is stuck, and no other
                continue
            pause = min((pause if since == told else self._after_s / 2) * 1.5, LONGEST_PAUSE_S)
            told = since
            stack, call = stack_of(self._thread_id), self._recorder.main_call()
            if self._recorder.moves_since_s == since:  # else it moved on while this thread waited for its turn
                self._recorder.stuck(round(stuck_for, 3), stack, call)
