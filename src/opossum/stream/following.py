"""Following a stream that is still being written."""

from __future__ import annotations

import os
from typing import BinaryIO

from opossum.stream.contents import StreamContents, StreamError
from opossum.stream.files import BATCH_BYTES
from opossum.stream.reading import StreamReader
from opossum.words import tr

_FILLER = b"\n\0"
_BLOCK_BYTES = 64 * 1024


class FollowedStream:
    """Reads what is there, and later what has come; asks for nothing while nothing comes.

    Recorders may write empty lines ahead of themselves and overwrite them later (so that a line costs no
    system call); empty lines at the end are therefore not taken until something follows them.
    """

    def __init__(self, path: str) -> None:
        self.path = path
        self._offset = 0
        self._reader = StreamReader(path)

    @property
    def records(self) -> int:
        """Return how many records have been read."""
        return self._reader.records

    def read_more(self) -> bool:
        """Read what has come since; say whether anything has.

        Raises:
            StreamError: the file is gone, cannot be read, or has become shorter (another recording began).
        """
        try:
            with open(self.path, "rb") as file:
                end = _content_end(file, self._offset)
                if end < self._offset:
                    raise StreamError(
                        self.path, tr("the file has become shorter: another recording has begun; open it again")
                    )
                grown = end > self._offset
                file.seek(self._offset)
                while self._offset < end:
                    data = file.read(min(BATCH_BYTES, end - self._offset))
                    if not data:
                        break
                    self._reader.feed(data)
                    self._offset += len(data)
        except OSError as error:
            raise StreamError(self.path, tr("cannot be read ({why})", why=error.strerror or error)) from None
        return grown

    def contents(self) -> StreamContents:
        """Return all that has been read so far."""
        return self._reader.contents()


def _content_end(file: BinaryIO, offset: int) -> int:
    """Return where the lines end and the empty ones written ahead begin (the file's end, if there are none).

    A last line that empty ones follow although it is not whole is being written right now: it is left out.
    """
    size = file.seek(0, os.SEEK_END)
    end = size
    while end > offset:
        start = max(offset, end - _BLOCK_BYTES)
        file.seek(start)
        block = file.read(end - start)
        kept = block.rstrip(_FILLER)
        if not kept:
            end = start
            continue
        end = start + len(kept)
        if end + 1 < size and not kept.endswith(b"}"):
            line_start = kept.rfind(b"\n") + 1
            return start + line_start
        return min(end + 1, size)
    return end if size >= offset else size
