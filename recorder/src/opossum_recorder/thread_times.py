"""What the processor did for one thread between two moments: how long it ran, and how long it could have run but did not.

`_thread_times.c` is the same in C, several times as fast, and takes this module's place where it was built; a test holds
the two against each other.  Linux tells the second for each thread (`schedstat`, documented in the kernel's
Documentation/scheduler/sched-stats.rst); where it does not, it stays unknown.  A thread that gave the processor up not once
(no voluntary switch, getrusage(2)) could have run all the time: then all it did not run is the machine's, also what a host
took from a virtual machine, which `schedstat` does not count.
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


class ThreadTimes:
    """Measures one stretch at a time, of whichever thread begins it."""

    def __init__(self) -> None:
        self._thread = self._file_thread = 0
        self._cpu_ns = self._ready_ns = self._begun_ns = 0
        self._given_up = self._file = -1

    def begin(self) -> int:
        """Begin a stretch on this thread; return when, in ns."""
        thread = threading.get_ident()
        if thread != self._file_thread:
            self.close()
            self._file_thread = thread
            with contextlib.suppress(OSError):
                self._file = os.open(SCHEDSTAT, os.O_RDONLY | os.O_CLOEXEC)
        self._thread, self._ready_ns, self._given_up = thread, self._ready(), given_up()
        self._begun_ns, self._cpu_ns = time.perf_counter_ns(), time.thread_time_ns()
        return self._begun_ns

    def end(self) -> tuple[int, int, int] | None:
        """Return how long the thread ran, how long the stretch was, and how much of it the thread waited for a processor
        (-1 where that is not told), in ns; None where another thread ends it.
        """
        if not self._thread or self._thread != threading.get_ident():
            return None
        self._thread = 0
        cpu, passed = time.thread_time_ns() - self._cpu_ns, time.perf_counter_ns() - self._begun_ns
        ready = self._ready()
        waited = -1 if ready < 0 or self._ready_ns < 0 else ready - self._ready_ns
        if self._given_up >= 0 and given_up() == self._given_up:
            waited = max(waited, passed - cpu)
        return cpu, passed, waited

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
        self._file, self._file_thread = -1, 0


def given_up() -> int:
    """Return how often this thread gave the processor up by itself so far, -1 where that is not told."""
    if _usage is None:
        return -1
    return int(_usage.getrusage(_usage.RUSAGE_THREAD).ru_nvcsw)
