"""Writing a file whole or not at all: whoever reads it sees what was there before, or all that is there now."""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO


def on_disk(file: int, path: str | os.PathLike[str]) -> None:
    """See that a file, and its name in its folder, survive the machine's death.

    Raises:
        OSError: the disk does not take them.
    """
    os.fsync(file)
    folder_on_disk(path)


def folder_on_disk(path: str | os.PathLike[str]) -> None:
    """See that a file's name in its folder survives the machine's death; some file systems know no such thing.

    Raises:
        OSError: the disk does not take it.
    """
    folder = os.open(Path(path).absolute().parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(folder)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP):
            raise
    finally:
        os.close(folder)


@contextlib.contextmanager
def whole_file(path: str | os.PathLike[str]) -> Iterator[BinaryIO]:
    """Yield a file to write to, which takes the path's place once it is on disk; on any error nothing has changed.

    Raises:
        OSError: nothing can be written there.
    """
    import tempfile  # not cheap to load, and not needed for opening

    target = Path(path)
    handle, temporary = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, target)
        folder_on_disk(target)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise
