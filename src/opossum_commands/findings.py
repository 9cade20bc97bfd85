"""`opossum findings`: what is wrong with a take, for people and for scripts."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from opossum_commands.reading import CommandError, opened, printed_json

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.stream.damage import Damage
    from opossum.take.take import Take

KIND_NAMES = ("freeze", "double-fire", "stale-listener", "polling-waste")
SEVERITIES = ("fault", "waste", "risk")


@click.command()
@click.argument("paths", metavar="TAKE|STREAM…", nargs=-1, required=True)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of a table.")
@click.option(
    "--only",
    "only",
    multiple=True,
    metavar="KIND",
    help=f"Look for this kind alone (repeatable): {', '.join(KIND_NAMES)}.",
)
@click.option(
    "--fail-on", type=click.Choice(SEVERITIES), help="Exit with status 1 if anything this bad, or worse, is found."
)
@click.option(
    "--set",
    "settings",
    multiple=True,
    metavar="NAME=VALUE",
    help="Change a threshold (repeatable); a wrong name lists them all.",
)
def findings(
    paths: tuple[str, ...], as_json: bool, only: tuple[str, ...], fail_on: str | None, settings: tuple[str, ...]
) -> None:
    """Print what is wrong with a take or stream (`-`: standard input), worst first."""
    from opossum.findings.catalogue import KINDS_OF_FINDINGS
    from opossum.findings.examine import examine
    from opossum.findings.finding import Severity
    from opossum.findings.thresholds import Thresholds
    from opossum.take.checks import check_take

    known = [kind.name for kind in KINDS_OF_FINDINGS]
    for name in only:
        if name not in known:
            raise CommandError(f"there is no kind `{name}`; there are: {', '.join(known)}.")
    thresholds = Thresholds()
    for setting in settings:
        try:
            thresholds = thresholds.with_setting(setting)
        except ValueError as error:
            raise CommandError(f"{error}.") from None
    take = opened(paths)
    found = examine(take, thresholds, only)
    damage = check_take(take)
    if as_json:
        about = {
            "name": take.name,
            "game": take.game,
            "records": take.records,
            "frames": take.game_frames,
            "seconds": round(take.duration_ns / 1e9, 3),
            "peers": [span.name for span in take.peers],
            "damage": sum(item.count for item in damage),
        }
        printed_json({"take": about, "findings": [finding.as_dict() for finding in found]})
    else:
        _print_table(take, found, damage)
    if fail_on is not None:
        limit = Severity(fail_on).rank
        raise SystemExit(1 if any(finding.severity.rank <= limit for finding in found) else 0)


def _print_table(take: Take, found: list[Finding], damage: list[Damage]) -> None:
    from opossum.findings.scene import plural

    click.echo(
        f"{take.game}: {take.duration_ns / 1e9:.1f} s, {plural(take.game_frames, 'frame')}, {plural(take.records, 'record')}"
        + (f", {sum(item.count for item in damage):,} damaged (see opossum check-stream)" if damage else "")
    )
    if not found:
        click.echo("Nothing found: no double firing, stale listeners, polling waste or freezes.")
        return
    for number, finding in enumerate(found, 1):
        indent = "   " if finding.root else ""
        click.echo()
        head = f"{indent}{number}. {finding.severity.value.upper()}  {finding.kind} · {finding.cause}   {_where(finding.frames)}"
        click.secho(head, bold=True)
        for line in (finding.summary, f"→ {finding.advice}", *finding.details):
            click.echo(click.wrap_text(line, 100, indent + "   ", indent + "   "))
        proof = ", ".join(f"{item.k} {item.note} (line {item.line:,})" for item in finding.evidence[:4])
        click.echo(click.wrap_text(f"Proof: {proof}", 100, indent + "   ", indent + "     "))


def _where(frames: list[int]) -> str:
    if not frames:
        return ""
    if len(frames) == 1:
        return f"frame {frames[0]}" if frames[0] >= 0 else "start-up"
    return f"{len(frames):,} frames, {frames[0]} to {frames[-1]}"
