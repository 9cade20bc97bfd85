"""`opossum check-stream`: what is damaged in a stream or take."""

from __future__ import annotations

import click

from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.exit_status import ExitStatus
from opossum_commands.reading import opened, printed_json
from opossum_commands.terminal import say


@click.command("check-stream")
@click.argument("paths", metavar="FILE…", nargs=-1, required=True, shell_complete=files)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
def check_stream(paths: tuple[str, ...], as_json: bool) -> None:
    """List what is damaged in a stream, with line numbers. Exits 1 if anything is, 0 if nothing."""
    from opossum.take.checks import check_take

    take = opened(paths)
    damage = check_take(take)
    if as_json:
        printed_json(
            {
                "format": "opossum-damage",
                "version": 1,
                "records": take.records,
                "damage": [
                    {"code": item.code, "sentence": item.sentence, "count": item.count, "lines": item.lines}
                    for item in damage
                ],
            }
        )
    else:
        for item in damage:
            say(item.told())
        say(
            tr("{records:,} records read; ", records=take.records)
            + (
                tr("nothing is damaged.")
                if not damage
                else tr("one sort of damage.")
                if len(damage) == 1
                else tr("{damage} sorts of damage.", damage=len(damage))
            )
        )
    raise SystemExit(ExitStatus.FOUND if damage else ExitStatus.WELL)
