"""Opening whatever the user names: a `.take` file, a stream, or several streams of one session."""

from __future__ import annotations

import contextlib
import traceback
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.stream.contents import StreamError
from opossum.take.archive import open_take
from opossum.take.helper import Helper
from opossum.take.take import Take
from opossum.take.take_error import TakeError
from opossum.take.unfinished import unfinished
from opossum.words import tr

if TYPE_CHECKING:
    from opossum.stream.reading import Progress

ReadError = (StreamError, TakeError)
"""What opening may raise; each says in one sentence which file, what is wrong and what to do."""


def open_any(
    paths: str | Sequence[str],
    progress: Progress | None = None,
    shifts: Mapping[str, tuple[int, int]] | None = None,
    helper: Helper | None = None,
) -> Take:
    """Open one take or stream, or several streams as the peers of one take, and index it.

    A saved take is opened in a process of its own, with bounds on what it may use: by `helper`, where one is at it already.

    `shifts` sets the clocks of a stream's peers against each other (see `read_streams`).

    Raises:
        StreamError, TakeError: nothing readable is there.
    """
    names = [paths] if isinstance(paths, str) else list(paths)
    for name in names:
        if name != "-" and not Path(name).exists() and (left := unfinished(Path(name))):
            raise TakeError(
                name,
                tr("there is no such file, but a recording of it that was not finished; open {left}", left=left[-1]),
            )
    if len(names) == 1 and is_archive(names[0]):
        return _open_apart(names[0], progress, helper)
    for name in names:
        if is_archive(name):
            raise TakeError(name, tr("a saved take cannot be joined with other files; give streams only"))
    from opossum.stream.reading import read_streams  # its decoder is not built for a saved take

    with _told_if_unforeseen(names[0]):
        take = Take.from_contents(read_streams(names, progress, shifts), take_name(names[0]))
        take.index()
    return take


def open_here(path: str) -> Take:
    """Open a `.take` file in this process, without bounds, and index it.

    Raises:
        TakeError: it is refused.
    """
    with _told_if_unforeseen(path):
        take = open_take(path)
        take.index()
    return take


def _open_apart(path: str, progress: Progress | None, helper: Helper | None) -> Take:
    """Open a `.take` file in a process of its own (see `helper`); in this one where none can be begun."""
    try:
        helper = helper or Helper(path)
    except OSError:
        return open_here(path)
    return helper.take((lambda: progress(0)) if progress is not None else None)


@contextlib.contextmanager
def _told_if_unforeseen(path: str) -> Iterator[None]:
    """Turn what nobody foresaw into one sentence; what is foreseen, and what cancels, passes."""
    try:
        yield
    except (*ReadError, MemoryError):
        raise
    except (ArithmeticError, AttributeError, LookupError, TypeError, ValueError, RuntimeError, AssertionError) as error:
        place = traceback.extract_tb(error.__traceback__)[-1]
        where = f"{Path(place.filename).name}:{place.lineno}"
        text = f"{type(error).__name__} {error}"[:160]
        raise TakeError(
            path,
            tr(
                "it is damaged in a way that nobody foresaw ({text_}, at {where}); it was not opened: please "
                "report this sentence to the makers of Opossum, with the file if you may",
                text_=text,
                where=where,
            ),
        ) from error


def is_archive(path: str) -> bool:
    """Say whether the file begins as a ZIP does; False for what cannot be read."""
    if path == "-":
        return False
    try:
        with open(path, "rb") as file:
            return file.read(4) == b"PK\x03\x04"
    except OSError:
        return False


def take_name(path: str) -> str:
    """Return a name for a take from its file's name."""
    name = "standard input" if path == "-" else Path(path).name
    for suffix in (".gz", ".jsonl", ".flow", ".take"):
        name = name.removesuffix(suffix)
    return name or "take"
