"""`opossum convert`: streams become takes, takes become streams."""

from __future__ import annotations

import gzip
from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum.whole_file import whole_file
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, opened
from opossum_commands.terminal import say

if TYPE_CHECKING:
    from opossum.take.take import Take


@click.command()
@click.argument("paths", metavar="FROM…", nargs=-1, required=True)
@click.argument("target", metavar="TO")
@click.option("--force", is_flag=True, help="Replace TO if it exists.")
def convert(paths: tuple[str, ...], target: str, force: bool) -> None:
    """Convert a stream into a .take file, or a take back into a stream.

    TO's ending says which: .take, .flow.jsonl or .flow.jsonl.gz.
    """
    if not target.endswith((".take", ".jsonl", ".jsonl.gz")):
        raise CommandError(f"{target}: the ending does not say what to make; use .take, .flow.jsonl or .flow.jsonl.gz.")
    spare_what_is_there(target, force)
    take = opened(paths)
    try:
        if target.endswith(".take"):
            from opossum.take.archive import save_take

            save_take(take, target)
        else:
            write_stream(take, target)
    except OSError as error:
        raise CommandError(f"{target}: cannot be written ({error.strerror or error}).") from None
    size = Path(target).stat().st_size
    say(f"{target}: {take.records:,} records, {size:,} bytes ({size / max(1, take.records):.1f} a record)")


def write_stream(take: Take, target: str) -> None:
    """Write a take as a stream; a file already there is replaced only when all is written."""
    from opossum.stream.writing import stream_lines

    with whole_file(target) as plain:
        file = gzip.GzipFile(fileobj=plain, mode="wb", mtime=0) if target.endswith(".gz") else plain
        for line in stream_lines(take.tables, take.strings, take.peers):
            file.write(line)
        if file is not plain:
            file.close()
