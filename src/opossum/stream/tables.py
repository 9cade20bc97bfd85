"""Tables of columns: what a stream becomes, one table a kind of record."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeAlias

import numpy as np

from opossum.stream.kinds import KINDS, Field, FieldType

Array: TypeAlias = np.ndarray[Any, np.dtype[Any]]
"""Named without `numpy.typing`: loading that takes long, and a desk that opens waits for it."""

COMMON_FIELDS = ("line", "t", "p", "th")
"""Columns every table has: stream line, nanoseconds, peer index, thread name's code (-1: main)."""

ABSENT: dict[FieldType, Any] = {
    FieldType.ID: np.int64(0),
    FieldType.COUNT: np.int64(-1),
    FieldType.NUMBER: np.float64("nan"),
    FieldType.FLAG: np.int8(-1),
    FieldType.TEXT: np.int32(-1),
}


def kept_count(value: int) -> int:
    """Return how an optional count is kept: below 0 one less than it is, for -1 stands for absent."""
    return value if value >= 0 else value - 1


def told_counts(kept: Array) -> Array:
    """Return int64 (n,): the optional counts that are kept as these (n,); those that are absent stay -1."""
    kept = np.asarray(kept, np.int64)
    return np.where(kept < ABSENT[FieldType.COUNT], kept + 1, kept)


@dataclass(eq=False, repr=False, slots=True)
class JsonColumn:
    """JSON values end to end in one buffer: value i is `data[offsets[i]:offsets[i + 1]]`.

    `offsets` is int64 of shape (n + 1,), `data` is UTF-8.  Absent values have length 0 (no JSON value has).
    """

    offsets: Array
    data: bytes | memoryview

    def __len__(self) -> int:
        return len(self.offsets) - 1

    def __getitem__(self, row: int) -> str:
        return str(self.data[self.offsets[row] : self.offsets[row + 1]], "utf-8", "replace")

    def present(self) -> Array:
        """Return a boolean array (n,): which rows have a value."""
        return np.diff(self.offsets) > 0

    @staticmethod
    def absent(count: int) -> JsonColumn:
        """Return a column of `count` absent values that takes no memory."""
        return JsonColumn(np.broadcast_to(np.int64(0), (count + 1,)), b"")


Column = Array | JsonColumn


@dataclass(eq=False, repr=False, slots=True)
class Table:
    """All records of one kind, in stream order; columns are read-only by convention."""

    kind: str
    count: int
    columns: dict[str, Column]

    def __len__(self) -> int:
        return self.count

    def __getitem__(self, name: str) -> Array:
        return self.columns[name]  # type: ignore[return-value]

    def json(self, name: str) -> JsonColumn:
        """Return the JSON column `name`."""
        return self.columns[name]  # type: ignore[return-value]

    def fields(self) -> Iterator[tuple[Field, Column]]:
        """Yield this kind's own fields with their columns."""
        for field in KINDS[self.kind].fields:
            yield field, self.columns[field.name]

    @property
    def nbytes(self) -> int:
        """Return how many bytes the columns take (absent columns take none)."""
        total = 0
        for column in self.columns.values():
            if isinstance(column, JsonColumn):
                total += len(column.data) + (column.offsets.nbytes if column.data else 0)
            elif column.strides != (0,):
                total += column.nbytes
        return total


def absent_column(field_type: FieldType, count: int) -> Column:
    """Return a column of `count` absent values that takes no memory."""
    if field_type is FieldType.JSON:
        return JsonColumn.absent(count)
    return _absent_values(field_type, count)


@lru_cache(maxsize=256)
def _absent_values(field_type: FieldType, count: int) -> Array:
    return np.broadcast_to(ABSENT[field_type], (count,))


_NARROW = [(dtype, np.iinfo(dtype).min, np.iinfo(dtype).max) for dtype in (np.int8, np.int16, np.int32)]


def narrowed(values: Array) -> Array:
    """Return integers in the smallest signed type that holds them all; a constant column takes no memory.

    Ids, codes and lines are mostly small: this is where a take's bytes are saved.  Arithmetic on the
    result must widen first.
    """
    if values.dtype.kind != "i":
        return values
    if len(values) == 0:
        return values.astype(np.int8)
    low, high = int(values.min()), int(values.max())
    for dtype, least, most in _NARROW:
        if least <= low and high <= most:
            if low == high and len(values) > 1:
                return np.broadcast_to(dtype(low), values.shape)
            return values if values.dtype == dtype else values.astype(dtype)
    return values


def held_at(column: Array, rows: Array, otherwise: int) -> Array:
    """Return what a column holds at rows, (n,), and `otherwise` where a row is -1: at the cost of the rows alone."""
    if not len(column):
        return np.full(len(rows), otherwise)
    return np.where(rows >= 0, column[rows], otherwise)


def empty_table(kind: str) -> Table:
    """Return a table of `kind` without rows."""
    columns: dict[str, Column] = {name: np.zeros(0, np.int64) for name in COMMON_FIELDS}
    for field in KINDS[kind].fields:
        columns[field.name] = absent_column(field.type, 0)
    return Table(kind, 0, columns)
