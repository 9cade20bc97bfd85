"""Opening whatever the user names: a `.take` file, a stream, or several streams of one session."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.stream.contents import StreamError
from opossum.take.archive import TakeError, open_take
from opossum.take.take import Take
from opossum.take.unfinished import unfinished

if TYPE_CHECKING:
    from opossum.stream.reading import Progress

ReadError = (StreamError, TakeError)
"""What opening may raise; each says in one sentence which file, what is wrong and what to do."""


def open_any(
    paths: str | Sequence[str], progress: Progress | None = None, shifts: Mapping[str, tuple[int, int]] | None = None
) -> Take:
    """Open one take or stream, or several streams as the peers of one take, and index it.

    `shifts` sets the clocks of a stream's peers against each other (see `read_streams`).

    Raises:
        StreamError, TakeError: nothing readable is there.
    """
    names = [paths] if isinstance(paths, str) else list(paths)
    for name in names:
        if name != "-" and not Path(name).exists() and (left := unfinished(Path(name))):
            raise TakeError(
                name, f"there is no such file, but a recording of it that was not finished; open {left[-1]}"
            )
    if len(names) == 1 and is_archive(names[0]):
        take = open_take(names[0])
    else:
        for name in names:
            if is_archive(name):
                raise TakeError(name, "a saved take cannot be joined with other files; give streams only")
        from opossum.stream.reading import read_streams  # its decoder is not built for a saved take

        take = Take.from_contents(read_streams(names, progress, shifts), take_name(names[0]))
    take.index()
    return take


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
