"""Writing a file whole or not at all: whoever reads it sees what was there before, or all that is there now."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO


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
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise
