"""Arrow tables as a saved take holds them: plain columns only, and nothing is decoded before that was seen.

An Arrow file may ask for far more memory than it takes (compressed buffers, dictionaries, runs, columns of nothing) and says
in a footer where its parts lie.  A take's tables need none of that: what is read here is the schema at the front and the
batches behind it, each looked at before it is decoded.  The footer is never believed.
"""

from __future__ import annotations

import struct
from typing import Any

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
        raise ValueError("it is no Arrow file")
    reader = pa.ipc.MessageReader.open_stream(pa.py_buffer(data)[LEADING_BYTES:])
    message = _next_message(reader)
    if message is None or message.type != "schema":
        raise ValueError("it does not begin with a schema")
    schema = pa.ipc.read_schema(message)
    _refuse_other_columns(schema)
    batches: list[Any] = []
    while (message := _next_message(reader)) is not None:
        if message.type != "record batch":
            raise ValueError(f"it holds a {message.type}, which no take has")
        if len(batches) >= MOST_BATCHES:
            raise ValueError(f"it holds more than {MOST_BATCHES} batches")
        if _field(message.metadata.to_pybytes(), (_HEADER, _COMPRESSION)):
            raise ValueError("it is compressed, which no take's table is")
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
        raise ValueError(f"it has more than {MOST_COLUMNS} columns")
    if len(set(schema.names)) != len(schema):
        raise ValueError("it has two columns of one name")
    for field in schema:
        kind = field.type
        plain = pa.types.is_signed_integer(kind) or pa.types.is_float64(kind) or kind == pa.large_string()
        if not plain:
            raise ValueError(f"column `{field.name[:40]}` is of type {str(kind)[:40]}, which no take's is")


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
        raise ValueError("a message in it is damaged") from None
    return at
