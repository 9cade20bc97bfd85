"""The kinds of records of a stream, version 1, described as data.

Reader, writer, `.take` file and documentation walk this one table, so a new field is one line here.
"""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

STREAM_VERSION = 1


class FieldType(Enum):
    """How a field is kept in a column, and what stands for "absent" there."""

    ID = "id"  # a positive integer naming something, 0 where absent
    COUNT = "count"  # an integer, -1 where absent
    NUMBER = "number"  # a float, NaN where absent (JSON has no NaN, so none is lost)
    FLAG = "flag"  # 0 or 1, -1 where absent
    TEXT = "text"  # an index into the take's strings, -1 where absent
    JSON = "json"  # any JSON value as its own text, empty where absent


class Field(NamedTuple):
    """One field of a kind: its name in the stream, how it is kept, and whether it must be there."""

    name: str
    type: FieldType
    required: bool = False


class Kind(NamedTuple):
    """One kind of record: the value of `k`, and its fields besides `t`, `p` and `th`."""

    name: str
    fields: tuple[Field, ...]


def _kind(name: str, declaration: str) -> Kind:
    """Build a kind from words such as ``id:s! text:ev! text:o`` (``!`` marks a required field)."""
    fields = []
    for word in declaration.split():
        type_name, _, field_name = word.partition(":")
        required = field_name.endswith("!")
        fields.append(Field(field_name.rstrip("!"), FieldType(type_name), required))
    return Kind(name, tuple(fields))


KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        _kind(
            "head",
            "count:opossum! text:game text:peer text:engine flag:holds number:hz json:phases json:waits "
            "text:started text:lang count:pid text:build text:host json:seed",
        ),
        _kind("frame", "count:n! number:dt"),
        _kind("idle", "count:cpu count:ready"),
        _kind("phase", "text:name!"),
        _kind("spawn", "text:o! text:cls text:parent id:c"),
        _kind("gone", "text:o! id:c"),
        _kind("bind", "id:b! text:ev! text:o text:fn text:src text:at id:c text:via"),
        _kind("unbind", "id:b! id:c"),
        _kind(
            "send",
            "id:s! text:ev! text:o id:c text:via json:d text:at id:a id:y text:mark number:pos text:q "
            "text:net text:key text:edge text:route text:to number:due",
        ),
        _kind("call", "id:c! id:s! id:b text:o text:fn text:at"),
        _kind("ret", "id:c! count:eff count:own text:err"),
        _kind("put", "text:q! id:s! id:c"),
        _kind("pull", "text:q! id:s!"),
        _kind(
            "arm",
            "id:a! text:what! text:o text:ev number:sec count:frames flag:loop flag:paused id:c text:at",
        ),
        _kind("pause", "id:a! id:c"),
        _kind("resume", "id:a! id:c"),
        _kind("disarm", "id:a! text:how id:c"),
        _kind("play", "id:y! text:o text:clip! number:len json:marks number:rate text:what number:from id:c"),
        _kind("stop", "id:y! text:how number:pos id:c"),
        _kind("wait", "id:w! text:o text:ev id:c"),
        _kind("met", "id:w! id:s"),
        _kind("quit", "id:w!"),
        _kind("watch", "text:o text:name! json:v!"),
        _kind("say", "text:text! text:level text:o"),
        _kind("stuck", "number:sec json:stack id:c"),
        _kind("spin", "text:at count:n id:c"),
        _kind("clock", "number:v number:rate"),
        _kind("held", "id:trip id:c json:stack"),
        _kind("went", ""),
        _kind("lost", "count:n text:why"),
        _kind("bye", ""),
    )
}
