"""`opossum demo`: the Moonrise Bakery's night, as shipped or with the faults you choose."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from opossum.words import counted, tr
from opossum_commands.completing import faults as offered_faults
from opossum_commands.desk import run_on_screen
from opossum_commands.endings import writer_for
from opossum_commands.keeping import spare_what_is_there
from opossum_commands.reading import CommandError, opened
from opossum_commands.steps import step
from opossum_commands.terminal import remark

if TYPE_CHECKING:
    from opossum.take.take import Take


@click.command()
@click.option("--list", "list_faults", is_flag=True, help="List the faults that can be built in, and stop.")
@click.option(
    "--with",
    "faults",
    multiple=True,
    metavar="FAULT",
    shell_complete=offered_faults,
    help="Build a fault into the night (repeatable, or several with commas).",
)
@click.option("--healthy", is_flag=True, help="Play the night without any fault.")
@click.option("--seed", type=int, help="Another night: the same seed plays the same night.")
@click.option("--seconds", type=click.FloatRange(1, 36_000), help="Length of the night's play.")
@click.option("--real-time", is_flag=True, help="Play as slowly as a game does, with a real watchdog.")
@click.option("--link", metavar="HOST:PORT", default="", help="Play in real time to an Opossum that listens there.")
@click.option(
    "--out",
    metavar="FILE",
    help="Write the night to FILE (.take, .flow.jsonl, .flow.jsonl.gz) instead of opening the desk.",
)
@click.option("--force", is_flag=True, help="Replace FILE if it exists.")
def demo(
    list_faults: bool,
    faults: tuple[str, ...],
    healthy: bool,
    seed: int | None,
    seconds: float | None,
    real_time: bool,
    link: str,
    out: str | None,
    force: bool,
) -> None:
    """Open the desk on the bakery's night, or play another one.

    \b
    opossum demo                          the shipped take, with a believable dozen of faults
    opossum demo --with bound-twice       a night with that fault alone
    opossum demo --healthy --out n.take   a healthy night, written to a file
    """
    from moonrise_bakery import demo_take_path
    from moonrise_bakery.faults import DEMO_FAULTS

    if list_faults:
        _list_faults()
        return
    if healthy and faults:
        raise CommandError(tr("--healthy and --with contradict each other; give one of them."))
    if out is not None:
        spare_what_is_there(out, force)
        writer_for(Path(out))
    named = tuple(name for given in faults for name in given.replace(",", " ").split())
    chosen = () if healthy else named or DEMO_FAULTS
    if link:
        lost = _play(None, chosen, seed, seconds, real_time=True, link=link)
        remark(
            tr(
                "The night was played to {link}; {records} {was} lost.",
                link=link,
                records=counted(lost, "record"),
                was=tr("was") if lost == 1 else tr("were"),
            ),
            error=False,
        )
        return
    if not (faults or healthy or seed is not None or seconds is not None or real_time or out):
        run_on_screen([str(demo_take_path())])
    if out is not None and not out.endswith(".take"):
        _play_whole(out, chosen, seed, seconds, real_time)
        remark(tr("{out}: {st_size:,} bytes", out=out, st_size=Path(out).stat().st_size), error=False)
        return
    with tempfile.TemporaryDirectory(prefix="opossum-") as folder:
        stream = os.path.join(folder, "moonrise.flow.jsonl")
        _play_whole(stream, chosen, seed, seconds, real_time)
        take = opened([stream])
    take.name, take.recording.sources = "Moonrise Bakery", [("moonrise.flow.jsonl", 1)]
    for span in take.peers:
        span.source = "moonrise.flow.jsonl"
    if out is None:
        run_on_screen([], take=take)
    else:
        _save(take, out)


def _list_faults() -> None:
    from moonrise_bakery.faults import DEMO_FAULTS, FAULTS

    names, kinds = (max(len(getattr(fault, part)) for fault in FAULTS.values()) for part in ("name", "kind"))
    for fault in FAULTS.values():
        mark = "•" if fault.name in DEMO_FAULTS else " "
        click.echo(f"{mark} {fault.name:<{names}} {fault.kind:<{kinds}} {tr(fault.story)}")
    click.echo(tr("\n• in the shipped take"))


def _play(stream: str | None, faults: tuple[str, ...], seed: int | None, seconds: float | None, **more: Any) -> int:
    """Play the night into a stream, or to who listens; return how many records were lost."""
    from moonrise_bakery.night import DEFAULT_SECONDS, DEFAULT_SEED, record_night

    try:
        with step(tr("playing the night")) as tell:
            recorder = record_night(
                stream,
                faults,
                seed=DEFAULT_SEED if seed is None else seed,
                seconds=DEFAULT_SECONDS if seconds is None else seconds,
                progress=lambda share: tell(f"{share:.0%}"),
                **more,
            )
    except ValueError as error:
        raise CommandError(f"{error}.") from None
    if recorder.trouble:
        told = (
            tr("{lost:,} records could not be written ({trouble})", lost=recorder.lost, trouble=recorder.trouble)
            if stream
            else recorder.trouble
        )
        raise CommandError(f"{stream or more['link']}: {told}.")
    # a night that ends in an endless loop ends there: what its calls would still tell is not part of it
    return getattr(recorder, "lost_by_then", recorder.lost)


def _play_whole(stream: str, faults: tuple[str, ...], seed: int | None, seconds: float | None, real_time: bool) -> None:
    """Play the night into a stream of which no record may be missing."""
    lost = _play(stream, faults, seed, seconds, real_time=real_time)
    if lost:
        raise CommandError(tr("{stream}: {lost:,} records could not be written.", stream=stream, lost=lost))


def _save(take: Take, out: str) -> None:
    from opossum.take.archive import save_take

    try:
        save_take(take, out)
    except OSError as error:
        raise CommandError(tr("{out}: cannot be written ({why}).", out=out, why=error.strerror or error)) from None
    remark(
        tr(
            "{out}: {records:,} records, {st_size:,} bytes",
            out=out,
            records=take.records,
            st_size=Path(out).stat().st_size,
        ),
        error=False,
    )
