"""What the processor did for one thread between two moments: how long it ran, and how long it could have run but did not.

`_thread_times.c` is the same in C, several times as fast, and takes this module's place where it was built; a test holds
the two against each other.  Linux tells the second for each thread (`schedstat`, documented in the kernel's
Documentation/scheduler/sched-stats.rst); where it does not, it stays unknown.  A thread that gave the processor up not once
(no voluntary switch, getrusage(2)) could have run all the time: then all it did not run is the machine's, also what a host
took from a virtual machine, which `schedstat` does not count.  One from which it was not taken either has waited for
nothing that `schedstat` could tell, and that file, the dearest of all this (some 20 microseconds for a thread that has
slept), is not asked.  Nor is it at every beginning: while a thread hardly waits, what it told lately still holds.  Of a
stretch in which the thread ran all but a little, nothing more is asked at all.
"""

from __future__ import annotations

import contextlib
import os
import sys
import threading
import time
from typing import Protocol

SCHEDSTAT = "/proc/thread-self/schedstat"
LONGEST = 80
"""Bytes that the three numbers of that file take at most."""
READY_EVERY_NS = 100_000_000
"""How old what `schedstat` told may be when a stretch begins, where the thread hardly waited before it was told."""
QUIET_NS = 1_000_000
"""A thread that waited longer than this from one asking to the next is asked at every beginning."""
LITTLE_NS = 100_000
"""What a thread did not run of a stretch, if it is less than this, is not looked into."""
UNKNOWN = (-1, -1)
"""Switches where the platform does not tell them."""

if sys.platform == "linux":
    import resource as _usage
else:
    _usage = None


class Taken(Protocol):
    """What a host has taken from this machine."""

    def renew(self) -> None:
        """Be told anew how much that was."""

    def of(self, cpu_ns: int, passed_ns: int, waited_ns: int, began_on: int = -1) -> tuple[int, int]:
        """Return how much was taken of a thread's time since, and how much beside it; `began_on`: the processor that it was on
        when the stretch began, which only C is told at no cost.
        """


class ThreadTimes:
    """Measures one stretch at a time, of whichever thread begins it.

    What a host took meanwhile is left out where stretches of `looked_into_ns` or more are told, by what `taken` knew when
    the stretch began, or less than `look_every_ns` before.
    """

    def __init__(self, taken: Taken | None = None, look_every_ns: int = 0, looked_into_ns: int = 0) -> None:
        self._taken, self._look_every_ns, self._looked_into_ns = taken, look_every_ns, looked_into_ns
        self._look_at_ns = 0
        self._thread = self._file_thread = 0
        self._cpu_ns = self._ready_ns = self._begun_ns = self._ready_at_ns = 0
        self._is_busy = True
        """Whether it waited for a processor lately."""
        self._file = -1
        self._switches = UNKNOWN

    def begin(self) -> int:
        """Begin a stretch on this thread; return when, in ns."""
        now = now_ns()
        if self._taken is not None and now >= self._look_at_ns:
            self._look_at_ns = now + self._look_every_ns
            self._taken.renew()
        thread = threading.get_ident()
        if thread != self._file_thread:
            self.close()
            self._file_thread = thread
            with contextlib.suppress(OSError):
                self._file = os.open(SCHEDSTAT, os.O_RDONLY | os.O_CLOEXEC)
            self._is_busy = True
        if self._is_busy or now >= self._ready_at_ns:
            self._keep_ready(self._ready(), now)
        self._thread, self._switches = thread, switches()
        self._begun_ns, self._cpu_ns = now_ns(), time.thread_time_ns()
        return self._begun_ns

    def end(self) -> tuple[int, int, int] | None:
        """Return how long the thread ran, how long the stretch was, and how much of it the thread waited for a processor
        (-1 where that is not told, or hardly anything), in ns; None where another thread ends it.
        """
        if not self._thread or self._thread != threading.get_ident():
            return None
        self._thread = 0
        cpu, now = time.thread_time_ns() - self._cpu_ns, now_ns()
        passed, waited = now - self._begun_ns, -1
        if passed - cpu < LITTLE_NS:
            return cpu, passed, waited
        before, after = self._switches, switches()
        if after != before or before == UNKNOWN:
            ready = self._ready()
            waited = -1 if ready < 0 or self._ready_ns < 0 else min(ready - self._ready_ns, passed - cpu)
            self._keep_ready(ready, now)
        if after[0] == before[0] and before != UNKNOWN:
            waited = max(waited, passed - cpu)
        return cpu, passed, waited

    def told(self) -> str:
        """End a stretch; return the fields that `idle` tells of it, nothing where another thread ends it."""
        measured = self.end()
        if measured is None:
            return ""
        cpu, passed, waited = measured
        if self._taken is not None and passed >= self._looked_into_ns:
            within, beside = self._taken.of(cpu, passed, max(waited, 0))
            if within or beside:
                cpu, waited = cpu - within, max(waited, 0) + within + beside
        return f',"cpu":{cpu}' if waited < 0 else f',"cpu":{cpu},"ready":{waited}'

    def _keep_ready(self, ready_ns: int, now: int) -> None:
        """Remember how long this thread had waited by now."""
        self._is_busy = ready_ns - self._ready_ns > QUIET_NS
        self._ready_ns, self._ready_at_ns = ready_ns, now + READY_EVERY_NS

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


def now_ns() -> int:
    """Return the time by which stretches are measured."""
    return time.perf_counter_ns()


def switches() -> tuple[int, int]:
    """Return how often this thread gave the processor up by itself so far, and how often it was taken from it."""
    if _usage is None:
        return UNKNOWN
    told = _usage.getrusage(_usage.RUSAGE_THREAD)
    return told.ru_nvcsw, told.ru_nivcsw
