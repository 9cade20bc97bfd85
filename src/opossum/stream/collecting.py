"""Collecting decoded records into columns, batch by batch, so that no record outlives its batch."""

from __future__ import annotations

from itertools import accumulate
from operator import attrgetter
from typing import Any

import msgspec
import numpy as np

from opossum.stream.damage import DamageLog
from opossum.stream.decoding import KIND_OF_TYPE
from opossum.stream.kinds import KINDS, Field, FieldType
from opossum.stream.strings import Interner
from opossum.stream.tables import (
    ABSENT,
    COMMON_FIELDS,
    Array,
    Column,
    JsonColumn,
    Table,
    absent_column,
    empty_table,
    kept_count,
    narrowed,
)

JSON_KEPT_BYTES = 4096
"""Longer JSON values are cut to about this; the contract allows it and it bounds a hostile stream."""

_DTYPES = {
    FieldType.ID: np.int64,
    FieldType.COUNT: np.int64,
    FieldType.NUMBER: np.float64,
    FieldType.FLAG: np.int8,
    FieldType.TEXT: np.int32,
}

Batch = tuple[Array, Array, Array, Array]
"""Per record of a batch: line, t (ns), peer index, thread code; int64 each."""


class Collector:
    """Grows one set of columns a kind; `tables()` may be asked at any time."""

    def __init__(self, strings: Interner, damage: DamageLog) -> None:
        self._strings = strings
        self._damage = damage
        self._parts: dict[str, list[dict[str, Any]]] = {name: [] for name in KINDS}
        self._counts: dict[str, int] = dict.fromkeys(KINDS, 0)

    def add(self, records: list[Any], common: Batch) -> None:
        """Take over a batch of decoded records with their common columns."""
        count = len(records)
        types = list(map(type, records))
        present = dict.fromkeys(types)  # in the order they came, so that the same stream makes the same take
        if len(present) == 1:
            self._add_kind(KIND_OF_TYPE[types[0]], records, common, None)
            return
        numbers = {record_type: number for number, record_type in enumerate(present)}
        codes = np.fromiter(map(numbers.__getitem__, types), np.int8, count)
        objects = np.empty(count, object)
        objects[:] = records
        for record_type, number in numbers.items():
            rows = np.flatnonzero(codes == number)
            self._add_kind(KIND_OF_TYPE[record_type], objects[rows].tolist(), common, rows)

    def _add_kind(self, kind: str, records: list[Any], common: Batch, rows: Array | None) -> None:
        part: dict[str, Any] = {}
        for name, values in zip(COMMON_FIELDS, common, strict=True):
            part[name] = values if rows is None else values[rows]
        for field in KINDS[kind].fields:
            part[field.name] = self._gather(field, list(map(attrgetter(field.name), records)))
        self._parts[kind].append(part)
        self._counts[kind] += len(records)

    def _gather(self, field: Field, values: list[Any]) -> Any:
        """Return a batch's column, or None when no record has the field."""
        if field.type is FieldType.JSON:
            return self._gather_json(values)
        if not field.required:
            absences = values.count(None)
            if absences == len(values):
                return None
            if field.type is FieldType.COUNT:
                values = [None if value is None else kept_count(value) for value in values]
            if absences and field.type is not FieldType.TEXT:
                absent = ABSENT[field.type].item()
                values = [absent if value is None else value for value in values]
        if field.type is FieldType.TEXT:
            values = list(map(self._strings.__getitem__, values))
        return np.array(values, _DTYPES[field.type])

    def _gather_json(self, values: list[msgspec.Raw]) -> tuple[list[int], bytes] | None:
        pieces = [bytes(value) for value in values]
        data = b"".join(pieces)
        if not data:
            return None
        if max(map(len, pieces)) > JSON_KEPT_BYTES or not _is_utf8(data):
            pieces = [self._tamed(piece) for piece in pieces]
            data = b"".join(pieces)
        return list(accumulate(map(len, pieces))), data

    def _tamed(self, piece: bytes) -> bytes:
        if len(piece) > JSON_KEPT_BYTES:
            self._damage.add("data-cut", f"value longer than {JSON_KEPT_BYTES} bytes; its start was kept as text")
            return _cut(piece)
        if not _is_utf8(piece):
            self._damage.add("data-not-utf8", "value that is not valid UTF-8; the bad bytes were replaced")
            return _cut(piece)
        return piece

    def tables(self) -> dict[str, Table]:
        """Return a table for every kind of record, in the order of `KINDS`."""
        return {kind: self._table(kind) for kind in KINDS}

    def _table(self, kind: str) -> Table:
        parts, count = self._parts[kind], self._counts[kind]
        if not count:
            return empty_table(kind)
        columns: dict[str, Column] = {
            name: narrowed(np.concatenate([part[name] for part in parts])) for name in COMMON_FIELDS
        }
        sizes = [len(part["line"]) for part in parts]
        for field in KINDS[kind].fields:
            columns[field.name] = _joined(field, [part[field.name] for part in parts], sizes)
        return Table(kind, count, columns)


def _joined(field: Field, parts: list[Any], sizes: list[int]) -> Column:
    count = sum(sizes)
    if all(part is None for part in parts):
        return absent_column(field.type, count)
    if field.type is FieldType.JSON:
        offsets, base, pieces = [np.zeros(1, np.int64)], 0, []
        for part, size in zip(parts, sizes, strict=True):
            if part is None:
                offsets.append(np.full(size, base, np.int64))
            else:
                offsets.append(np.array(part[0], np.int64) + base)
                pieces.append(part[1])
                base += len(part[1])
        return JsonColumn(np.concatenate(offsets), b"".join(pieces))
    absent = ABSENT[field.type]
    filled = [
        np.full(size, absent, _DTYPES[field.type]) if part is None else part
        for part, size in zip(parts, sizes, strict=True)
    ]
    return narrowed(np.concatenate(filled))


def _cut(piece: bytes) -> bytes:
    """Return the start of a JSON value as a JSON text that is itself short enough to be kept."""
    room = JSON_KEPT_BYTES - len('"…"'.encode())
    while True:
        made = msgspec.json.encode(piece[:room].decode("utf-8", "replace") + "…")
        if len(made) <= JSON_KEPT_BYTES:
            return made
        room = room * 3 // 4  # what must be escaped takes more room


def _is_utf8(data: bytes) -> bool:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
