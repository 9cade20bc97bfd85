"""Where the lines go: a file mapped into memory, a plain file or pipe, or a gzip file."""

from __future__ import annotations

import contextlib
import errno
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
        self._whole = 0
        """Bytes that are whole lines, in a file that is one."""
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
            # after a torn line that could not be taken back, more is there than was written whole
            self._whole = self._place() if self._torn else self._whole + written
            self._torn = False
            return True
        self.trouble = "the disk took only part of the data"
        try:
            os.ftruncate(self._file, self._whole)  # no line is half there
            os.lseek(self._file, self._whole, os.SEEK_SET)
            self._torn = False
        except OSError:  # a pipe: what has gone has gone
            self._torn = not data[:written].endswith(b"\n")
        return False

    def _place(self) -> int:
        try:
            return os.lseek(self._file, 0, os.SEEK_CUR) if self._file is not None else 0
        except OSError:  # a pipe
            return 0

    def close(self) -> None:
        """Close the file."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                os.close(self._file)
            self._file = None


WINDOW_BYTES = 256 * 1024
"""The file grows by this much at a time; a killed game leaves at most that many empty lines at its end."""
LAST_WORDS_BYTES = 1024
"""Of the last window so much is kept for saying what was lost, and the end, where the disk takes no more."""

_FILLER = b"\n" * WINDOW_BYTES


class MappedSink:
    """Writes to a file through memory, so that a line costs no system call and survives the game's death.

    The kernel owns the pages: what was copied in is in the file even when the process is killed at that
    very moment.  The file is always extended by real newlines first (empty lines mean nothing in a
    stream), so a full disk shows itself there as an error, before a line is begun, and never as a fault when memory
    is touched.  `close` cuts the newlines that were not used, and waits until all is on the disk.
    """

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.trouble = ""
        self.earlier_trouble = ""
        """Why lines could not be written when that was last so, though it may be over."""
        self._path = path
        self._file: int | None = None
        self._map: mmap.mmap | None = None
        self._following: list[mmap.mmap] = []
        """Windows after it that are mapped already."""
        self._window = 0
        """Where in the file the mapped window begins."""
        self._used = 0
        """Bytes of it that hold lines."""
        self._extended = 0
        """How far the file holds newlines that were not used yet."""
        self._last_words = False
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o644)
        try:
            self._extend(WINDOW_BYTES)
            self._map = self._mapped(0)
        except (OSError, ValueError) as error:
            self.trouble = str(error)

    def _extend(self, end: int) -> None:
        """See that the file holds newlines up to `end`, in whole windows."""
        if self._file is None:
            raise ValueError("the file is closed")
        while self._extended < end:
            # a window that the disk took only part of last time is written again in full
            if os.pwrite(self._file, _FILLER, self._extended) != WINDOW_BYTES:
                raise OSError(errno.ENOSPC, "the disk took only part of the data")
            self._extended += WINDOW_BYTES
            self.trouble = ""

    def _mapped(self, start: int) -> mmap.mmap:
        if self._file is None:
            raise ValueError("the file is closed")
        return mmap.mmap(self._file, WINDOW_BYTES, offset=start)

    def write(self, data: bytes) -> bool:
        """Write whole lines, all of them or none; False when the disk is full or the file is closed."""
        try:
            if self._map is None:
                self._extend(WINDOW_BYTES)
                self._map = self._mapped(0)
            end = self._used + len(data)
            needed = (end + (0 if self._last_words else LAST_WORDS_BYTES) - 1) // WINDOW_BYTES
            # every window that is needed is there before a byte is copied: no line is half written
            self._extend(self._window + (needed + 1) * WINDOW_BYTES)
            while len(self._following) < needed:
                self._following.append(self._mapped(self._window + (len(self._following) + 1) * WINDOW_BYTES))
        except (OSError, ValueError) as error:
            self.trouble = self.earlier_trouble = str(error)
            return False
        rest = memoryview(data)
        while True:
            part = rest[: WINDOW_BYTES - self._used]
            self._map[self._used : self._used + len(part)] = part
            self._used += len(part)
            rest = rest[len(part) :]
            if not rest:
                return True
            self._map.close()
            self._map, self._window, self._used = self._following.pop(0), self._window + WINDOW_BYTES, 0

    def lend(self) -> tuple[memoryview, int] | None:
        """Lend the window's memory, and say how much of it is used: the borrower writes lines into it from there on.

        None where there is none.
        """
        if self._map is None:
            return None
        room = WINDOW_BYTES if self._last_words or self._following else LENT_BYTES
        return memoryview(self._map)[: max(room, self._used)], self._used

    def taken_back(self, used: int) -> None:
        """Have the memory back, of which so much is used by now; the borrower has let go of it."""
        self._used = used

    def begin_last_words(self) -> None:
        """What is written from now on may fill what was kept for it."""
        self._last_words = True

    def close(self) -> None:
        """Cut what was not used, see that all is on the disk, and close the file."""
        if self._file is None:
            return
        with contextlib.suppress(OSError, ValueError):
            for window in (*self._following, *([self._map] if self._map is not None else [])):
                window.close()
            os.ftruncate(self._file, self._window + self._used)
        try:
            os.fsync(self._file)
            _folder_on_disk(self._path)
        except OSError as error:
            self.trouble = str(error)
        with contextlib.suppress(OSError):
            os.close(self._file)
        self._file = self._map = None


LENT_BYTES = WINDOW_BYTES - LAST_WORDS_BYTES


def _folder_on_disk(path: str | os.PathLike[str]) -> None:
    """See that a new file's name survives the machine's death; some file systems know no such thing.

    As in `opossum.whole_file`, which a game's environment does not have.
    """
    folder = os.open(os.path.dirname(os.path.abspath(path)), os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(folder)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP):
            raise
    finally:
        os.close(folder)


class GzipSink:
    """Writes a gzip file; smaller, but the last moments before a crash may be missing from it."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.trouble = ""
        self._path = path
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
        """End the file properly, and see that it is on the disk."""
        if self._file is None:
            return
        try:
            below = os.dup(self._file.fileno())
            try:
                self._file.close()
                os.fsync(below)
                _folder_on_disk(self._path)
            finally:
                os.close(below)
        except (OSError, ValueError) as error:
            self.trouble = str(error)


def sink_for(path: str | os.PathLike[str]) -> Sink:
    """Return the sink a path asks for: ``….gz`` is compressed, a pipe or device is written plainly."""
    if os.fspath(path).endswith(".gz"):
        return GzipSink(path)
    try:
        if not os.path.exists(path) or stat.S_ISREG(os.stat(path).st_mode):
            mapped = MappedSink(path)
            if mapped.lend() is not None:
                return mapped
            mapped.close()  # this file system maps nothing, or takes nothing
    except (OSError, ValueError):
        pass  # the plain file will say what is wrong, and keep it
    return FileSink(path)
