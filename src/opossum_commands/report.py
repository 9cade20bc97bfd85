"""`opossum report`: a take's findings as one page that anybody can read."""

from __future__ import annotations

from pathlib import Path

import click

from opossum.words import counted, tr
from opossum_commands.completing import files
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, examined, opened, wishes_for
from opossum_commands.steps import step
from opossum_commands.terminal import remark


@click.command()
@click.argument("paths", metavar="TAKE|STREAM…", nargs=-1, required=True, shell_complete=files)
@click.option("-o", "--out", required=True, metavar="FILE", help="Where to write the page, such as night.html.")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
def report(paths: tuple[str, ...], out: str, force: bool) -> None:
    """Write one self-contained page: what is wrong with a take, with proof and pictures.

    A colleague reads it in any browser, without Opossum, without a network, without scripts.
    """
    target = Path(out)
    spare_what_is_there(target, force)
    wishes = wishes_for(paths[0])
    take = opened(paths)
    from opossum.take.checks import check_take
    from opossum_desk.report.writing import write_report

    findings = examined(take, wishes).counted
    try:
        with step(tr("writing {target}", target=target)):
            write_report(take, findings, check_take(take), target)
    except OSError as error:
        raise CommandError(
            tr("{target}: cannot be written ({why}).", target=target, why=error.strerror or error)
        ) from None
    remark(
        tr(
            "{target}: {findings}, {st_size:,} bytes",
            target=target,
            findings=counted(len(findings), "finding"),
            st_size=target.stat().st_size,
        ),
        error=False,
    )
