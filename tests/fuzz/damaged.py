"""Damage done by chance: to the bytes and lines of a stream, and to the members of a saved take."""

from __future__ import annotations

import gzip
import io
import json
import struct
import warnings
import zipfile
from collections.abc import Callable, Sequence
from random import Random
from typing import Any

import pyarrow as pa

from fuzz.made_streams import EDGES, made_value

RUBBISH = (
    b"",
    b"\0" * 40,
    b"{",
    b"[" * 3000,
    b'{"k":"frame","t":1e999,"n":0}',
    b'{"k":"call"}',
    b'{"k":"what"}',
    b'{"k":"send","t":99999999999999999999999,"s":1,"ev":"x"}',
    b"\xff\xfe",
    b'{"k":"say","text":"\\ud800"}',
    b'{"k":"head","opossum":2}',
    b'{"k":"head","opossum":1,"peer":"guest"}',
    b'{"k":"idle","t":4611686018427387904}',
    b'{"k":"frame","t":5,"n":-1}',
    b'{"k":"lost","n":4611686018427387904}',
)
WRONG = (
    b"null",
    b"1e999",
    b"-1",
    b"0",
    b"4611686018427387904",
    b"9223372036854775808",
    b"-1" + b"0" * 400,
    b'"x"',
    b"[]",
    b"{}",
    b"true",
    b"1.5",
)


def damaged_stream(random: Random, data: bytes) -> bytes:
    """Return a stream with a few things wrong, as a torn disk, a buggy recorder or an attacker leaves it."""
    for _ in range(random.randrange(1, 6)):
        data = random.choice(_STREAM_DAMAGES)(random, data)
    return gzip.compress(data, 1, mtime=0) if random.random() < 0.05 else data


def _cut(random: Random, data: bytes) -> bytes:
    return data[: random.randrange(len(data) + 1)]


def _hole(random: Random, data: bytes) -> bytes:
    start = random.randrange(len(data) + 1)
    return data[:start] + data[start + random.randrange(1, 400) :]


def _flipped(random: Random, data: bytes) -> bytes:
    some = bytearray(data)
    for _ in range(random.randrange(1, 20)):
        if some:
            some[random.randrange(len(some))] = random.randrange(256)
    return bytes(some)


def _shuffled(random: Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    start = random.randrange(len(lines))
    part = lines[start : start + random.randrange(2, 30)]
    random.shuffle(part)
    lines[start : start + len(part)] = part
    return b"\n".join(lines)


def _repeated(random: Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    start = random.randrange(len(lines))
    part = lines[start : start + random.randrange(1, 20)]
    return b"\n".join(lines[:start] + part * random.randrange(1, 4) + lines[start:])


def _rubbish(random: Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    lines.insert(random.randrange(len(lines) + 1), random.choice(RUBBISH))
    return b"\n".join(lines)


def _wrong_value(random: Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    for _ in range(random.randrange(1, 8)):
        place = random.randrange(len(lines))
        try:
            record = json.loads(lines[place])
            name = random.choice(list(record))
        except (ValueError, IndexError, TypeError, RecursionError):
            continue
        marked = json.dumps(record | {name: "\x01here"}).encode()
        lines[place] = marked.replace(b'"\\u0001here"', random.choice(WRONG))
    return b"\n".join(lines)


def _other_value(random: Random, data: bytes) -> bytes:
    """Values that the contract allows where they make no sense: ids that dangle and circle, times that jump."""
    lines = data.split(b"\n")
    for _ in range(random.randrange(1, 30)):
        place = random.randrange(len(lines))
        try:
            record = json.loads(lines[place])
            name = random.choice([name for name in record if name != "k"])
        except (ValueError, IndexError, TypeError, RecursionError):
            continue
        value = record[name]
        if type(value) is int:
            record[name] = random.choice((value + random.randrange(-3, 4), *EDGES))
        elif type(value) is float:
            record[name] = random.choice((0.0, -1.0, 1e308, 1e12, -value, 1e-9, 5e-324))
        elif type(value) is str:
            record[name] = random.choice(("", "tick", "oven#1", "\x1b]0;x\x07", "stay", "timer", "x" * 5000))
        else:
            record[name] = made_value(random)
        lines[place] = json.dumps(record).encode()
    return b"\n".join(lines)


def _many_peers(random: Random, data: bytes) -> bytes:
    lines = data.split(b"\n")
    for number in range(random.randrange(1, 60)):
        lines.insert(
            random.randrange(len(lines) + 1), b'{"k":"frame","t":%d,"n":%d,"p":"p%d"}' % (number * 1000, number, number)
        )
    return b"\n".join(lines)


def _two(random: Random, data: bytes) -> bytes:
    return data[: random.randrange(len(data) + 1)] + data


_STREAM_DAMAGES = (
    _cut, _hole, _flipped, _shuffled, _repeated, _rubbish, _wrong_value, _other_value, _other_value, _many_peers, _two,
)  # fmt: skip


# --- saved takes -----------------------------------------------------------------------------------------


def damaged_take(random: Random, data: bytes) -> bytes:
    """Return a saved take with something wrong: its bytes, its members, what its tables say, how they are written."""
    sort = random.randrange(10)
    if sort < 2:
        return random.choice((_cut, _hole, _flipped, _flipped))(random, data)
    members = _members(data)
    for _ in range(random.randrange(1, 4) if sort < 6 else 1):
        random.choice(_TAKE_DAMAGES if sort < 6 else (_other_manifest, _other_values))(random, members)
    return _zipped(random, members, sort < 6)


def _members(data: bytes) -> list[tuple[str, bytes]]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return [(info.filename, archive.read(info)) for info in archive.infolist()]


def _zipped(random: Random, members: list[tuple[str, bytes]], otherwise: bool) -> bytes:
    packing = zipfile.ZIP_DEFLATED if otherwise and random.random() < 0.05 else zipfile.ZIP_STORED
    made = io.BytesIO()
    with warnings.catch_warnings(), zipfile.ZipFile(made, "w", packing) as archive:
        warnings.simplefilter("ignore")  # two members of one name are meant
        for name, data in members:
            archive.writestr(zipfile.ZipInfo(name), data, packing)
    said = bytearray(made.getvalue())
    if otherwise and random.random() < 0.05:  # says it is encrypted
        place = said.find(b"PK\x01\x02")
        said[place + 8] |= 1
    return bytes(said)


def _without(random: Random, members: list[tuple[str, bytes]]) -> None:
    members.pop(random.randrange(len(members)))
    if not members:
        members.append(("manifest.json", b"{}"))


def _twice(random: Random, members: list[tuple[str, bytes]]) -> None:
    members.append(random.choice(members))


def _renamed(random: Random, members: list[tuple[str, bytes]]) -> None:
    place = random.randrange(len(members))
    members[place] = (random.choice(("../x", "tables/send.arrow", "strings.arrow", "x" * 300)), members[place][1])


def _torn_member(random: Random, members: list[tuple[str, bytes]]) -> None:
    place = random.randrange(len(members))
    name, data = members[place]
    members[place] = (name, random.choice((_cut, _hole, _flipped, _flipped, _flipped))(random, data))


def _other_manifest(random: Random, members: list[tuple[str, bytes]]) -> None:
    for place, (name, data) in enumerate(members):
        if name == "manifest.json":
            try:
                said = json.loads(data)
            except (ValueError, RecursionError):
                return
            _change_somewhere(random, said)
            members[place] = (name, json.dumps(said).encode())


def _change_somewhere(random: Random, value: Any) -> None:
    while True:
        keys = list(value) if isinstance(value, dict) else list(range(len(value)))
        if not keys:
            return
        key = random.choice(keys)
        if isinstance(value[key], dict | list) and value[key] and random.random() < 0.85:
            value = value[key]
            continue
        value[key] = random.choice((*EDGES, -(2**62), 2**63, 1.5, None, "x", "", [], {}, True, [[]], 2**70))
        return


def _other_values(random: Random, members: list[tuple[str, bytes]]) -> None:
    _other_table(random, members, (_small_numbers, _small_numbers, _other_numbers), (None,))


def _other_table(
    random: Random,
    members: list[tuple[str, bytes]],
    damages: Sequence[Callable[[Random, Any, int], Any]] = (),
    packings: Sequence[str | None] = (None, None, None, "zstd", "lz4"),
) -> None:
    tables = [place for place, (name, _) in enumerate(members) if name.endswith(".arrow")]
    if not tables:
        return
    place = random.choice(tables)
    name, data = members[place]
    try:
        table = pa.ipc.open_file(pa.py_buffer(data)).read_all()
        column = random.randrange(table.num_columns)
        table = random.choice(damages or _TABLE_DAMAGES)(random, table, column)
        compression = random.choice(packings)
        sink = pa.BufferOutputStream()
        with pa.ipc.new_file(sink, table.schema, options=pa.ipc.IpcWriteOptions(compression=compression)) as writer:
            writer.write_table(table, max_chunksize=random.choice((None, None, 3)))
    except (pa.ArrowException, ValueError, OverflowError, OSError, IndexError, TypeError, KeyError):
        return
    members[place] = (name, sink.getvalue().to_pybytes())


def _set(table: Any, column: int, values: Any) -> Any:
    return table.set_column(column, table.column_names[column], values)


def _other_numbers(random: Random, table: Any, column: int) -> Any:
    values = table.column(column).to_pylist()
    for _ in range(random.randrange(1, 5)):
        if type(values[0]) is int:
            values[random.randrange(len(values))] = random.choice((*EDGES, -(2**62), 2**63 - 1, -(2**63)))
        elif type(values[0]) is float:
            values[random.randrange(len(values))] = random.choice((float("inf"), float("nan"), -1e308, 0.0))
        else:
            values[random.randrange(len(values))] = random.choice(
                ("", "{", "[" * 2000, "null", "x" * 9000, '"\\ud800"')
            )
    return _set(table, column, pa.array(values, pa.large_string() if type(values[0]) is str else None))


def _small_numbers(random: Random, table: Any, column: int) -> Any:
    """Numbers that point within the take, and to the wrong place."""
    values = table.column(column).to_pylist()
    for _ in range(random.randrange(1, 9)):
        if type(values[0]) is int:
            values[random.randrange(len(values))] = random.choice(values) + random.choice((0, 0, 1, -1))
        elif type(values[0]) is float:
            values[random.randrange(len(values))] = random.choice((*values, 0.0, -1.0, 1e12, 5e-324))
        else:
            values[random.randrange(len(values))] = random.choice((*values, "{", "nul", "[[\n1]", '"x"'))
    return _set(table, column, pa.array(values, table.schema.field(column).type))


def _nulls(random: Random, table: Any, column: int) -> Any:
    return _set(table, column, pa.array([None] * len(table), table.schema.field(column).type))


def _dictionary(random: Random, table: Any, column: int) -> Any:
    return _set(table, column, table.column(column).combine_chunks().dictionary_encode())


def _run_ends(random: Random, table: Any, column: int) -> Any:
    import pyarrow.compute

    return _set(table, column, pyarrow.compute.run_end_encode(table.column(column).combine_chunks()))


def _of_nothing(random: Random, table: Any, column: int) -> Any:
    return _set(table, column, pa.nulls(len(table)))


def _other_type(random: Random, table: Any, column: int) -> Any:
    wanted = random.choice((pa.string(), pa.float32(), pa.uint64(), pa.bool_(), pa.int64(), pa.binary(), pa.int8()))
    return _set(table, column, table.column(column).cast(wanted, safe=False))


def _column_away(random: Random, table: Any, column: int) -> Any:
    return table.remove_column(column)


def _column_twice(random: Random, table: Any, column: int) -> Any:
    return table.append_column(table.column_names[column], table.column(column))


def _fewer_rows(random: Random, table: Any, column: int) -> Any:
    return table.slice(random.randrange(len(table) + 1))


_TABLE_DAMAGES = (
    _other_numbers, _other_numbers, _other_numbers, _nulls, _dictionary, _run_ends, _of_nothing, _other_type, _column_away,
    _column_twice, _fewer_rows,
)  # fmt: skip


def _says_it_is_huge(random: Random, members: list[tuple[str, bytes]]) -> None:
    """A length within a table's own description is another."""
    place = random.randrange(len(members))
    name, data = members[place]
    some = bytearray(data)
    if len(some) > 64:
        at = random.randrange(8, len(some) - 8) & ~3
        struct.pack_into("<i", some, at, random.choice((0, 1, 2**31 - 1, -1, 1 << 20)))
    members[place] = (name, bytes(some))


_TAKE_DAMAGES = (
    _without, _twice, _renamed, _torn_member, _torn_member, _other_manifest, _other_manifest, _other_table, _other_table,
    _other_table, _says_it_is_huge,
)  # fmt: skip
