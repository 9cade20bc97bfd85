"""What a number of a stream or a saved take may be: the one table that reader, archive and link agree on.

What one of them takes, all take; so nothing that was read can fail to be saved or opened again.
"""

from __future__ import annotations

from typing import NamedTuple

from opossum.stream.kinds import FieldType


class Limits(NamedTuple):
    """The least and the greatest integer allowed, both included."""

    least: int
    greatest: int

    def hold(self, value: int) -> bool:
        """Say whether a value is allowed."""
        return self.least <= value <= self.greatest


ANY_INTEGER = Limits(-(2**62), 2**62)
"""Columns are 64 bits wide, and the difference of two times needs the spare bit."""

LIMITS: dict[FieldType, Limits] = {
    FieldType.ID: Limits(1, 2**62),
    FieldType.COUNT: ANY_INTEGER,
    FieldType.FLAG: Limits(0, 1),
}
"""What a field of each type may hold where it is there at all; texts and JSON are bounded by their bytes."""

LARGEST_NUMBER = 1e12
"""Seconds, rates and the like lie between its negative and it: 30,000 years are told, and no sum of them runs over."""

WRITTEN_TIME = Limits(-(2**61), 2**61)
"""`t`, in ns, as a game writes it: 73 years either way."""

SHIFT = WRITTEN_TIME
"""What is added to a peer's times to set its clock against the first one's, in ns."""

TIME = ANY_INTEGER
"""`t`, in ns, after clocks were set against each other."""

LINE = Limits(0, 2**40)
"""A record's line in its stream."""

MOST_PEERS = 1024
"""Peers of one take."""

MOST_RECORDS = 100_000_000
"""Records of one take (lines are numbered in 32 bits, and 24 GiB would not hold more)."""
