"""Where the lines go: a file mapped into memory, a plain file or pipe, or a gzip file."""

from __future__ import annotations

import contextlib
import gzip
import mmap
import os
import stat
from typing import Any, Protocol


class Sink(Protocol):
    """Takes whole lines. Returns False, never raises, when they could not be written."""

    def write(self, data: bytes) -> bool:
        """Write whole lines at once."""

    def close(self) -> None:
        """Let go of the file; further writes fail quietly."""


class FileSink:
    """Writes to a file without a buffer of its own: what was written survives the game's death.

    A line cut by a full disk is ended before the next one, so that one bad moment costs one line.  A pipe that
    nobody reads, or reads too slowly, drops lines instead of holding the game up.
    """

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self._file: int | None = None
        self._torn = False
        self.trouble = ""
        """Why the file could not be opened or last written; empty while all is well."""
        try:
            self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC | os.O_NONBLOCK, 0o644)
        except (OSError, ValueError) as error:
            self.trouble = str(error)

    def write(self, data: bytes) -> bool:
        """Write whole lines; False when the disk is full or the file is gone."""
        if self._file is None:
            return False
        if self._torn:
            data = b"\n" + data
        try:
            written = os.write(self._file, data)
        except OSError as error:
            self.trouble = str(error)
            return False
        if written == len(data):
            self._torn = False
            return True
        self._torn = not data[:written].endswith(b"\n")
        self.trouble = "the disk took only part of the data"
        return False

    def close(self) -> None:
        """Close the file."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                os.close(self._file)
            self._file = None


WINDOW_BYTES = 256 * 1024
"""The file grows by this much at a time; a killed game leaves at most that many empty lines at its end."""

_FILLER = b"\n" * WINDOW_BYTES


class MappedSink:
    """Writes to a file through memory, so that a line costs no system call and survives the game's death.

    The kernel owns the pages: what was copied in is in the file even when the process is killed at that
    very moment.  The file is always extended by real newlines first (empty lines mean nothing in a
    stream), so a full disk shows itself there as an error and never as a fault when memory is touched.
    `close` cuts the newlines that were not used.
    """

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.trouble = ""
        self._file: int | None = None
        self._map: mmap.mmap | None = None
        self._window = 0
        """Where in the file the mapped window begins."""
        self._used = 0
        """Bytes of it that hold lines."""
        self._torn = False
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o644)
        try:
            self._next_window()
        except (OSError, ValueError) as error:
            self.trouble = str(error)

    def _next_window(self) -> None:
        if self._file is None:
            raise ValueError("the file is closed")
        start = self._window + (WINDOW_BYTES if self._map is not None else 0)
        # a window that the disk took only part of last time is written again in full
        written = os.pwrite(self._file, _FILLER, start)
        if written != WINDOW_BYTES:
            raise OSError("the disk took only part of the data")
        fresh = mmap.mmap(self._file, WINDOW_BYTES, offset=start)
        if self._map is not None:
            self._map.close()
        self._map, self._window, self._used = fresh, start, 0

    def write(self, data: bytes) -> bool:
        """Write whole lines; False when the disk is full or the file is closed."""
        try:
            if self._map is None:
                self._next_window()
            if self._torn:  # a full disk cut a line: end it first
                data = b"\n" + data
                self._torn = False
            while True:
                assert self._map is not None
                part = data[: WINDOW_BYTES - self._used]
                self._map[self._used : self._used + len(part)] = part
                self._used += len(part)
                data = data[len(part) :]
                if not data:
                    return True
                self._next_window()
        except (OSError, ValueError) as error:
            self.trouble = str(error)
            self._torn = True
            return False

    def lend(self) -> tuple[mmap.mmap, int] | None:
        """Lend the window's memory, and say how much of it is used: the borrower writes lines into it from there on.

        None where there is none, or where a torn line must be ended first.
        """
        return (self._map, self._used) if self._map is not None and not self._torn else None

    def taken_back(self, used: int) -> None:
        """Have the memory back, of which so much is used by now; the borrower has let go of it."""
        self._used = used

    def close(self) -> None:
        """Cut what was not used and close the file."""
        if self._file is None:
            return
        with contextlib.suppress(OSError, ValueError):
            if self._map is not None:
                self._map.close()
            os.ftruncate(self._file, self._window + self._used)
        with contextlib.suppress(OSError):
            os.close(self._file)
        self._file = self._map = None


class GzipSink:
    """Writes a gzip file; smaller, but the last moments before a crash may be missing from it."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.trouble = ""
        self._file: Any = None
        try:
            self._file = gzip.open(path, "wb", compresslevel=3)  # noqa: SIM115 - kept open until close
        except OSError as error:
            self.trouble = str(error)

    def write(self, data: bytes) -> bool:
        """Write whole lines; False when they could not be."""
        try:
            self._file.write(data)
        except (OSError, ValueError, AttributeError) as error:
            self.trouble = str(error)
            return False
        return True

    def forked(self) -> None:
        """In a process that was forked off: what it has of the file must not be written once more when it ends."""
        with contextlib.suppress(OSError, ValueError, AttributeError):
            nowhere = os.open(os.devnull, os.O_WRONLY | os.O_CLOEXEC)
            os.dup2(nowhere, self._file.fileno(), inheritable=False)
            os.close(nowhere)

    def close(self) -> None:
        """End the file properly."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._file.close()


def sink_for(path: str | os.PathLike[str]) -> Sink:
    """Return the sink a path asks for: ``….gz`` is compressed, a pipe or device is written plainly."""
    if os.fspath(path).endswith(".gz"):
        return GzipSink(path)
    try:
        if not os.path.exists(path) or stat.S_ISREG(os.stat(path).st_mode):
            return MappedSink(path)
    except (OSError, ValueError):
        pass  # the plain file will say what is wrong, and keep it
    return FileSink(path)
