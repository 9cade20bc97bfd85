"""A stream's bytes as they come from its file: plain or compressed, in portions, within bounds."""

from __future__ import annotations

import sys
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

from opossum.stream.contents import StreamError
from opossum.stream.damage import DamageLog
from opossum.words import tr

BATCH_BYTES = 1 << 20
"""Bytes decoded at once: large enough to forget the cost of a batch, small enough to stay in cache."""

MOST_EXPANSION, FREE_EXPANSION = 200, 256 << 20
"""Compressed bytes become at most so many times as many, once they have become more than that: streams become 10 to 40."""

GZIP_MAGIC = b"\x1f\x8b"
GZIP_WINDOW = 31  # zlib: the largest window, with a gzip header


def open_bytes(path: str) -> BinaryIO:
    """Open a stream's file for reading; ``-`` is standard input.

    Raises:
        StreamError: there is nothing there that could be a stream.
    """
    if path == "-":
        return sys.stdin.buffer
    where = Path(path)
    if where.is_dir():
        raise StreamError(path, tr("this is a folder; name the stream or take inside it"))
    try:
        return where.open("rb")
    except FileNotFoundError:
        raise StreamError(path, tr("there is no such file; check the name")) from None
    except OSError as error:
        raise StreamError(
            path, tr("cannot be read ({why}); check the file's permissions", why=error.strerror or error)
        ) from None


def portions_of(file: BinaryIO, damage: DamageLog) -> Iterator[bytes]:
    """Yield the stream's bytes in portions, unpacked if they are gzip (known by its first bytes)."""
    packed: Any = None
    begun = False
    taken = made = 0
    while True:
        try:
            data = file.read(BATCH_BYTES)
        except OSError as error:
            damage.add("unreadable", f"file cannot be read further ({error.strerror or error})")
            return
        if not data:
            break
        if not begun:
            begun = True
            packed = zlib.decompressobj(GZIP_WINDOW) if data[:2] == GZIP_MAGIC else None
        if packed is None:
            yield data
            continue
        taken += len(data)
        while data:
            try:
                plain = packed.decompress(data, BATCH_BYTES)
            except zlib.error:
                damage.add("gzip-broken", "compressed file is broken; what came before was read")
                return
            made += len(plain)
            if made > max(FREE_EXPANSION, MOST_EXPANSION * taken):
                damage.add(
                    "gzip-bomb",
                    f"compressed file becomes more than {MOST_EXPANSION} times as large, as no stream does; the rest was left out",
                )
                return
            if plain:
                yield plain
            data = packed.unconsumed_tail
            if packed.eof:  # gzip files may stand end to end
                data = packed.unused_data
                packed = zlib.decompressobj(GZIP_WINDOW)
                begun = bool(data)
    if packed is not None and begun and not packed.eof:
        damage.add("gzip-cut", "compressed file ends early; what came before was read")


def refuse_other_kinds(path: str, start: bytes) -> None:
    """See that what a file begins with may be a stream.

    Raises:
        StreamError: it is another kind of file.
    """
    for magic, name in (
        (b"PK\x03\x04", tr("a ZIP archive")),
        (b"\x89PNG", tr("a picture")),
        (b"%PDF", tr("a PDF document")),
        (b"\x7fELF", tr("a program")),
        (b"SQLite format", tr("a database")),
    ):
        if start.startswith(magic):
            raise StreamError(
                path, tr("this is {name}, not an event-flow stream; give a .flow.jsonl or .take file", name=name)
            )
    if b"\0" in start[:512].strip(b"\0"):
        raise StreamError(path, tr("this is a binary file, not an event-flow stream; give a .flow.jsonl or .take file"))
