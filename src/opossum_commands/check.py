"""`opossum check`: whether what must hold in a game holds in a take."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from opossum.words import counted, tr
from opossum_commands.completing import files
from opossum_commands.exit_status import ExitStatus
from opossum_commands.reading import CommandError, opened, printed_json, wishes_for
from opossum_commands.steps import step
from opossum_commands.terminal import be_quiet, say, say_wrapped

if TYPE_CHECKING:
    from opossum.rules.checked import Outcome
    from opossum.rules.sentence import Rule

MOST_TOLD = 5
"""Breaks of a rule that are told in a terminal."""


@click.command()
@click.argument("paths", metavar="TAKE|STREAM…", nargs=-1, required=True, shell_complete=files)
@click.option(
    "--rules",
    "files",
    multiple=True,
    metavar="FILE",
    help="A rule file (repeatable); those beside the take by default.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of lines.")
@click.option("--junit", metavar="FILE", help="Write JUnit XML too, for CI.")
@click.option("--sarif", metavar="FILE", help="Write SARIF too, for CI and editors.")
@click.option("-q", "--quiet", is_flag=True, help="Tell only rules that broke.")
def check(
    paths: tuple[str, ...], files: tuple[str, ...], as_json: bool, junit: str | None, sarif: str | None, quiet: bool
) -> None:
    """Say which rules held in a take, which broke and where.

    Exit status: 0 if none broke, 1 if one did, 2 if a rule cannot be understood.

    \b
    opossum check night.take --rules game.rules
    opossum check night.take --rules game.rules --junit rules.xml
    """
    from opossum.rules.checking import check as checked

    rules, named = rules_of(files, paths[0])
    wishes = wishes_for(paths[0])
    take = opened(paths)
    if quiet:
        be_quiet()
    with step(tr("checking rules")) as tell:
        outcomes = checked(
            take, rules, wishes.settings, lambda number, of: tell(tr("{number} of {of}", number=number, of=of))
        )
    _write_reports(outcomes, take.name, named, junit, sarif)
    broke = [outcome for outcome in outcomes if outcome.broken]
    if as_json:
        printed_json(
            {
                "format": "opossum-check",
                "version": 1,
                "take": take.name,
                "broke": len(broke),
                "held": sum(outcome.verdict == "held" for outcome in outcomes),
                "no_occasion": sum(not outcome.occasions for outcome in outcomes),
                "rules": [outcome.as_dict() for outcome in outcomes],
            }
        )
    else:
        _tell(outcomes, quiet)
    raise SystemExit(ExitStatus.FOUND if broke else ExitStatus.WELL)


def rules_of(files: tuple[str, ...], take: str) -> tuple[list[Rule], str]:
    """Return the rules of the files named, else of those beside the take, and the name of the first file.

    Raises:
        CommandError: there is no rule file, or something in one cannot be understood; all of it is told.
    """
    from opossum.rules.files import RuleFileError, read_rules, rules_beside

    chosen = [Path(name) for name in files] or rules_beside(take)
    if not chosen:
        raise CommandError(tr("{take}: no rule file beside it; name one with --rules FILE.", take=take))
    rules: list[Rule] = []
    wrong = 0
    for file in chosen:
        try:
            book = read_rules(file)
        except RuleFileError as error:
            raise CommandError(f"{error}.") from None
        rules += book.rules
        for mistake in book.errors:
            say(f"{file}:{mistake.line}:{mistake.column}: {mistake.message}", error=True)
        wrong += len(book.errors)
    if wrong:
        raise CommandError(tr("{wrong} of the sentences cannot be understood; mend them and check again.", wrong=wrong))
    if not rules:
        raise CommandError(
            tr(
                "{chosen}: holds no rule; write one sentence a line, such as `every send of oven_on is heard`.",
                chosen=chosen[0],
            )
        )
    return rules, str(chosen[0])


def _write_reports(outcomes: list[Outcome], take: str, rules: str, junit: str | None, sarif: str | None) -> None:
    from opossum.rules import reports
    from opossum.whole_file import whole_file

    for target, write in ((junit, reports.junit), (sarif, reports.sarif)):
        if not target:
            continue
        try:
            with whole_file(target) as file:
                file.write(write(outcomes, take, rules))
        except OSError as error:
            raise CommandError(
                tr("{target}: cannot be written ({why}).", target=target, why=error.strerror or error)
            ) from None


def _tell(outcomes: list[Outcome], quiet: bool) -> None:
    from opossum.rules.reports import summary

    section, told = None, False
    broke = [outcome for outcome in outcomes if outcome.broken]
    others = [] if quiet else [outcome for outcome in outcomes if not outcome.broken]
    # what broke comes first: it is what one came for
    for outcome in (*broke, *others):
        if outcome is (others[0] if others else None):
            section = None
        if outcome.rule.section != section:
            section = outcome.rule.section
            if section:
                if told:
                    say()
                say(section, bold=True)
                told = True
        rule, told = outcome.rule, True
        mark = {"broke": rule.severity.upper(), "held": "held", "no occasion": "-"}[outcome.verdict]
        say_wrapped(f"{mark:<6} {rule.name}", "", "       ")
        if outcome.broken:
            if rule.title:
                say_wrapped(rule.text, "       ", "       ")
            say_wrapped(
                tr("broke {broken:,} of {times}:", broken=outcome.broken, times=counted(outcome.occasions, "time")),
                "       ",
                "       ",
            )
            for item in outcome.breaks[:MOST_TOLD]:
                where = tr("frame {frame}", frame=item.frame) if item.frame >= 0 else tr("start-up")
                say_wrapped(
                    tr("{where}, line {line:,}: {note}", where=where, line=item.line, note=item.note),
                    "         ",
                    "           ",
                )
            if outcome.broken > MOST_TOLD:
                say(tr("         and {broken:,} more", broken=outcome.broken - MOST_TOLD))
        elif not outcome.occasions:
            say_wrapped(summary(outcome), "       ", "       ")
    counts = {
        verdict: sum(outcome.verdict == verdict for outcome in outcomes)
        for verdict in ("broke", "held", tr("no occasion"))
    }
    say()
    say(
        tr(
            "{rules}: {counts} broke, {counts2} held, {counts3} had no occasion.",
            rules=counted(len(outcomes), "rule"),
            counts=counts["broke"],
            counts2=counts["held"],
            counts3=counts["no occasion"],
        )
    )
