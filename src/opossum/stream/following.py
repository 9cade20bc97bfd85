"""Following a stream that is still being written."""

from __future__ import annotations

import os

from opossum.stream.reading import BATCH_BYTES, StreamContents, StreamError, StreamReader


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
            size = os.path.getsize(self.path)
            if size < self._offset:
                raise StreamError(self.path, "the file has become shorter: another recording has begun; open it again")
            grown = False
            with open(self.path, "rb") as file:
                file.seek(self._offset)
                while data := file.read(BATCH_BYTES):
                    kept = data.rstrip(b"\n\0")
                    kept = data[: len(kept) + 1]  # with the newline that ends its last line
                    if not kept.strip():
                        if not file.read(1):
                            break
                        file.seek(-1, os.SEEK_CUR)
                        kept = data
                    self._reader.feed(kept)
                    self._offset += len(kept)
                    grown = True
                    if len(kept) < len(data):
                        if not file.read(BATCH_BYTES).strip():
                            break
                        file.seek(self._offset)
        except OSError as error:
            raise StreamError(self.path, f"cannot be read ({error.strerror or error})") from None
        return grown

    def contents(self) -> StreamContents:
        """Return all that has been read so far."""
        return self._reader.contents()
