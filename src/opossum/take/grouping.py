"""Gathering rows that belong together: by a code, by several columns, in time that is linear or nearly so."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array


def stable_order(codes: Array) -> Array:
    """Return the rows in the order of their integer codes (n,), those of one code as they stand.

    Linear where the codes fit into 16 bits, which NumPy sorts by radix; n log n otherwise, less where much is in order.
    """
    codes = np.asarray(codes)
    if len(codes) and codes.dtype.itemsize > 2 and codes.min() >= -(2**15) and codes.max() < 2**15:
        codes = codes.astype(np.int16)
    return np.argsort(codes, kind="stable")


class Groups:
    """Rows gathered by a code: the rows of code g are `order[starts[g]:starts[g + 1]]`, ascending."""

    def __init__(self, codes: Array, count: int) -> None:
        """Group rows 0 … len(codes)-1 by `codes` (0 … count-1; negative: in no group)."""
        order = stable_order(codes).astype(np.int32)
        sizes = np.bincount(codes[codes >= 0], minlength=count)
        absent = len(codes) - int(sizes.sum())
        self.order: Array = order[absent:]
        self.starts: Array = np.concatenate(([0], np.cumsum(sizes)))

    def sort_within(self, values: Array) -> None:
        """Put the rows of each group in the order of their values (of all rows, n), where they are not: linear where they are."""
        mine = np.asarray(values)[self.order]
        falls = mine[1:] < mine[:-1]
        falls[self.starts[(self.starts > 0) & (self.starts < len(mine))] - 1] = False
        if falls.any():
            groups = np.repeat(np.arange(len(self.starts) - 1), self.sizes())
            self.order = self.order[np.lexsort((mine, groups))]

    def rows(self, group: int) -> Array:
        """Return the rows of `group`, ascending (a view)."""
        return self.order[self.starts[group] : self.starts[group + 1]]

    def rows_of_all(self, groups: Array) -> Array:
        """Return the rows of several groups (n,), group after group; linear in what is returned."""
        sizes = self.starts[groups + 1] - self.starts[groups]
        ends = np.cumsum(sizes)
        within = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - sizes, sizes)
        return self.order[np.repeat(self.starts[groups], sizes) + within]

    def sizes(self) -> Array:
        """Return how many rows each group has, shape (count,)."""
        return np.diff(self.starts)


def distinct(values: Array) -> Array:
    """Return the distinct values (k,), ascending: `np.unique`, which would load NumPy's masked arrays (10 ms)."""
    ordered = np.sort(np.asarray(values), axis=None)
    if not len(ordered):
        return ordered
    return ordered[np.concatenate(([True], ordered[1:] != ordered[:-1]))]


DIRECT_PLACES_A_ROW = 32
"""Values are renumbered through a table while it has at most this many places a row; beyond, they are sorted."""


def factorised(*columns: Array) -> tuple[Array, Array]:
    """Name each distinct combination of integer columns (n,) by a small number.

    Returns (codes int32 (n,), first int32 (groups,)): the group of each row, and one row of each group.
    Linear while the product of the ranges is small, n log n otherwise.
    """
    count = len(columns[0])
    if not count:
        return np.zeros(0, np.int32), np.zeros(0, np.int32)
    key: Array | None = None
    span = 1
    for column in columns:
        values = np.asarray(column, np.int64)
        low = int(values.min())
        width = int(values.max()) - low + 1
        if width > 2**40:  # far apart, as only a damaged take has them
            _, values = np.unique(values, return_inverse=True)
            low, width = 0, int(values.max()) + 1
        if key is None:
            key = values - low
        else:
            if span * width > 2**61:
                _, key = np.unique(key, return_inverse=True)
                span = int(key.max()) + 1
            key *= width
            key += values
            key -= low
        span *= width
        if span > 4 * count + 65536 and len(columns) > 1:
            key, span = _compacted(key, span)
    assert key is not None
    key, span = _compacted(key, span)
    first = np.empty(span, np.int32)
    first[key[::-1]] = np.arange(count - 1, -1, -1, dtype=np.int32)
    return key.astype(np.int32), first


def _compacted(key: Array, span: int) -> tuple[Array, int]:
    """Renumber `key` (values below `span`) without gaps, keeping their order."""
    if not (key[1:] < key[:-1]).any():  # as sends and frames rise: each once past memory, and no table
        numbers = np.zeros(len(key), np.int64)
        np.cumsum(key[1:] != key[:-1], out=numbers[1:])
        return numbers, int(numbers[-1]) + 1
    if span <= DIRECT_PLACES_A_ROW * len(key) + 65536:
        used = np.zeros(span, bool)
        used[key] = True
        places = np.cumsum(used, dtype=np.int32) - 1
        return places[key].astype(np.int64), int(places[-1]) + 1
    values, inverse = np.unique(key, return_inverse=True)
    return inverse, len(values)


def parted(*columns: Array) -> list[Array]:
    """Return the rows (positions in the columns, ascending) of each distinct combination, one array each."""
    if not len(columns[0]):
        return []
    codes, _ = factorised(*columns)
    order = stable_order(codes)
    return np.split(order, np.flatnonzero(np.diff(codes[order])) + 1)


class Runs:
    """Rows put in order so that those of one group stand together, with where each group begins.

    `order` (n,): rows; `group` (n,): number of each place's group; `starts` (groups,), `sizes` (groups,); `rank` (n,):
    place within its group.  Costs one sort.
    """

    def __init__(self, codes: Array, *within: Array) -> None:
        """Order rows by `codes` (n,), and within one code by `within`, the first of them counting most, then by row."""
        # a stable sort keeps rows ascending by itself: what rises already, as times do, need not be sorted by
        if len(within) == 1 and not (within[0][1:] < within[0][:-1]).any():
            within = ()
        codes = np.asarray(codes)
        self.order: Array = np.lexsort((*within[::-1], codes)) if within else stable_order(codes)
        ordered = codes[self.order]
        fresh = np.concatenate(([True], ordered[1:] != ordered[:-1])) if len(ordered) else np.zeros(0, bool)
        self.starts: Array = np.flatnonzero(fresh)
        self.sizes: Array = np.diff(np.append(self.starts, len(ordered)))
        self.group: Array = np.cumsum(fresh) - 1
        self.rank: Array = np.arange(len(ordered)) - self.starts[self.group]

    def first(self) -> Array:
        """Return (n,): the first row of each place's group."""
        return self.order[self.starts[self.group]]

    def before(self, values: Array) -> Array:
        """Return int64 (n,): for each place, the sum of `values` (n,), by place, over earlier places of its group."""
        total = np.concatenate(([0], np.cumsum(values, dtype=np.int64)))[:-1]
        return total - total[self.starts[self.group]]

    def sums(self, values: Array) -> Array:
        """Return int64 (groups,): the sum of `values` (n,), by place, of each group."""
        return np.add.reduceat(np.asarray(values, np.int64), self.starts)


def repeated(*columns: Array) -> tuple[Array, Array]:
    """Return (rows, codes) of the rows that share all columns with another row: ascending, with their groups' numbers."""
    if not len(columns[0]):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    codes, _ = factorised(*columns)
    rows = np.flatnonzero(np.bincount(codes)[codes] > 1)
    return rows, codes[rows]


def joined(left: tuple[Array, ...], right: tuple[Array, ...]) -> tuple[Array, Array]:
    """Return numbers of the combinations of columns that two tables share: equal where all columns are equal."""
    columns = [
        np.concatenate((np.asarray(a, np.int64), np.asarray(b, np.int64))) for a, b in zip(left, right, strict=True)
    ]
    codes, _ = factorised(*columns)
    return codes[: len(left[0])], codes[len(left[0]) :]
