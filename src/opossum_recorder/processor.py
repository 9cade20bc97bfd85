"""What the processor did for a frame: how long its thread ran, and how long it could have run but was not run.

The second is the machine's doing, not the game's: other programs had the processor.  Linux tells it for each thread
(`schedstat`, documented in the kernel's Documentation/scheduler/sched-stats.rst); where it does not, it stays unknown.
A thread that gave the processor up not once (no voluntary switch, getrusage(2)) could have run all the time: then all it did
not run is the machine's, also what a host took from a virtual machine, which `schedstat` does not count.
"""

from __future__ import annotations

import contextlib
import os
import sys
import threading
import time

SCHEDSTAT = "/proc/thread-self/schedstat"
LONGEST = 80
"""Bytes that the three numbers of that file take at most."""


if sys.platform == "linux":
    import resource as _usage
else:
    _usage = None


class FrameProcessor:
    """Measures one frame at a time, of whichever thread begins it."""

    def __init__(self) -> None:
        self._thread = 0
        self._cpu_ns = self._ready_ns = self._begun_ns = 0
        self._given_up = -1
        self._file = -1
        self._file_thread = 0

    def begin(self) -> None:
        """Begin a frame on this thread."""
        thread = threading.get_ident()
        if thread != self._file_thread:
            self.close()
            self._file_thread = thread
            with contextlib.suppress(OSError):
                self._file = os.open(SCHEDSTAT, os.O_RDONLY | os.O_CLOEXEC)
        self._thread, self._ready_ns, self._given_up = thread, self._ready(), _given_up()
        self._begun_ns, self._cpu_ns = time.perf_counter_ns(), time.thread_time_ns()

    def end(self) -> str:
        """Return the fields that `idle` tells of the frame; nothing where another thread ends it."""
        if self._thread != threading.get_ident():
            return ""
        self._thread = 0
        cpu, passed = time.thread_time_ns() - self._cpu_ns, time.perf_counter_ns() - self._begun_ns
        ready = self._ready()
        waited = -1 if ready < 0 or self._ready_ns < 0 else ready - self._ready_ns
        if self._given_up >= 0 and _given_up() == self._given_up:
            waited = max(waited, passed - cpu)
        return f',"cpu":{cpu}' if waited < 0 else f',"cpu":{cpu},"ready":{waited}'

    def _ready(self) -> int:
        """Return how long this thread has waited for a processor so far, in ns; -1 where that is not told."""
        if self._file < 0:
            return -1
        try:
            return int(os.pread(self._file, LONGEST, 0).split()[1])
        except (OSError, ValueError, IndexError):
            return -1

    def close(self) -> None:
        """Let go of the file."""
        if self._file >= 0:
            with contextlib.suppress(OSError):
                os.close(self._file)
            self._file = -1


def _given_up() -> int:
    """Return how often this thread gave the processor up by itself so far, -1 where that is not told."""
    if _usage is None:
        return -1
    return int(_usage.getrusage(_usage.RUSAGE_THREAD).ru_nvcsw)
