"""`opossum schema`: what the JSON that commands print holds, as a JSON Schema."""

from __future__ import annotations

from importlib import resources

import click


@click.command()
def schema() -> None:
    """Print the JSON Schema of all JSON that Opossum writes: opossum schema > opossum.schema.json"""
    click.echo(resources.files("opossum").joinpath("opossum.schema.json").read_text(encoding="utf-8"), nl=False)
