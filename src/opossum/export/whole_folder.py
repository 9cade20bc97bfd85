"""Writing a folder whole or not at all."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

from opossum.words import tr


@contextlib.contextmanager
def whole_folder(path: str | os.PathLike[str]) -> Iterator[Path]:
    """Yield a folder to write into, which takes the path's place once all is written; on any error nothing has changed.

    Raises:
        OSError: nothing can be written there, or what is there is no folder.
    """
    target = Path(path)
    if target.exists() and not target.is_dir():
        raise NotADirectoryError(20, tr("there is a file of that name"), str(target))
    making = Path(tempfile.mkdtemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent))
    try:
        yield making
        making.chmod(0o755)
        if target.exists():
            old = Path(tempfile.mkdtemp(prefix=f".{target.name}.", suffix=".old", dir=target.parent))
            os.replace(target, old / target.name)
            os.replace(making, target)
            shutil.rmtree(old, ignore_errors=True)
        else:
            os.replace(making, target)
    except BaseException:
        shutil.rmtree(making, ignore_errors=True)
        raise
