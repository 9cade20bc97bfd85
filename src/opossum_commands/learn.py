"""`opossum learn`: rules that healthy takes suggest."""

from __future__ import annotations

from pathlib import Path

import click

from opossum.words import counted, tr
from opossum_commands.completing import files
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, opened
from opossum_commands.steps import step
from opossum_commands.terminal import remark, say


@click.command()
@click.argument("paths", metavar="TAKE…", nargs=-1, required=True, shell_complete=files)
@click.option("-o", "--out", required=True, metavar="FILE", help="Where to write the rules, such as game.rules.")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
def learn(paths: tuple[str, ...], out: str, force: bool) -> None:
    """Write down what always held in healthy takes: order, counts, intervals, what follows what.

    Two takes or more, of full length and of different play, say more than one. `opossum check` then tells what of it a
    later take does not keep.

    \b
    opossum learn monday.take tuesday.take wednesday.take -o game.rules
    opossum check today.take --rules game.rules
    """
    from opossum.learning.learn import learn as learnt
    from opossum.learning.learn import rule_file
    from opossum.whole_file import whole_file

    spare_what_is_there(out, force)
    takes = []
    for path in paths:
        take = opened([path])
        take.name = Path(path).stem if path != "-" else take.name
        takes.append(take)
    with step("learning") as tell:
        learning = learnt(takes, lambda number, of: tell(tr("{number} of {of} takes", number=number, of=of)))
    if not learning.rules:
        raise CommandError(tr("nothing held often enough to be a rule; record longer runs, or more of them."))
    try:
        with whole_file(out) as file:
            file.write(rule_file(learning, takes[0].game).encode())
    except OSError as error:
        raise CommandError(tr("{out}: cannot be written ({why}).", out=out, why=error.strerror or error)) from None
    remark(
        tr(
            "{out}: {rules} from {takes}",
            out=out,
            rules=counted(len(learning.rules), "rule"),
            takes=counted(len(takes), "take"),
        ),
        error=False,
    )
    if learning.disputed:
        say(
            tr(
                "On {rules} the takes disagree; they stand at the end, as comments.",
                rules=counted(len(learning.disputed), "more rule"),
            )
        )
    if len(takes) == 1:
        say(tr("From one take, chance looks like a rule: give two or more."))
