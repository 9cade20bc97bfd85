"""Values handed from one process to another: arrays as they lie in memory, behind a JSON description.

What is received comes from our own code and is trusted as such.
"""

from __future__ import annotations

import dataclasses
import json
import mmap
from typing import Any

import numpy as np

from opossum.stream.contents import PeerSpan
from opossum.stream.damage import Damage
from opossum.stream.tables import JsonColumn, Table
from opossum.take.recording import Recording
from opossum.take.take import Take

_PLAIN = (str, int, float, bool, type(None))
_ALIGNED = 64


class _Parcel:
    """Descriptions of values, and the bytes they speak of, each once however often it is met."""

    def __init__(self) -> None:
        self.parts: list[tuple[Any, int]] = []
        self._size = 0
        self._placed: dict[int, tuple[int, Any]] = {}

    def _place(self, data: Any) -> int:
        known = self._placed.get(id(data))
        if known is None:
            size = data.nbytes if isinstance(data, np.ndarray) else len(data)
            padding = -size % _ALIGNED
            known = self._placed[id(data)] = (self._size, data)
            self.parts.append((data, padding))
            self._size += size + padding
        return known[0]

    def described(self, value: Any) -> Any:
        """Return a value's description."""
        if isinstance(value, _PLAIN):
            return ["plain", value]
        if isinstance(value, np.integer):
            return ["plain", int(value)]
        if isinstance(value, np.ndarray):
            if value.strides == (0,):
                return ["one", value.dtype.str, len(value), self._place(np.ascontiguousarray(value[:1]))]
            return ["all", value.dtype.str, len(value), self._place(np.ascontiguousarray(value))]
        if isinstance(value, JsonColumn):
            return ["json", self.described(value.offsets), self._place(value.data), len(value.data)]
        if type(value) is list and all(isinstance(item, _PLAIN) for item in value):
            return ["plain", value]
        if type(value) in (list, tuple):
            return [type(value).__name__, *map(self.described, value)]
        if isinstance(value, dict):
            return ["dict", {name: self.described(item) for name, item in value.items()}]
        return [type(value).__name__, {name: self.described(item) for name, item in _fields(value).items()}]


def _fields(record: Any) -> dict[str, Any]:
    if hasattr(record, "_asdict"):
        return record._asdict()
    if dataclasses.is_dataclass(record):
        return {field.name: getattr(record, field.name) for field in dataclasses.fields(record)}
    return vars(record)


def pack_values(values: dict[str, Any], file: int) -> None:
    """Write values to a file descriptor: length of the description, description, the bytes of all arrays."""
    parcel = _Parcel()
    # nothing but ASCII: JSON writes all else, and halves of characters too, as escapes
    text = json.dumps({name: parcel.described(value) for name, value in values.items()}).encode()
    text += b" " * (-(len(text) + 8) % _ALIGNED)
    with open(file, "wb", closefd=False) as out:
        out.write(len(text).to_bytes(8, "little") + text)
        for data, padding in parcel.parts:
            out.write(data)
            out.write(b"\0" * padding)


def _known() -> list[type]:
    """Return our own records that may be handed over, beside plain values, arrays, and lists and dictionaries of them."""
    return [PeerSpan, Damage, *(record for index in Take.indexes() for record in index.holds)]


def unpacked_values(file: int, *more: type) -> dict[str, Any]:
    """Return what `pack_values` wrote; arrays lie in the file's memory.  `more`: records beside those of indexes.

    Raises:
        ValueError, KeyError, TypeError: it is not all there.
    """
    memory = memoryview(mmap.mmap(file, 0, access=mmap.ACCESS_READ))
    length = int.from_bytes(memory[:8], "little")
    said = json.loads(bytes(memory[8 : 8 + length]))
    data = memory[8 + length :]
    known = {made.__name__: made for made in (*_known(), *more)}

    def value(kind: str, *rest: Any) -> Any:
        if kind == "plain":
            return rest[0]
        if kind == "all":
            dtype, count, start = rest
            return np.frombuffer(data, dtype, count, start)
        if kind == "one":
            dtype, count, start = rest
            return np.ndarray((count,), dtype, data if count else None, start if count else 0, (0,))
        if kind == "json":
            offsets, start, size = rest
            return JsonColumn(value(*offsets), data[start : start + size])
        if kind in ("list", "tuple"):
            items = [value(*item) for item in rest]
            return items if kind == "list" else tuple(items)
        fields = {name: value(*item) for name, item in rest[0].items()}
        if kind == "dict":
            return fields
        made = known[kind]
        if hasattr(made, "_fields") or dataclasses.is_dataclass(made):
            return made(**fields)
        record: Any = object.__new__(made)
        record.__dict__.update(fields)
        return record

    return {name: value(*described) for name, described in said.items()}


def pack(take: Take, file: int, along: dict[str, Any] | None = None) -> None:
    """Write a take with its indexes, and what goes along with it, to a file descriptor."""
    take.index()
    said = {
        "name": take.name,
        "strings": take.strings,
        "peers": take.peers,
        "damage": take.damage,
        "sources": [list(source) for source in take.sources],
        "tables": {kind: [len(table), table.columns] for kind, table in take.tables.items()},
        "indexes": take.built(),
        "along": along or {},
    }
    pack_values(said, file)


def unpacked(file: int) -> tuple[Take, dict[str, Any]]:
    """Return the take that `pack` wrote, and what went along; columns lie in the file's memory.

    Raises:
        ValueError, KeyError, TypeError: it is not all there.
    """
    said = unpacked_values(file)
    tables = {kind: Table(kind, count, columns) for kind, (count, columns) in said["tables"].items()}
    sources = [(name, line) for name, line in said["sources"]]
    take = Take(Recording(tables, said["strings"], said["peers"], said["damage"], sources), said["name"])
    take.__dict__.update(said["indexes"])
    return take, said["along"]
