"""The one list of kinds of findings. A new kind is a new file beside this one and one line here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from opossum.findings import double_fire, freeze, polling_waste, stale_listener
from opossum.findings.finding import Finding
from opossum.findings.scene import Scene


class KindOfFinding(NamedTuple):
    """A kind: its name, the question it answers, and the function that finds it."""

    name: str
    question: str
    find: Callable[[Scene], Iterator[Finding]]


KINDS_OF_FINDINGS = tuple(
    KindOfFinding(module.KIND, module.QUESTION, module.find)
    for module in (freeze, double_fire, stale_listener, polling_waste)
)
