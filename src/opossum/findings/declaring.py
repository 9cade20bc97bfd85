"""How kinds of findings, their causes and their thresholds are declared; everything else follows from it.

The command's `--only`, `--set` and table, the desk's list, Story and start page, and the tables of docs/findings.md are
derived from the declarations in `catalogue`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from opossum.findings.finding import Finding, Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.symptoms import NEVER_COMES, Symptom


class Spring(NamedTuple):
    """Says from what a cause may spring: a kind, or ``kind/cause``, and when one of its findings is the root."""

    root: str
    follows: Callable[[Scene, Finding, Finding], bool]
    """Given the scene, the finding and a finding of the root's kind: whether the first is the second's consequence."""


class Cause(NamedTuple):
    """One cause: what it is called in JSON and on screen, how bad it is, and who finds it.

    `find` yields what it found in a scene; `symptoms` are those of its kind where it names none of its own.
    `weave`, `group`: the weave of the desk that proves it best, and the symptom it is listed under, where not its kind's.
    `about`: what it is, in a sentence; `quiet`: what looks like it and is none (docs/findings.md is made of them).
    """

    name: str
    title: str
    severity: Severity
    find: Callable[[Scene], Iterator[Found]]
    thresholds: tuple[Threshold, ...] = ()
    springs_from: tuple[Spring, ...] = ()
    symptoms: tuple[Symptom, ...] = ()
    weave: str = ""
    group: Symptom | None = None
    about: str = ""
    quiet: str = ""


class Kind(NamedTuple):
    """A kind of finding: its name, its title on screen, the question it answers, and its causes, looked for in order.

    `group`: the symptom under which it is listed.  `symptoms`: what somebody comes with whom it answers.  `weave`: what the rows of the desk's middle are where it is proved best.
    """

    name: str
    title: str
    question: str
    symptoms: tuple[Symptom, ...]
    causes: tuple[Cause, ...]
    group: Symptom = NEVER_COMES
    weave: str = "flow"

    @property
    def thresholds(self) -> tuple[Threshold, ...]:
        """Return the thresholds of all its causes, each once."""
        return tuple(dict.fromkeys(threshold for cause in self.causes for threshold in cause.thresholds))
