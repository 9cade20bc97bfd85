"""Arrow tables as a saved take holds them: plain columns only, and nothing is decoded before that was seen.

An Arrow file may ask for far more memory than it takes (compressed buffers, dictionaries, runs, columns of nothing) and says
in a footer where its parts lie.  A take's tables need none of that: what is read here is the schema at the front and the
batches behind it, each looked at before it is decoded.  The footer is never believed.
"""

from __future__ import annotations

import struct
from typing import Any

from opossum.words import tr

MAGIC = b"ARROW1"
LEADING_BYTES = 8
"""What stands before the first message: the magic, padded."""
MOST_COLUMNS = 64
MOST_BATCHES = 64
"""Opossum writes one."""
_HEADER, _COMPRESSION = 2, 3
"""Places in the tables `Message` and `RecordBatch` of Arrow's Message.fbs."""


def plain_table(data: bytes) -> Any:
    """Return the table (pyarrow.Table) of an Arrow file that holds plain columns of integers, floats or large strings.

    Raises:
        ValueError: it holds something else; the message names it.
        pyarrow.ArrowException: it is no Arrow file, or damaged.
    """
    import pyarrow as pa

    if data[: len(MAGIC)] != MAGIC:
        raise ValueError(tr("it is no Arrow file"))
    reader = pa.ipc.MessageReader.open_stream(pa.py_buffer(data)[LEADING_BYTES:])
    message = _next_message(reader)
    if message is None or message.type != "schema":
        raise ValueError(tr("it does not begin with a schema"))
    schema = pa.ipc.read_schema(message)
    _refuse_other_columns(schema)
    batches: list[Any] = []
    while (message := _next_message(reader)) is not None:
        if message.type != "record batch":
            raise ValueError(tr("it holds a {type}, which no take has", type=message.type))
        if len(batches) >= MOST_BATCHES:
            raise ValueError(tr("it holds more than {most_batches} batches", most_batches=MOST_BATCHES))
        if _field(message.metadata.to_pybytes(), (_HEADER, _COMPRESSION)):
            raise ValueError(tr("it is compressed, which no take's table is"))
        batches.append(pa.ipc.read_record_batch(message, schema))
    table = pa.Table.from_batches(batches, schema)
    table.validate(full=True)
    return table


def _next_message(reader: Any) -> Any:
    try:
        return reader.read_next_message()
    except StopIteration:
        return None


def _refuse_other_columns(schema: Any) -> None:
    import pyarrow as pa

    if len(schema) > MOST_COLUMNS:
        raise ValueError(tr("it has more than {most_columns} columns", most_columns=MOST_COLUMNS))
    if len(set(schema.names)) != len(schema):
        raise ValueError(tr("it has two columns of one name"))
    for field in schema:
        kind = field.type
        plain = pa.types.is_signed_integer(kind) or pa.types.is_float64(kind) or kind == pa.large_string()
        if not plain:
            raise ValueError(
                tr("column `{name}` is of type {kind}, which no take's is", name=field.name[:40], kind=str(kind)[:40])
            )


def _field(text: bytes, path: tuple[int, ...]) -> int:
    """Return where the last of some tables, each a field of the one before it, lies in a flatbuffer; 0 where one is absent.

    Tables begin with how far back their list of fields lies, which says where in the table each field is (FlatBuffers'
    internals, "Tables").
    """
    try:
        at = struct.unpack_from("<I", text, 0)[0]
        for number in path:
            fields = at - struct.unpack_from("<i", text, at)[0]
            size = struct.unpack_from("<H", text, fields)[0]
            place = 4 + 2 * number
            offset = struct.unpack_from("<H", text, fields + place)[0] if place < size else 0
            if not offset:
                return 0
            at += offset
            at += struct.unpack_from("<I", text, at)[0]
    except struct.error:
        raise ValueError(tr("a message in it is damaged")) from None
    return at
