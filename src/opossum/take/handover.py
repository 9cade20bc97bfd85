"""A take handed from one process to another: its columns as they lie in memory, behind a JSON description.

`hand_over` is what the other process runs (see `helper`).
"""

from __future__ import annotations

import json
import mmap
import os
import sys
from dataclasses import asdict
from typing import Any, NoReturn

import numpy as np

from opossum.stream.contents import PeerSpan
from opossum.stream.damage import Damage
from opossum.stream.tables import Column, JsonColumn, Table
from opossum.take import flow, frames, lives
from opossum.take.ids import Groups
from opossum.take.take import Take

HANDED_OVER = (
    "frames", "sends", "_calls_and_listeners", "objects", "binds", "calls_by_listener", "calls_by_frame", "children",
)  # fmt: skip
"""What `Take.index` computes; it goes along."""

INDEXES: dict[str, Any] = {
    made.__name__: made
    for made in (flow.Sends, flow.Calls, flow.Listeners, frames.Frames, lives.ObjectLives, lives.Binds, Groups)
}

_ALIGNED = 64


def pack(take: Take, file: int) -> None:
    """Write a take's tables to a file descriptor: length of the description, description, columns."""
    parts: list[Any] = []
    place = 0

    def placed(data: Any) -> int:
        nonlocal place
        start = place
        size = len(data) if isinstance(data, bytes) else data.nbytes
        parts.append((data, -size % _ALIGNED))
        place += size + -size % _ALIGNED
        return start

    def described(column: Column) -> list[Any]:
        if isinstance(column, JsonColumn):
            return ["json", described(column.offsets), placed(column.data), len(column.data)]
        if column.strides == (0,):
            return ["one", column.dtype.str, len(column), placed(np.ascontiguousarray(column[:1]))]
        return ["all", column.dtype.str, len(column), placed(np.ascontiguousarray(column))]

    def described_index(index: Any) -> Any:
        if isinstance(index, np.ndarray):
            return described(index)
        if isinstance(index, int):
            return int(index)
        if type(index) is tuple:
            return ["several", *map(described_index, index)]
        fields = index._asdict() if hasattr(index, "_asdict") else vars(index)
        return [type(index).__name__, {name: described_index(value) for name, value in fields.items()}]

    take.index()
    indexes = {name: described_index(take.__dict__[name]) for name in HANDED_OVER}
    tables = {
        kind: [len(table), {name: described(column) for name, column in table.columns.items()}]
        for kind, table in take.tables.items()
    }
    said = {
        "name": take.name,
        "strings": take.strings,
        "peers": [asdict(peer) for peer in take.peers],
        "damage": [asdict(item) for item in take.damage],
        "sources": take.sources,
        "tables": tables,
        "indexes": indexes,
    }
    text = json.dumps(said).encode("utf-8", "surrogatepass")
    text += b" " * (-(len(text) + 8) % _ALIGNED)
    with open(file, "wb", closefd=False) as out:
        out.write(len(text).to_bytes(8, "little") + text)
        for data, padding in parts:
            out.write(data)
            out.write(b"\0" * padding)


def unpacked(file: int) -> Take:
    """Return the take that `pack` wrote; its columns lie in the file's memory.

    Raises:
        ValueError, KeyError, TypeError: it is not all there.
    """
    memory = memoryview(mmap.mmap(file, 0, access=mmap.ACCESS_READ))
    length = int.from_bytes(memory[:8], "little")
    said = json.loads(bytes(memory[8 : 8 + length]).decode("utf-8", "surrogatepass"))
    data = memory[8 + length :]

    def column(kind: str, *rest: Any) -> Column:
        if kind == "json":
            offsets, start, size = rest
            return JsonColumn(column(*offsets), bytes(data[start : start + size]))  # type: ignore[arg-type]
        dtype, count, start = rest
        if kind == "one":
            return np.broadcast_to(np.frombuffer(data, dtype, min(1, count), start), (count,))
        return np.frombuffer(data, dtype, count, start)

    def index(said: Any) -> Any:
        if isinstance(said, int):
            return said
        kind, *rest = said
        if kind == "several":
            return tuple(map(index, rest))
        if kind not in INDEXES:
            return column(kind, *rest)
        fields = {name: index(value) for name, value in rest[0].items()}
        made = INDEXES[kind]
        if hasattr(made, "_fields"):
            return made(**fields)
        known = made.__new__(made)
        known.__dict__.update(fields)
        return known

    tables = {
        kind: Table(kind, count, {name: column(*described) for name, described in columns.items()})
        for kind, (count, columns) in said["tables"].items()
    }
    take = Take(
        tables,
        said["strings"],
        [PeerSpan(**peer) for peer in said["peers"]],
        [Damage(**item) for item in said["damage"]],
        [(name, line) for name, line in said["sources"]],
        said["name"],
    )
    take.__dict__.update({name: index(described) for name, described in said["indexes"].items()})
    return take


def hand_over(path: str) -> NoReturn:
    """Be the helper: open a `.take` file, write it to standard output, and end at once."""
    from opossum.take.archive import TakeError, open_take

    try:
        pack(open_take(path), sys.stdout.fileno())
    except (TakeError, OSError):
        os._exit(1)
    os._exit(0)
