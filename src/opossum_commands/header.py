"""`opossum header`: the recorder for C and C++."""

from __future__ import annotations

import click

from opossum_commands.engines.engine import recorder_folder


@click.command()
def header() -> None:
    """Print the C and C++ recorder, one header file: opossum header > opossum.h"""
    click.echo((recorder_folder() / "c" / "opossum.h").read_text(encoding="utf-8"), nl=False)
