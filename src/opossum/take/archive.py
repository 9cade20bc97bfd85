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
import zipfile
from typing import Any

import msgspec
import numpy as np

from opossum.stream.contents import PeerSpan
from opossum.stream.damage import Damage
from opossum.stream.kinds import KINDS, FieldType
from opossum.stream.limits import ANY_INTEGER, LIMITS, LINE, TIME, Limits
from opossum.stream.tables import ABSENT, COMMON_FIELDS, Column, JsonColumn, Table, absent_column
from opossum.take.recording import Recording
from opossum.take.take import Take
from opossum.whole_file import whole_file

FORMAT = "opossum-take"
FORMAT_VERSION = 1
MANIFEST = "manifest.json"
STRINGS = "strings.arrow"

LARGEST_MANIFEST = 64 << 20
LARGEST_MEMBER = 16 << 30
"""Bounds on what a hostile file can make us hold (10 million records take about 0.4 GB)."""

_COMMON_TYPES = dict.fromkeys(COMMON_FIELDS, FieldType.COUNT)


class TakeError(ValueError):
    """A `.take` file is refused. `path` is the file, `reason` what to know and do."""

    def __init__(self, path: str, reason: str) -> None:
        super().__init__(f"{path}: {reason}")
        self.path = path
        self.reason = reason


class _TableEntry(msgspec.Struct):
    rows: int
    constants: dict[str, int | float] = {}


class _Manifest(msgspec.Struct):
    format: str
    version: int
    name: str = "take"
    game: str = ""
    peers: list[PeerSpan] = []
    sources: list[tuple[str, int]] = []
    damage: list[Damage] = []
    tables: dict[str, _TableEntry] = {}


def save_take(take: Take, path: str | os.PathLike[str]) -> None:
    """Write `take` to `path` as one `.take` file; a file already there is replaced only when all is written.

    Raises:
        OSError: the file cannot be written; what was there before is untouched.
    """
    with whole_file(path) as file:
        _write_archive(take, file)


def _write_archive(take: Take, file: Any) -> None:
    import pyarrow as pa

    entries: dict[str, _TableEntry] = {}
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        for kind, table in take.tables.items():
            entry = _TableEntry(len(table))
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
                    columns[name] = pa.array(column)
            if columns:
                archive.writestr(_member(f"tables/{kind}.arrow"), _arrow_bytes(pa.table(columns)))
        texts = pa.array(take.strings, pa.large_string())
        archive.writestr(_member(STRINGS), _arrow_bytes(pa.table({"text": texts})))
        manifest = _Manifest(
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
    except (zipfile.BadZipFile, EOFError, NotImplementedError) as error:
        raise TakeError(name, f"the file is damaged ({error}); record or convert the take again") from None
    except OSError as error:
        raise TakeError(name, f"cannot be read ({error.strerror or error})") from None


def _read_archive(archive: zipfile.ZipFile, path: str) -> Take:
    import pyarrow as pa

    expected = {MANIFEST, STRINGS} | {f"tables/{kind}.arrow" for kind in KINDS}
    sizes = {info.filename: info.file_size for info in archive.infolist()}
    for info in archive.infolist():
        if info.filename not in expected:
            raise TakeError(path, f"the file holds `{info.filename[:80]}`, which no take has; it was not opened")
        if info.file_size > LARGEST_MEMBER or info.compress_type != zipfile.ZIP_STORED:
            raise TakeError(path, f"`{info.filename}` in it is packed or sized as no take's is; it was not opened")
        if info.file_size > os.path.getsize(path):
            raise TakeError(path, f"`{info.filename}` in it says it is larger than the file; it was not opened")
    if MANIFEST not in sizes or STRINGS not in sizes:
        raise TakeError(
            path, "this is a ZIP file but not a take (it has no manifest); give a .take or .flow.jsonl file"
        )
    if sizes[MANIFEST] > LARGEST_MANIFEST:
        raise TakeError(path, "its manifest is larger than any take's; it was not opened")
    try:
        manifest = msgspec.json.decode(archive.read(MANIFEST), type=_Manifest)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise TakeError(path, f"its manifest is not a take's ({str(error)[:120]})") from None
    if manifest.format != FORMAT:
        raise TakeError(path, f"its manifest says `{manifest.format[:40]}`, not `{FORMAT}`; it was not opened")
    if manifest.version > FORMAT_VERSION:
        raise TakeError(path, f"it was saved by a newer Opossum (format {manifest.version}); update Opossum to open it")
    try:
        texts = _arrow_table(archive, STRINGS)
        if texts.column_names != ["text"]:
            raise TakeError(path, "its strings are not one column `text`; it was not opened")
        strings = texts.column("text").to_pylist()
        if not all(type(text) is str for text in strings):
            raise TakeError(path, "its strings hold something that is no text; it was not opened")
        tables = {
            kind: _read_table(
                archive, path, kind, manifest.tables.get(kind, _TableEntry(0)), sizes, manifest, len(strings)
            )
            for kind in KINDS
        }
    except (pa.ArrowException, ValueError, OverflowError, MemoryError, OSError) as error:
        if isinstance(error, TakeError):
            raise
        raise TakeError(path, f"a table in it is damaged ({str(error)[:120]}); it was not opened") from None
    recording = Recording(tables, strings, manifest.peers, manifest.damage, manifest.sources)
    return Take(recording, manifest.name)


def _arrow_table(archive: zipfile.ZipFile, member: str) -> Any:
    import pyarrow as pa

    table = pa.ipc.open_file(pa.py_buffer(archive.read(member))).read_all()
    table.validate(full=True)
    return table


def _read_table(
    archive: zipfile.ZipFile,
    path: str,
    kind: str,
    entry: _TableEntry,
    sizes: dict[str, int],
    manifest: _Manifest,
    string_count: int,
) -> Table:
    member = f"tables/{kind}.arrow"
    where = f"table `{kind}`"
    arrow = _arrow_table(archive, member) if member in sizes and entry.rows else None
    # rows are believed only as far as there are bytes behind them, one lone row aside
    if entry.rows < 0 or (arrow is None and entry.rows > 1) or (arrow is not None and arrow.num_rows != entry.rows):
        raise TakeError(path, f"{where} does not have the {entry.rows:,} rows its manifest says; it was not opened")
    types = _COMMON_TYPES | {field.name: field.type for field in KINDS[kind].fields}
    columns: dict[str, Column] = {}
    for name, field_type in types.items():
        if arrow is not None and name in arrow.column_names:
            columns[name] = _column(path, f"{where}, column `{name}`", arrow.column(name), field_type)
        elif name in entry.constants and field_type is not FieldType.JSON:
            columns[name] = _constant(path, f"{where}, column `{name}`", entry.constants[name], field_type, entry.rows)
        elif name in ("line", "t", "p") and entry.rows:
            raise TakeError(path, f"{where} has no column `{name}`; it was not opened")
        else:
            columns[name] = absent_column(field_type, entry.rows)
        if limits := _limits_of(name, field_type, string_count, len(manifest.peers)):
            _check_range(path, f"{where}, column `{name}`", columns[name], limits)
    return Table(kind, entry.rows, columns)


def _limits_of(name: str, field_type: FieldType, string_count: int, peer_count: int) -> Limits | None:
    """Return what a column may hold, what stands for "absent" included; None where any value will do."""
    if field_type is FieldType.TEXT or name == "th":
        return Limits(-1, string_count - 1)
    common = {"p": Limits(0, peer_count - 1), "line": LINE, "t": TIME}
    if name in common:
        return common[name]
    limits = LIMITS.get(field_type)
    return limits and Limits(min(limits.least, int(ABSENT[field_type])), limits.greatest)


def _column(path: str, where: str, arrow: Any, field_type: FieldType) -> Column:
    import pyarrow as pa

    if arrow.null_count:
        raise TakeError(path, f"{where} holds nulls, which no take has; it was not opened")
    if field_type is FieldType.JSON:
        if arrow.type != pa.large_string():
            raise TakeError(path, f"{where} is of type {arrow.type}, expected large_string; it was not opened")
        chunk = arrow.combine_chunks()
        buffers = chunk.buffers()
        offsets = np.frombuffer(buffers[1], np.int64, len(chunk) + 1, chunk.offset * 8)
        return JsonColumn(offsets, buffers[2].to_pybytes() if buffers[2] is not None else b"")
    wanted = "floating" if field_type is FieldType.NUMBER else "integer"
    if not (pa.types.is_float64(arrow.type) if wanted == "floating" else pa.types.is_signed_integer(arrow.type)):
        raise TakeError(path, f"{where} is of type {arrow.type}, expected {wanted} numbers; it was not opened")
    return arrow.combine_chunks().to_numpy(zero_copy_only=False)


def _constant(path: str, where: str, value: int | float, field_type: FieldType, rows: int) -> Column:
    if field_type is FieldType.NUMBER:
        return np.broadcast_to(np.float64(value), (rows,))
    if not isinstance(value, int) or not ANY_INTEGER.hold(value):
        raise TakeError(path, f"{where} is {value!r}, expected an integer; it was not opened")
    return np.broadcast_to(np.int64(value).astype(ABSENT[field_type].dtype if abs(value) < 100 else np.int64), (rows,))


def _check_range(path: str, where: str, column: Any, limits: Limits) -> None:
    if len(column) and not (limits.hold(int(column.min())) and limits.hold(int(column.max()))):
        raise TakeError(path, f"{where} points outside what the take has; it was not opened")
