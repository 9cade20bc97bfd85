"""`opossum [TAKE …]`: the desk."""

from __future__ import annotations

import sys

import click


@click.command("desk")
@click.argument("paths", metavar="[TAKE|STREAM]…", nargs=-1)
@click.option("--look", type=click.Choice(["day", "night", "system"]), help="Day or night look for this run.")
def open_desk(paths: tuple[str, ...], look: str | None) -> None:
    """Open the desk, on a take or stream if one is named (several streams: one session's peers)."""
    from opossum_desk.application import run_desk

    sys.exit(run_desk(list(paths), look=look))
