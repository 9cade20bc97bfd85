"""What a file's ending asks for: a take, or a stream, packed or not."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.whole_file import whole_file
from opossum.words import tr
from opossum_commands.reading import CommandError

if TYPE_CHECKING:
    from opossum.take.take import Take


def write_stream(take: Take, target: str) -> None:
    """Write a take as a stream; a file already there is replaced only when all is written."""
    from opossum.stream.writing import stream_lines

    with whole_file(target) as plain:
        file = gzip.GzipFile(fileobj=plain, mode="wb", mtime=0) if target.endswith(".gz") else plain
        for line in stream_lines(take.tables, take.strings, take.peers):
            file.write(line)
        if file is not plain:
            file.close()


def writer_for(target: Path) -> Callable[[Take, str], None] | None:
    """Return what writes a stream where a file's ending asks for one, None where it asks for a take.

    Raises:
        CommandError: the ending asks for neither.
    """
    if target.name.endswith(".take"):
        return None
    if target.name.endswith((".jsonl", ".jsonl.gz")):
        return write_stream
    raise CommandError(
        tr("{target}: the ending does not say what to make; use .take, .flow.jsonl or .flow.jsonl.gz.", target=target)
    )
