"""The `.take` file: a ZIP (stored) with a JSON manifest and one Arrow table a kind of record.

Layout, described for others in docs/take-format.md:

    manifest.json           format, version, game, peers, sources, damage, and rows a table
    strings.arrow           the texts, by code
    tables/<kind>.arrow     the columns of that kind that hold anything

Text columns hold codes into `strings.arrow`; "absent" is -1 for codes, counts and flags, 0 for ids, NaN for
numbers, an empty text for JSON.  Columns that hold one value throughout are in the manifest instead.
"""

from __future__ import annotations

import os
import struct
import zipfile
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from opossum.stream.contents import PeerSpan
from opossum.stream.kinds import KINDS, FieldType
from opossum.stream.limits import LARGEST_NUMBER, LIMITS, LINE, TIME, WRITTEN_TIME, Limits
from opossum.stream.tables import ABSENT, COMMON_FIELDS, Array, Column, JsonColumn, Table, absent_column, kept_count
from opossum.take.manifest import (
    FORMAT,
    FORMAT_VERSION,
    MANIFEST,
    STRINGS,
    Manifest,
    TableEntry,
    read_manifest,
    sizes_of_members,
)
from opossum.take.plain_arrow import plain_table
from opossum.take.recording import Recording
from opossum.take.take import Take
from opossum.take.take_error import TakeError, short_reason
from opossum.whole_file import whole_file
from opossum.words import tr

KEPT_INTEGER = Limits(kept_count(LIMITS[FieldType.COUNT].least), LIMITS[FieldType.COUNT].greatest)
_COMMON_TYPES = dict.fromkeys(COMMON_FIELDS, FieldType.COUNT)


def save_take(take: Take, path: str | os.PathLike[str]) -> None:
    """Write `take` to `path` as one `.take` file; a file already there is replaced only when all is written.

    Raises:
        OSError: the file cannot be written; what was there before is untouched.
    """
    with whole_file(path) as file:
        _write_archive(take, file)


def _write_archive(take: Take, file: Any) -> None:
    import pyarrow as pa

    entries: dict[str, TableEntry] = {}
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        for kind, table in take.tables.items():
            entry = TableEntry(len(table))
            entries[kind] = entry
            if not len(table):
                continue
            columns: dict[str, Any] = {}
            for name, column in table.columns.items():
                if isinstance(column, JsonColumn):
                    if column.data:
                        columns[name] = _json_to_arrow(column)
                elif column.strides == (0,) or len(column) == 1:
                    value = column[0].item()
                    if value == value:  # NaN, absent, is not written: JSON has none
                        entry.constants[name] = value
                else:
                    columns[name] = _numbers_to_arrow(column)
            if columns:
                archive.writestr(_member(f"tables/{kind}.arrow"), _arrow_bytes(pa.table(columns)))
        texts = _texts_to_arrow(take.strings)
        archive.writestr(_member(STRINGS), _arrow_bytes(pa.table({"text": texts})))
        manifest = Manifest(
            FORMAT,
            FORMAT_VERSION,
            take.name,
            take.game,
            take.peers,
            take.sources,
            take.damage,
            entries,
        )
        archive.writestr(_member(MANIFEST), msgspec.json.format(msgspec.json.encode(manifest), indent=1))


def _member(name: str) -> zipfile.ZipInfo:
    """Name a member with a fixed date, so that the same take makes the same file."""
    return zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))


def _arrow_bytes(table: Any) -> memoryview:
    import pyarrow as pa

    sink = pa.BufferOutputStream()
    # not compressed: narrow columns are small already, and opening is then little more than reading
    with pa.ipc.new_file(sink, table.schema) as writer:
        writer.write_table(table)
    return memoryview(sink.getvalue())


# columns are made of their buffers: given values, Arrow would first load pandas where that is installed, which takes longer
# than saving


def _numbers_to_arrow(column: Array) -> Any:
    import pyarrow as pa

    buffer = pa.py_buffer(np.ascontiguousarray(column))
    return pa.Array.from_buffers(pa.from_numpy_dtype(column.dtype), len(column), [None, buffer])


def _texts_to_arrow(texts: Sequence[str]) -> Any:
    encoded = [text.encode() for text in texts]
    return _json_to_arrow(JsonColumn(np.cumsum([0, *map(len, encoded)]), b"".join(encoded)))


def _json_to_arrow(column: JsonColumn) -> Any:
    import pyarrow as pa

    offsets = pa.py_buffer(np.ascontiguousarray(column.offsets, np.int64))
    return pa.LargeStringArray.from_buffers(len(column), offsets, pa.py_buffer(column.data))


def open_take(path: str | os.PathLike[str]) -> Take:
    """Open a `.take` file.

    Raises:
        TakeError: the file is not a take, is damaged, or says things that cannot be true.
    """
    name = os.fspath(path)
    try:
        with zipfile.ZipFile(name) as archive:
            return _read_archive(archive, name)
    except TakeError:
        raise
    except (zipfile.BadZipFile, EOFError, NotImplementedError) as error:
        raise TakeError(
            name, tr("the file is damaged ({error}); record or convert the take again", error=error)
        ) from None
    except OSError as error:
        raise TakeError(name, tr("cannot be read ({why})", why=error.strerror or error)) from None
    except _DAMAGED as error:
        # what stands in a ZIP's own tables may be anything
        raise TakeError(
            name,
            tr(
                "the file is damaged ({why}); record or convert the take again",
                why=short_reason(error),
            ),
        ) from None


_DAMAGED = (ValueError, OverflowError, struct.error, IndexError, KeyError, UnicodeError)


def _read_archive(archive: zipfile.ZipFile, path: str) -> Take:
    import pyarrow as pa

    sizes = sizes_of_members(archive, path)
    manifest = read_manifest(archive, path)
    try:
        texts = _arrow_table(archive, STRINGS)
        strings = _read_strings(texts, path)
        tables = {
            kind: _read_table(
                archive, path, kind, manifest.tables.get(kind, TableEntry(0)), sizes, manifest, len(strings)
            )
            for kind in KINDS
        }
    except (pa.ArrowException, ValueError, OverflowError, MemoryError, OSError) as error:
        if isinstance(error, TakeError):
            raise
        raise TakeError(
            path, tr("a table in it is damaged ({why}); it was not opened", why=short_reason(error))
        ) from None
    recording = Recording(tables, strings, manifest.peers, manifest.damage, manifest.sources)
    return Take(recording, manifest.name)


def _read_strings(texts: Any, path: str) -> list[str]:
    import pyarrow as pa

    if texts.column_names != ["text"]:
        raise TakeError(path, tr("its strings are not one column `text`; it was not opened"))
    if texts.schema.field(0).type != pa.large_string() or texts.column("text").null_count:
        raise TakeError(path, tr("its strings hold something that is no text; it was not opened"))
    strings = texts.column("text").to_pylist()
    if len(set(strings)) != len(strings):
        raise TakeError(path, tr("its strings hold one text twice; it was not opened"))
    return strings


def _arrow_table(archive: zipfile.ZipFile, member: str) -> Any:
    try:
        return plain_table(archive.read(member))
    except ValueError as error:  # Arrow's own errors are such, too
        raise ValueError(f"`{member}`: {short_reason(error)}") from None


def _read_table(
    archive: zipfile.ZipFile,
    path: str,
    kind: str,
    entry: TableEntry,
    sizes: dict[str, int],
    manifest: Manifest,
    string_count: int,
) -> Table:
    member = f"tables/{kind}.arrow"
    where = tr("table `{kind}`", kind=kind)
    arrow = _arrow_table(archive, member) if member in sizes and entry.rows else None
    # rows are believed only as far as there are bytes behind them, one lone row aside
    if entry.rows < 0 or (arrow is None and entry.rows > 1) or (arrow is not None and arrow.num_rows != entry.rows):
        raise TakeError(
            path,
            tr(
                "{where} does not have the {rows:,} rows its manifest says; it was not opened",
                where=where,
                rows=entry.rows,
            ),
        )
    types = _COMMON_TYPES | {field.name: field.type for field in KINDS[kind].fields}
    required = {field.name for field in KINDS[kind].fields if field.required}
    columns: dict[str, Column] = {}
    for name, field_type in types.items():
        if arrow is not None and name in arrow.column_names:
            columns[name] = _column(
                path, tr("{where}, column `{name}`", where=where, name=name), arrow.column(name), field_type
            )
        elif name in entry.constants and field_type is not FieldType.JSON:
            columns[name] = _constant(
                path,
                tr("{where}, column `{name}`", where=where, name=name),
                entry.constants[name],
                field_type,
                entry.rows,
            )
        elif name in ("line", "t", "p") and entry.rows:
            raise TakeError(path, tr("{where} has no column `{name}`; it was not opened", where=where, name=name))
        else:
            columns[name] = absent_column(field_type, entry.rows)
        if field_type is FieldType.NUMBER and (np.abs(columns[name]) > LARGEST_NUMBER).any():  # type: ignore[arg-type]
            raise TakeError(
                path,
                tr(
                    "{where}, column `{name}` holds a number beyond all bounds; it was not opened",
                    where=where,
                    name=name,
                ),
            )
        limits = _limits_of(name, field_type, name in required, string_count, len(manifest.peers))
        if limits is not None:
            _check_range(path, tr("{where}, column `{name}`", where=where, name=name), columns[name], limits)
        if name in required and field_type is FieldType.JSON and not columns[name].present().all():  # type: ignore[union-attr]
            raise TakeError(
                path, tr("{where} lacks values in column `{name}`; it was not opened", where=where, name=name)
            )
    table = Table(kind, entry.rows, columns)
    _check_written_times(path, where, table, manifest.peers)
    return table


def _check_written_times(path: str, where: str, table: Table, peers: list[PeerSpan]) -> None:
    """See that the times are such as games write, once what was added to set their clocks is taken off again."""
    times = table["t"]
    if any(span.shift_ns for span in peers) and len(table):
        shifts = np.array([span.shift_ns for span in peers], np.int64)
        times = np.asarray(times, np.int64) - shifts[np.asarray(table["p"], np.int64)]
    _check_range(path, tr("{where}, column `t`", where=where), times, WRITTEN_TIME)


def _limits_of(name: str, field_type: FieldType, required: bool, string_count: int, peer_count: int) -> Limits | None:
    """Return what a column may hold, what stands for "absent" included; None where any value will do."""
    if field_type is FieldType.TEXT or name == "th":
        return Limits(0 if required else -1, string_count - 1)
    common = {"p": Limits(0, peer_count - 1), "line": LINE, "t": TIME}
    if name in common:
        return common[name]
    limits = LIMITS.get(field_type)
    if required:
        return limits
    if limits and field_type is FieldType.COUNT:
        return Limits(kept_count(limits.least), limits.greatest)
    return limits and Limits(min(limits.least, int(ABSENT[field_type])), limits.greatest)


def _column(path: str, where: str, arrow: Any, field_type: FieldType) -> Column:
    import pyarrow as pa

    if arrow.null_count:
        raise TakeError(path, tr("{where} holds nulls, which no take has; it was not opened", where=where))
    if field_type is FieldType.JSON:
        if arrow.type != pa.large_string():
            raise TakeError(
                path,
                tr("{where} is of type {type}, expected large_string; it was not opened", where=where, type=arrow.type),
            )
        chunk = arrow.combine_chunks()
        buffers = chunk.buffers()
        offsets = np.frombuffer(buffers[1], np.int64, len(chunk) + 1, chunk.offset * 8)
        data = buffers[2].to_pybytes() if buffers[2] is not None else b""
        first, last = int(offsets[0]), int(offsets[-1])
        return JsonColumn(offsets - first if first else offsets, data[first:last] if last - first < len(data) else data)
    wanted = "floating" if field_type is FieldType.NUMBER else "integer"
    if not (pa.types.is_float64(arrow.type) if wanted == "floating" else pa.types.is_signed_integer(arrow.type)):
        raise TakeError(
            path,
            tr(
                "{where} is of type {type}, expected {wanted} numbers; it was not opened",
                where=where,
                type=arrow.type,
                wanted=wanted,
            ),
        )
    chunk = arrow.combine_chunks()
    # by its buffer: asked for NumPy, Arrow would first load pandas where that is installed, which takes longer than opening
    kind = np.dtype(f"{'f' if wanted == 'floating' else 'i'}{arrow.type.bit_width // 8}")
    return np.frombuffer(chunk.buffers()[1], kind, len(chunk), chunk.offset * kind.itemsize)


def _constant(path: str, where: str, value: int | float, field_type: FieldType, rows: int) -> Column:
    if field_type is FieldType.NUMBER:
        return np.broadcast_to(np.float64(value), (rows,))
    if not isinstance(value, int) or not KEPT_INTEGER.hold(value):
        raise TakeError(
            path, tr("{where} is {value!r}, expected an integer; it was not opened", where=where, value=value)
        )
    return np.broadcast_to(np.int64(value).astype(ABSENT[field_type].dtype if abs(value) < 100 else np.int64), (rows,))


def _check_range(path: str, where: str, column: Any, limits: Limits) -> None:
    if len(column) and not (limits.hold(int(column.min())) and limits.hold(int(column.max()))):
        raise TakeError(path, tr("{where} points outside what the take has; it was not opened", where=where))
