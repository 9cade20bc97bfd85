"""What a shell is offered to complete a word with: files, kinds, thresholds, faults. What it needs is loaded only then."""

from __future__ import annotations

import click
from click.shell_completion import CompletionItem

from opossum.words import tr


def files(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Offer files, as the shell knows them."""
    return [CompletionItem(incomplete, type="file")]


def kinds(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Offer kinds of findings, with what each asks."""
    from opossum.findings.catalogue import KINDS

    return [CompletionItem(kind.name, help=tr(kind.question)) for kind in KINDS if kind.name.startswith(incomplete)]


def thresholds(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Offer thresholds, ready for their value."""
    from opossum.findings.catalogue import all_thresholds

    known = [threshold for threshold in all_thresholds().values() if threshold.name.startswith(incomplete)]
    return [
        CompletionItem(f"{item.name}=", help=f"{item.default:g} {tr(item.unit)}: {tr(item.reason)}") for item in known
    ]


def faults(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Offer faults of the bakery; the last of several that stand with commas."""
    from moonrise_bakery.faults import FAULTS

    before, comma, begun = incomplete.rpartition(",")
    return [
        CompletionItem(f"{before}{comma}{fault.name}", help=tr(fault.story))
        for fault in FAULTS.values()
        if fault.name.startswith(begun)
    ]
