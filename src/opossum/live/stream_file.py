"""The file that a receiver writes: whole lines, on disk at once, until the disk takes no more."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from opossum.live.greeting import Refused
from opossum.whole_file import on_disk

MOST_BYTES = 64 << 30


class StreamFile:
    """All peers' lines in the order they came."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        """Prepare to write to a file; nothing is there before `open`."""
        self.path = Path(path)
        self._file = -1
        self.bytes = 0
        """How much was written."""
        self.trouble = ""
        """Why nothing more can be written; empty while all is well."""

    def open(self) -> None:
        """Make the file.

        Raises:
            OSError: it cannot be made.
        """
        self._file = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)

    def keep(self, lines: bytes) -> None:
        """Put lines on disk, as many whole ones as it takes.

        Raises:
            Refused: they cannot all be written; nothing can be from then on.
        """
        if self.trouble:
            raise Refused(self.trouble)
        if self.bytes + len(lines) > MOST_BYTES:
            raise Refused(f"the recording has reached {MOST_BYTES >> 30} GiB")
        rest = memoryview(lines)
        try:
            while rest:
                rest = rest[os.write(self._file, rest) :]
        except OSError as error:
            self.bytes += lines.rfind(b"\n", 0, len(lines) - len(rest)) + 1
            with contextlib.suppress(OSError):
                os.ftruncate(self._file, self.bytes)  # no torn line
                os.lseek(self._file, self.bytes, os.SEEK_SET)
            self.trouble = (
                f"{self.path} cannot be written further ({error.strerror or error}); what came before is kept"
            )
            raise Refused(self.trouble) from None
        self.bytes += len(lines)

    def close(self) -> None:
        """See that all is on the disk, and close the file."""
        if self._file >= 0:
            with contextlib.suppress(OSError):
                on_disk(self._file, self.path)
            os.close(self._file)
            self._file = -1
