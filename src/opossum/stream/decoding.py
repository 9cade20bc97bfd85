"""Decoding lines of a stream into records, quickly when they are sound and line by line when not."""

from __future__ import annotations

import re
from typing import Annotated, Any, Union

import msgspec

from opossum.stream.damage import DamageLog
from opossum.stream.kinds import KINDS, FieldType
from opossum.stream.limits import LARGEST_NUMBER, LIMITS, WRITTEN_TIME, Limits


def _within(limits: Limits) -> Any:
    return Annotated[int, msgspec.Meta(ge=limits.least, le=limits.greatest)]


_Integer = _within(LIMITS[FieldType.COUNT])
_Time = _within(WRITTEN_TIME)
_Id = _within(LIMITS[FieldType.ID])
_Number = Annotated[float, msgspec.Meta(ge=-LARGEST_NUMBER, le=LARGEST_NUMBER)]

_PYTHON_TYPES: dict[FieldType, tuple[Any, Any]] = {
    FieldType.ID: (_Id | None, None),
    FieldType.COUNT: (_Integer | None, None),
    FieldType.NUMBER: (_Number | None, None),
    FieldType.FLAG: (bool | None, None),
    FieldType.TEXT: (str | None, None),
    FieldType.JSON: (msgspec.Raw, msgspec.Raw()),
}
_REQUIRED_TYPES: dict[FieldType, Any] = {
    FieldType.ID: _Id,
    FieldType.COUNT: _Integer,
    FieldType.NUMBER: _Number,
    FieldType.FLAG: bool,
    FieldType.TEXT: str,
    FieldType.JSON: msgspec.Raw,
}


def _record_type(kind_name: str) -> type[msgspec.Struct]:
    fields: list[Any] = []
    kind = KINDS[kind_name]
    fields += [(f.name, _REQUIRED_TYPES[f.type]) for f in kind.fields if f.required]
    fields += [("t", _Time | None, None), ("p", str | None, None), ("th", str | None, None)]
    fields += [(f.name, *_PYTHON_TYPES[f.type]) for f in kind.fields if not f.required]
    # gc=False: records hold no cycles, and a million of them would keep the collector busy
    return msgspec.defstruct(f"{kind_name.title()}Record", fields, tag=kind_name, tag_field="k", gc=False)


RECORD_TYPES: dict[str, type[msgspec.Struct]] = {name: _record_type(name) for name in KINDS}
KIND_OF_TYPE: dict[type, str] = {record_type: name for name, record_type in RECORD_TYPES.items()}

_decoder = msgspec.json.Decoder(Union[tuple(RECORD_TYPES.values())])  # noqa: UP007 - built at run time


class _AnyKind(msgspec.Struct):
    k: str


_kind_decoder = msgspec.json.Decoder(_AnyKind)
_HEAD_BEGINS = re.compile(rb'\{\s*"k"\s*:\s*"head"')
_WHERE = re.compile(r" - at `\$\.?(.*)`$")


def decode_all(lines: bytes) -> list[Any] | None:
    """Return every record of `lines` (newline-separated), or None if any of them is not sound."""
    try:
        return _decoder.decode_lines(lines)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None


def decode_each(lines: list[bytes], first_line: int, damage: DamageLog) -> tuple[list[Any], list[int]]:
    """Return (records, their line numbers) of the sound ones among `lines`; tell the others to `damage`."""
    records: list[Any] = []
    numbers: list[int] = []
    for number, line in enumerate(lines, first_line):
        text = line.strip()
        if not text:
            continue
        try:
            records.append(_decoder.decode(text))
            numbers.append(number)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
            damage.add(*_diagnosis(text, error), line=number)
            if (head := _head_within(text)) is not None:
                records.append(head)
                numbers.append(number)
    return records, numbers


def _head_within(line: bytes) -> Any | None:
    """Return the head that follows upon a torn line without a break: what a game that died left must not swallow the next."""
    found = _HEAD_BEGINS.search(line, 1)
    if found is None:
        return None
    try:
        return _decoder.decode(line[found.start() :])
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None


def _diagnosis(line: bytes, error: Exception) -> tuple[str, str]:
    """Return (code, sentence) for a line that could not become a record."""
    if isinstance(error, RecursionError):
        return "too-deep", "line nested too deeply to be read; it was left out"
    try:
        line.decode("utf-8")
    except UnicodeDecodeError:
        return "not-utf8", "line that is not valid UTF-8; it was left out"
    try:
        kind = _kind_decoder.decode(line).k
    except msgspec.ValidationError:
        return "no-kind", "line without a kind (`k`), so it is no record; it was left out"
    except (msgspec.DecodeError, RecursionError):
        return "not-json", "line that is not one JSON object; it was left out"
    if kind not in KINDS:
        return "unknown-kind", f"record of the unknown kind `{kind[:40]}`; it was left out"
    message = str(error)
    where = _WHERE.search(message)
    expected = _WHERE.sub("", message)[:160]
    if where and where.group(1):
        return "wrong-field", f"`{kind}` record whose `{where.group(1)}` is wrong ({expected}); it was left out"
    return "wrong-record", f"`{kind}` record that is wrong ({expected}); it was left out"
