"""`opossum convert`: streams become takes, takes become streams, and either what other programs read."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum.whole_file import whole_file
from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.endings import write_stream
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, opened
from opossum_commands.steps import step
from opossum_commands.terminal import remark

if TYPE_CHECKING:
    from opossum.take.take import Take


ENDINGS = ".take, .flow.jsonl, .flow.jsonl.gz, .parquet, .csv or .otlp.jsonl"


@click.command()
@click.argument("paths", metavar="FROM…", nargs=-1, required=True, shell_complete=files)
@click.argument("target", metavar="TO", shell_complete=files)
@click.option("--force", is_flag=True, help="Replace TO if it exists.")
def convert(paths: tuple[str, ...], target: str, force: bool) -> None:
    """Convert a stream into a .take file, a take back into a stream, or either into what other programs read.

    TO's ending says which: .take, .flow.jsonl or .flow.jsonl.gz; .parquet or .csv for a folder with a file a table;
    .otlp.jsonl for OpenTelemetry's spans.
    """
    write = _writer(target)
    spare_what_is_there(target, force)
    take = opened(paths)
    try:
        with step(tr("writing {target}", target=target)):
            told = write(take, target)
    except OSError as error:
        raise CommandError(
            tr("{target}: cannot be written ({why}).", target=target, why=error.strerror or error)
        ) from None
    size = _size(Path(target))
    remark(
        tr(
            "{target}: {told}, {size:,} bytes ({size2:.1f} a record)",
            target=target,
            told=told,
            size=size,
            size2=size / max(1, take.records),
        ),
        error=False,
    )


def _writer(target: str) -> Callable[[Take, str], str]:
    """Return what writes a file or folder of that ending and says what it wrote.

    Raises:
        CommandError: nothing is made by that ending.
    """
    name = target.rstrip("/")
    writers = {".take": _write_take, ".parquet": _write_parquet, ".csv": _write_csv, ".otlp.jsonl": _write_spans}
    for ending, write in writers.items():
        if name.endswith(ending):
            return write
    if name.endswith((".jsonl", ".jsonl.gz")):
        return _write_records
    raise CommandError(
        tr("{target}: the ending does not say what to make; use {endings}.", target=target, endings=ENDINGS)
    )


def _size(path: Path) -> int:
    """Return the bytes of a file, or of all files of a folder."""
    return sum(item.stat().st_size for item in path.iterdir()) if path.is_dir() else path.stat().st_size


def _write_take(take: Take, target: str) -> str:
    from opossum.take.archive import save_take

    save_take(take, target)
    return tr("{records:,} records", records=take.records)


def _write_records(take: Take, target: str) -> str:
    write_stream(take, target)
    return tr("{records:,} records", records=take.records)


def _write_parquet(take: Take, target: str) -> str:
    from opossum.export.folders import write_parquet

    return tr("{write_parquet} tables", write_parquet=write_parquet(take, target))


def _write_csv(take: Take, target: str) -> str:
    from opossum.export.folders import write_csv

    return tr("{write_csv} tables", write_csv=write_csv(take, target))


def _write_spans(take: Take, target: str) -> str:
    from opossum.export.spans import write_spans

    with whole_file(target) as file:
        return tr("{write_spans:,} spans", write_spans=write_spans(take, file))
