"""What opening a saved take may use, and how a process ends that opens one for another."""

from __future__ import annotations

from typing import NamedTuple

REFUSED, NO_MEMORY = 3, 4
"""Statuses of a process that does not hand a take over."""


class Bounds(NamedTuple):
    """What opening a take may use: bytes of memory (and as many to hand it over), seconds of processor time, open files."""

    memory_bytes: int
    processor_s: int
    files: int = 64

    @staticmethod
    def of(size: int) -> Bounds:
        """Return the bounds for a file of so many bytes: about five times what opening one takes."""
        return Bounds((2 << 30) + 16 * size, 30 + size // (4 << 20))
