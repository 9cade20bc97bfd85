"""Calls gathered by row: where a row's calls lie among the columns, and how many of them have a flag up to each place."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups

MANY_COLUMNS, MANY_CALLS = 256, 8192
"""So many columns asked for at once, in a row of so many calls, are looked up: binary searches would miss every cache."""
MOST_EMPTY = 4
"""Where there are more columns from a row's first call to its last than so many times its calls, they are searched."""
MOST_COUNTED_BYTES = 32 << 20
"""So much is remembered of rows that were looked up last."""

PIECE = 32_768
"""So many calls are counted at once: what NumPy makes on the way stays near the processor."""


class Level:
    """Calls gathered by row, with sums that answer any window in log time.

    `columns` holds each call's axis column in the order of `groups.order`, ascending within a group.
    `sums[flag]` (calls + 1) counts calls with a flag up to each place of that order; of a flag that was counted by group,
    within a group only once that was asked for by `fill`.
    """

    def __init__(self, groups: Groups, columns: Array, sums: dict[str, Array]) -> None:
        self.groups = groups
        self.columns = columns
        self.sums = sums
        self._unfilled: dict[str, tuple[Array, Array]] = {}
        """By flag that was counted by group: the flags of the calls, and which groups wait to be filled."""
        self._counted_bytes = 0
        self._counts: dict[int, tuple[int, Array]] = {}
        """By group, the last ones counted: the first column, and how many calls are left of each from that one on."""

    @classmethod
    def gathered(cls, groups: Groups, columns: Array) -> Level:
        """Return the calls gathered by group; `columns` (calls,) in the order of the calls, and no sums yet."""
        return cls(groups, columns[groups.order], {})

    def summed(self, flags: Array) -> Array:
        """Return int32 (calls + 1,): how many calls have a flag (boolean, (calls,)) up to each place of the order."""
        count = len(flags)
        some = int(np.count_nonzero(flags))
        if not some:
            return np.broadcast_to(np.int32(0), (count + 1,))
        if some == count:
            return np.arange(count + 1, dtype=np.int32)
        sums = np.zeros(count + 1, np.int32)
        np.cumsum(flags.take(self.groups.order), out=sums[1:])
        return sums

    def summed_by_group(self, flags: Array) -> Array:
        """Return the same for a flag (boolean, (groups,)) that all calls of a group share: nothing is gathered or added up.

        Where neighbours agree they are written at once: they count on, or stand still.
        """
        sums = np.empty(len(self.groups.order) + 1, np.int32)
        sums[0] = counted = 0
        turns = np.flatnonzero(flags[1:] != flags[:-1]) + 1
        bounds = [0, *self.groups.starts[turns].tolist(), len(sums) - 1]
        counts = bool(flags[0]) if len(flags) else False
        for begin, end in pairwise(bounds):
            after = counted + (end - begin if counts else 0)
            sums[begin + 1 : end + 1] = np.arange(counted + 1, after + 1, dtype=np.int32) if counts else counted
            counted, counts = after, not counts
        return sums

    def set_sums(self, name: str, sums: Array) -> None:
        """Set the sums of a flag, whole."""
        self.sums[name] = sums
        self._unfilled.pop(name, None)

    def set_counts(self, name: str, flags: Array, counts: Array) -> None:
        """Set how many calls of each group, (groups,), have a flag (boolean, (calls,)).

        Gathering the calls of a long take in the order of the groups costs most of what a sieve does, and few groups are
        looked into.
        """
        sums = np.empty(len(flags) + 1, np.int32)
        sums[self.groups.starts] = np.concatenate(([0], np.cumsum(counts)))
        self.sums[name] = sums
        self._unfilled[name] = flags, self.groups.sizes() > 1

    def fill(self, name: str, groups: Iterable[int]) -> None:
        """Count a flag within groups that were not looked into before; linear in their calls."""
        if name not in self._unfilled:
            return
        flags, waits = self._unfilled[name]
        sums = self.sums[name]
        for group in groups:
            if waits[group]:
                start, stop = int(self.groups.starts[group]), int(self.groups.starts[group + 1])
                own = flags.take(self.groups.order[start : stop - 1]).astype(np.int32)
                own[0] += sums[start]
                np.cumsum(own, out=sums[start + 1 : stop])
                waits[group] = False

    def places(self, group: int, columns: Array) -> Array:
        """Return the places in the order before which the group's calls are left of each column.

        Cost: a binary search for each column; where many are asked for in a group of many calls, one look.
        """
        start, stop = int(self.groups.starts[group]), int(self.groups.starts[group + 1])
        own = self.columns[start:stop]
        are_many = len(columns) >= MANY_COLUMNS and len(own) >= MANY_CALLS
        if are_many and group not in self._counts and int(own[-1]) - int(own[0]) <= MOST_EMPTY * len(own):
            self._count(group, own)
        if group in self._counts:
            first, counts = self._counts[group]
            return start + counts.take(np.asarray(columns) - first, mode="clip")
        # needles of another type would have NumPy convert all of the group's columns first
        return start + own.searchsorted(np.asarray(columns, own.dtype))

    def _count(self, group: int, own: Array) -> None:
        """Count a group's calls by column and remember that, at the cost of so many calls; forget the oldest."""
        first = int(own[0])
        each = np.bincount(own - first)
        counts = np.zeros(len(each) + 1, np.int32)
        np.cumsum(each, out=counts[1:])
        self._counts[group] = first, counts
        self._counted_bytes += counts.nbytes
        while self._counted_bytes > MOST_COUNTED_BYTES and len(self._counts) > 1:
            self._counted_bytes -= self._counts.pop(next(iter(self._counts)))[1].nbytes
