"""What the processor did for a frame: how long its thread ran, and how long it could have run but was not run.

The second is the machine's doing, not the game's: other programs had the processor (see `thread_times`).

Where a host takes the processor away while a thread runs, some kernels count that as the thread's own time.  The machine
tells how much was taken of each processor (`steal`, proc_stat(5), in hundredths of a second).  Of a long frame, what the thread
neither ran nor waited for a processor is the machine's too, as far as those it was on were taken away meanwhile: which of the two
it was cannot be told then.  What was taken and has no room beside the thread's own time was counted into that, and is left out of
it up to the thread's share of all that ran there.  Often a thread is moved as soon as its processor was given back, so the one
that it began on counts as much as the one it ends on.
"""

from __future__ import annotations

import contextlib
import os
import sys

from opossum_recorder.halves import ThreadTimes

OWN_STAT = "/proc/thread-self/stat"
PROCESSOR_FIELD = 39
"""Which processor a thread last ran on (proc_pid_stat(5), counted from 1)."""
ALL = b"cpu"
"""What the machine's line of all its processors is called; each one's has its number behind that."""
STAT = "/proc/stat"
LOOKED_INTO_NS = 50_000_000
"""Frames shorter than this are not asked how much of them was taken: hundredths of a second tell too little."""
LOOK_EVERY_NS = 250_000_000
"""How old what the machine told may be when a frame begins; reading it costs some tens of microseconds."""
STAT_BYTES = 128 * (2 + (os.cpu_count() or 1))
"""Of that file: the lines of all processors together and of each."""
TICK_NS = 1_000_000_000 // (os.sysconf("SC_CLK_TCK") if hasattr(os, "sysconf") else 100)


class MachineTaken:
    """How much a host has taken from this machine, as the machine itself counts it."""

    def __init__(self, path: str, own_path: str = OWN_STAT) -> None:
        self._own_path = own_path
        self._file = -1
        if sys.platform == "linux":
            with contextlib.suppress(OSError):
                self._file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        self._told = self._read()

    def _read(self) -> bytes:
        """Return what the machine tells so far."""
        if self._file >= 0:
            with contextlib.suppress(OSError):
                return os.pread(self._file, STAT_BYTES, 0)
        return b""

    @staticmethod
    def _understood(told: bytes) -> dict[bytes, tuple[int, int]]:
        """Return (ns that it ran or was taken away, ns that it was taken away) so far, of each processor and of all together."""
        found: dict[bytes, tuple[int, int]] = {}
        for line in told.split(b"\n"):
            name, *words = line.split() or [b""]
            if not name.startswith(ALL):
                break
            with contextlib.suppress(ValueError):
                user, nice, system, _idle, _waits, hard, soft, steal = (int(word) for word in words[:8])
                found[name] = (user + nice + system + hard + soft + steal) * TICK_NS, steal * TICK_NS
        return found

    def _processor(self) -> bytes:
        """Return the name of the processor that this thread is on."""
        try:
            with open(self._own_path, "rb") as file:
                # the program's name, in brackets, may hold anything
                return ALL + file.read().rpartition(b")")[2].split()[PROCESSOR_FIELD - 3]
        except (OSError, IndexError):
            return ALL

    def renew(self) -> None:
        """Be told anew; what that means is seldom asked, and read then."""
        self._told = self._read()

    def of(self, cpu_ns: int, passed_ns: int, waited_ns: int = 0, began_on: int = -1) -> tuple[int, int]:
        """Return how much was taken from a thread in a stretch that began lately, in ns: of what it is told to have run, and of
        what it neither ran nor waited for a processor.

        Some kernels count what was taken as the thread's own time, others leave it out.  `began_on`: the number of the
        processor it was on then, -1 where that is not known.
        """
        before, now = self._understood(self._told), self._understood(self._read())
        began = ALL + str(began_on).encode() if began_on >= 0 else b""
        passed: dict[bytes, tuple[int, int]] = {}
        """How long each ran or was taken away meanwhile, and how long it was taken away."""
        for name in dict.fromkeys((ALL, began, self._processor())):
            if name in now and name in before:
                busy, steal = (late - early for late, early in zip(now[name], before[name], strict=True))
                passed[name] = busy, max(0, steal)
        # by all of them, for it may have moved, and by those it is known to have been on, where less of others is counted along
        part = max((int(steal * min(1.0, cpu_ns / busy)) for busy, steal in passed.values() if busy > 0), default=0)
        taken_of_all = passed.pop(ALL, (0, 0))[1]
        taken = sum(steal for _, steal in passed.values())
        # what the thread did that they had no time for, it did elsewhere
        if not passed or passed_ns - waited_ns > sum(busy for busy, _ in passed.values()) + 2 * TICK_NS:
            taken = taken_of_all
        # what was taken lies beside the thread's own time as far as there is room for it, the rest was counted into it
        counted = (taken if began in passed else max(taken, taken_of_all)) - (passed_ns - cpu_ns)
        return max(0, min(part, counted, cpu_ns)), max(0, min(taken, passed_ns - cpu_ns - waited_ns))


def frame_times(stat: str = STAT) -> ThreadTimes:
    """Return what measures frames, of whichever thread begins them, and leaves out of long ones what a host took."""
    return ThreadTimes(MachineTaken(stat), LOOK_EVERY_NS, LOOKED_INTO_NS)
