"""Whether two takes hold the same records."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array, Column, JsonColumn
from opossum.take.take import Take
from opossum.words import tr


def first_difference(one: Take, other: Take) -> str:
    """Return where two takes first hold different records, in a few words; empty where they hold the same.

    Strings may be numbered differently; lines are not compared, times as the games wrote them.  Linear in the records.
    """
    numbers = {text: code for code, text in enumerate(other.strings)}
    renumbered = np.array([numbers.get(text, -2) for text in one.strings] + [-1], np.int64)
    for kind, table in one.tables.items():
        twin = other.tables[kind]
        if len(table) != len(twin):
            return tr("{table:,} `{kind}` records against {twin:,}", table=len(table), kind=kind, twin=len(twin))
    for kind, table in one.tables.items():
        twin = other.tables[kind]
        if not np.array_equal(_written_times(one, kind), _written_times(other, kind)):
            return tr("`t` of `{kind}` records", kind=kind)
        for field, column in table.fields():
            if not _same(column, twin.columns[field.name], renumbered if field.type.value == "text" else None):
                return tr("`{name}` of `{kind}` records", name=field.name, kind=kind)
    return ""


def _written_times(take: Take, kind: str) -> Array:
    """Return int64 (records,): the times as the games wrote them, before clocks were set against each other."""
    table = take.tables[kind]
    shifts = np.array([span.shift_ns for span in take.peers] or [0], np.int64)
    return np.asarray(table["t"], np.int64) - shifts[np.asarray(table["p"], np.int64)]


def _same(mine: Column, theirs: Column, renumbered: Array | None) -> bool:
    if isinstance(mine, JsonColumn) or isinstance(theirs, JsonColumn):
        return (
            isinstance(mine, JsonColumn)
            and isinstance(theirs, JsonColumn)
            and bytes(mine.data) == bytes(theirs.data)
            and np.array_equal(mine.offsets, theirs.offsets)
        )
    values = mine if renumbered is None else renumbered[np.asarray(mine, np.int64)]
    return np.array_equal(values, theirs, equal_nan=mine.dtype.kind == "f")
