"""`opossum rehearse`: what a fix would do, before it is written."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, examined, opened, printed_json, wishes_for
from opossum_commands.steps import step
from opossum_commands.terminal import remark, say, say_wrapped

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.rules.sentence import Rule


@click.command()
@click.argument("path", metavar="TAKE|STREAM", shell_complete=files)
@click.argument("finding", metavar="[FINDING]", required=False)
@click.option("--rule", metavar="SENTENCE", help="Hold a rule instead of mending a finding.")
@click.option("-o", "--out", metavar="FILE", help="Save the take as it would have been, such as fixed.take.")
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
def rehearse(path: str, finding: str | None, rule: str | None, out: str | None, force: bool, as_json: bool) -> None:
    """Reckon a take again with the fix of one finding, and set both side by side.

    FINDING is its number in `opossum findings`, its id, or as much of its id as tells it from the others. What a call
    changes is not replayed: what may come otherwise is said to be in doubt.

    \b
    opossum rehearse night.take 1
    opossum rehearse night.take double-fire/bound-twice -o fixed.take
    opossum rehearse night.take --rule "never more than 1 timer steam at once for each owner"
    """
    from opossum.compare.wording import changes
    from opossum.rehearse.plan import RehearsalError
    from opossum.rehearse.rehearsal import rehearse as rehearsed
    from opossum.rehearse.rehearsal import rehearse_rule

    if (finding is None) == (rule is None):
        raise CommandError(tr("give a finding, or --rule and a sentence."))
    if out is not None:
        if not out.endswith(".take"):
            raise CommandError(tr("{out}: a rehearsed take is saved as .take; name it so.", out=out))
        spare_what_is_there(out, force)
    wishes = wishes_for(path)
    take = opened([path])
    findings = examined(take, wishes).counted
    try:
        if rule is not None:
            held = _rule(rule)
            with step("rehearsing") as tell:
                rehearsal = rehearse_rule(take, held, findings, wishes.settings, tell)
        else:
            chosen = _chosen(str(finding), findings)
            with step("rehearsing") as tell:
                rehearsal = rehearsed(take, chosen, findings, wishes.settings, tell)
    except RehearsalError as error:
        raise CommandError(f"{error}.") from None
    if out is not None:
        from opossum.take.archive import save_take

        try:
            save_take(rehearsal.take, out)
        except OSError as error:
            raise CommandError(tr("{out}: cannot be written ({why}).", out=out, why=error.strerror or error)) from None
    if as_json:
        printed_json(rehearsal.as_dict())
        return
    say(tr("Rehearsed: {about}", about=rehearsal.about), bold=True)
    for line in rehearsal.lines():
        say_wrapped(line, "  ", "    ")
    for section in changes(rehearsal.comparison):
        say()
        say(section.title, bold=True)
        for line in section.lines:
            say_wrapped(line, "  ", "    ")
    if out is not None:
        remark("", error=False)
        remark(tr("{out}: {records:,} records", out=out, records=rehearsal.take.records), error=False)


def _rule(text: str) -> Rule:
    """Return a sentence as a rule.

    Raises:
        CommandError: it cannot be understood.
    """
    from opossum.rules.parsing import RuleError, Sentence, parse_sentence

    read = parse_sentence(Sentence(1, text))
    if isinstance(read, RuleError):
        raise CommandError(tr("--rule, letter {column}: {message}.", column=read.column, message=read.message))
    if isinstance(read, tuple):
        raise CommandError(tr("--rule: that is a heading, no rule."))
    return read


def _chosen(asked: str, findings: list[Finding]) -> Finding:
    """Return the finding that is meant.

    Raises:
        CommandError: there is none, or there are several.
    """
    if not findings:
        raise CommandError(tr("nothing was found in this take, so there is nothing to rehearse."))
    if asked.isdecimal():
        if 1 <= int(asked) <= len(findings):
            return findings[int(asked) - 1]
        raise CommandError(
            tr(
                "there is no finding {asked}; there are {findings} (see `opossum findings`).",
                asked=asked,
                findings=len(findings),
            )
        )
    exact = [finding for finding in findings if finding.id == asked]
    meant = exact or [finding for finding in findings if asked in finding.id]
    if len(meant) == 1:
        return meant[0]
    if not meant:
        raise CommandError(
            tr(
                "no finding is called `{asked}`; there are: {id}.",
                asked=asked,
                id=", ".join(item.id for item in findings[:6]),
            )
        )
    raise CommandError(
        tr(
            "`{asked}` may be {id}; say more of it, or its number.",
            asked=asked,
            id=" or ".join(item.id for item in meant[:6]),
        )
    )
