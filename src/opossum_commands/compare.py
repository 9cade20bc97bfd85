"""`opossum compare`: two takes, or two peers of one, side by side."""

from __future__ import annotations

import click

from opossum.findings.finding import Severity
from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.exit_status import ExitStatus
from opossum_commands.reading import CommandError, examined, opened, printed_json, wishes_for
from opossum_commands.steps import step
from opossum_commands.terminal import say, say_wrapped

FAILURES = ("new-fault", "new-waste", "new-risk", "difference")


@click.command()
@click.argument("before", metavar="BEFORE", shell_complete=files)
@click.argument("after", metavar="[AFTER]", required=False, shell_complete=files)
@click.option("--peers", nargs=2, metavar="ONE OTHER", help="Compare two peers of one take: host against client.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
@click.option(
    "--fail-on",
    type=click.Choice(FAILURES),
    help="Exit with status 1 if AFTER has a finding that bad or worse which BEFORE has not, or if the code differs.",
)
def compare(before: str, after: str | None, peers: tuple[str, str] | None, as_json: bool, fail_on: str | None) -> None:
    """Say what changed from one take to another: findings gone and new, the first difference and what follows from it,
    order, time, and what each listener and timer did.

    \b
    opossum compare before.take after.take
    opossum compare session.take --peers host client
    """
    from opossum.compare.comparison import compared
    from opossum.compare.side import Side
    from opossum.compare.wording import sections

    if peers and after:
        raise CommandError(tr("--peers compares two peers of one take; give one take, or leave --peers out."))
    if not peers and not after:
        raise CommandError(tr("give two takes, or one and --peers ONE OTHER."))
    takes = [opened([before])] if peers else [opened([before]), opened([str(after)])]
    if peers:
        names = [span.name for span in takes[0].peers]
        for peer in peers:
            if peer not in names:
                raise CommandError(
                    tr(
                        "{before}: has no peer `{peer}`; there are: {names}.",
                        before=before,
                        peer=peer,
                        names=", ".join(names),
                    )
                )
        sides = (Side(takes[0], peers[0], names.index(peers[0])), Side(takes[0], peers[1], names.index(peers[1])))
        with step("comparing") as tell:
            comparison = compared(sides, progress=tell)
    else:
        wishes = wishes_for(before)
        found = [examined(take, wishes).counted for take in takes]
        with step("comparing") as tell:
            comparison = compared((Side(takes[0], "BEFORE"), Side(takes[1], "AFTER")), (found[0], found[1]), tell)
    if as_json:
        printed_json(comparison.as_dict())
    else:
        for number, section in enumerate(sections(comparison)):
            if number:
                say()
            say(section.title, bold=True)
            for line in section.lines:
                say_wrapped(line, "  ", "    ")
    if fail_on == "difference":
        from opossum.compare.differences import Sort

        found_it = any(item.sort is Sort.CODE for item in comparison.differences)
        raise SystemExit(ExitStatus.FOUND if found_it else ExitStatus.WELL)
    if fail_on is not None:
        limit = Severity(fail_on.removeprefix("new-")).rank
        found_it = any(finding.severity.rank <= limit for finding in comparison.findings.new)
        raise SystemExit(ExitStatus.FOUND if found_it else ExitStatus.WELL)
