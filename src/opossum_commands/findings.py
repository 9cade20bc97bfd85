"""`opossum findings`: what is wrong with a take, for people and for scripts."""

from __future__ import annotations

import click

from opossum.findings.blind_spots import blind_spots
from opossum.findings.catalogue import KINDS, kind_named, with_setting
from opossum.findings.finding import Finding, Severity
from opossum.findings.wishes import not_counted
from opossum.stream.damage import Damage, damaged_records
from opossum.take.checks import check_take
from opossum.take.take import Take
from opossum.words import counted, number, tr
from opossum_commands.completing import files, kinds, thresholds
from opossum_commands.exit_status import ExitStatus
from opossum_commands.reading import CommandError, examined, opened, printed_json, wishes_for
from opossum_commands.terminal import remark, say, say_wrapped

SEVERITIES = tuple(severity.value for severity in Severity if severity is not Severity.NOTE)


class FindingsCommand(click.Command):
    """A command whose help tells every kind of finding with its causes, as the catalogue declares them."""

    def format_epilog(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the kinds below the options."""
        with formatter.section(tr("Kinds (--only KIND)")):
            formatter.write_dl([(kind.name, ", ".join(cause.name for cause in kind.causes)) for kind in KINDS])
        thresholds = [threshold for kind in KINDS for threshold in kind.thresholds]
        with formatter.section(tr("Thresholds (--set NAME=VALUE)")):
            formatter.write_dl(
                [
                    (f"{item.name}={item.default:g}", f"{tr(item.unit)}: {tr(item.reason)}")
                    for item in dict.fromkeys(thresholds)
                ]
            )


@click.command(cls=FindingsCommand)
@click.argument("paths", metavar="TAKE|STREAM…", nargs=-1, required=True, shell_complete=files)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of a table.")
@click.option("--as-rules", is_flag=True, help="Print a rule against each finding instead, for a rule file.")
@click.option(
    "--only",
    "only",
    multiple=True,
    metavar="KIND",
    shell_complete=kinds,
    help="Look for this kind alone (repeatable).",
)
@click.option(
    "--fail-on", type=click.Choice(SEVERITIES), help="Exit with status 1 if anything this bad, or worse, is found."
)
@click.option(
    "--set",
    "settings",
    multiple=True,
    metavar="NAME=VALUE",
    shell_complete=thresholds,
    help="Change a threshold (repeatable).",
)
@click.option("--ignore", "ignored", multiple=True, metavar="ID", help="Leave a finding out, by its `id` (repeatable).")
@click.option("--baseline", metavar="FILE", shell_complete=files, help="Leave out all findings that FILE knows.")
@click.option(
    "--write-baseline",
    "new_baseline",
    metavar="FILE",
    shell_complete=files,
    help="Write what counts now to FILE, and stop.",
)
def findings(
    paths: tuple[str, ...],
    as_json: bool,
    as_rules: bool,
    only: tuple[str, ...],
    fail_on: str | None,
    settings: tuple[str, ...],
    ignored: tuple[str, ...],
    baseline: str | None,
    new_baseline: str | None,
) -> None:
    """Print what is wrong with a take or stream (`-`: standard input), worst first."""
    for name in only:
        if kind_named(name) is None:
            raise CommandError(
                tr(
                    "there is no kind `{name}`; there are: {name2}.",
                    name=name,
                    name2=", ".join(kind.name for kind in KINDS),
                )
            )
    wishes = wishes_for(paths[0])
    wishes = wishes._replace(known=frozenset(ignored) | _known(baseline))
    chosen = wishes.settings
    for setting in settings:
        try:
            chosen = with_setting(chosen, setting)
        except ValueError as error:
            raise CommandError(f"{error}.") from None
    take = opened(paths)
    found, uncounted = examined(take, wishes._replace(settings=chosen), only)
    if new_baseline is not None:
        _write(new_baseline, found)
        return
    damage = check_take(take)
    if as_rules:
        from opossum.rules.against import rule_against

        for sentence in dict.fromkeys(rule_against(finding) for finding in found):
            say(sentence)
    elif as_json:
        about = {
            "name": take.name,
            "game": take.game,
            "records": take.records,
            "frames": take.game_frames,
            "seconds": round(take.duration_ns / 1e9, 3),
            "peers": [span.name for span in take.peers],
            "damage": sum(item.count for item in damage),
            "not_seen": blind_spots(take),
        }
        printed_json(
            {
                "format": "opossum-findings",
                "version": 1,
                "take": about,
                "uncounted": uncounted,
                "findings": [finding.as_dict() for finding in found],
            }
        )
    else:
        _print_table(take, found, damage, only)
        if uncounted:
            say(not_counted(uncounted, known=bool(wishes.known)))
    if fail_on is not None:
        limit = Severity(fail_on).rank
        found_it = any(finding.severity.rank <= limit for finding in found)
        raise SystemExit(ExitStatus.FOUND if found_it else ExitStatus.WELL)


def _known(baseline: str | None) -> frozenset[str]:
    """Return the findings that a baseline knows; none where none is named."""
    from opossum.findings.baseline import BaselineError, read_baseline

    try:
        return read_baseline(baseline) if baseline is not None else frozenset()
    except BaselineError as error:
        raise CommandError(f"{error}.") from None


def _write(baseline: str, found: list[Finding]) -> None:
    from opossum.findings.baseline import write_baseline

    try:
        write_baseline(baseline, found)
    except OSError as error:
        raise CommandError(
            tr("{baseline}: cannot be written ({why}).", baseline=baseline, why=error.strerror or error)
        ) from None
    remark(f"{baseline}: {counted(len(found), 'finding')}")


def _print_table(take: Take, found: list[Finding], damage: list[Damage], only: tuple[str, ...]) -> None:
    told = f"{take.game}: {number(take.duration_ns / 1e9, '.1f')} s, {counted(take.game_frames, 'frame')}, {counted(take.records, 'record')}"
    if records := damaged_records(damage):
        told += tr(", {count:,} damaged (see opossum check-stream)", count=records)
    cut = [span.name for peer, span in enumerate(take.peers) if not take.recording.closed(peer)]
    if cut:
        told += f", {tr('cut off: ends without bye')}" + (f" ({', '.join(cut)})" if len(take.peers) > 1 else "")
    say(told)
    for spot in blind_spots(take):
        say_wrapped(tr("Not seen: {spot}", spot=spot), "", "  ")
    if not found:
        say(tr("Nothing found; looked for: {only}.", only=", ".join(only or (kind.name for kind in KINDS))))
        return
    for place, finding in enumerate(found, 1):
        indent = "   " if finding.root else ""
        say()
        head = (
            f"{indent}{place}. {finding.severity.value.upper()}  {finding.kind} · {finding.cause}   {_where(finding)}"
        )
        say(head, bold=True)
        for line in (finding.summary, f"→ {finding.advice}", *finding.details):
            say_wrapped(line, indent + "   ", indent + "   ")
        proof = ", ".join(
            tr("{k} {note} (line {line:,})", k=item.k, note=item.note, line=item.line) for item in finding.evidence[:4]
        )
        say_wrapped(tr("Proof: {proof}", proof=proof), indent + "   ", indent + "     ")


def _where(finding: Finding) -> str:
    """Return in which frames it shows, and on which peer where there are several."""
    peer, frames = finding.subject.peer, finding.frames
    if not frames:
        return peer
    if len(frames) > 1:
        first, last = frames[0], frames[-1]
        shown = tr("{frames:,} frames, {frames2} to {frames3}", frames=len(frames), frames2=first, frames3=last)
    else:
        shown = tr("frame {frames}", frames=frames[0]) if frames[0] >= 0 else tr("start-up")
    return f"{peer}: {shown}" if peer else shown
