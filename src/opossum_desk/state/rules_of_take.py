"""The rules of the take on the desk: those in the files beside it, what became of them, and those it suggests."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from opossum_desk.state.topics import Topics

if TYPE_CHECKING:
    from opossum.learning.learn import Learnt
    from opossum.rules.checked import Outcome
    from opossum.rules.completing import TakeNames


class Mistake(NamedTuple):
    """A sentence of a rule file that cannot be understood: where, and what to write instead."""

    file: str
    line: int
    column: int
    message: str


class Checked(NamedTuple):
    """What became of the rules of some files, what is wrong with others of their sentences, and names to complete with."""

    outcomes: list[Outcome]
    mistakes: list[Mistake]
    files: list[Path]
    names: TakeNames


class RulesOfTake:
    """What is known of the rules of a take, as it comes to be known."""

    def __init__(self, topics: Topics) -> None:
        self._topics = topics
        self.checked: Checked | None = None
        """What became of the rules; None: not asked yet."""
        self.suggested: list[Learnt] | None = None
        """What the take itself suggests; None: not asked yet."""
        self.trouble = ""
        self.check: Callable[[], None] | None = None
        """Has the files beside the take checked; None where there is nobody to ask."""
        self.learn: Callable[[], None] | None = None
        """Has the take asked for what always held in it."""
        self.write: Callable[[str], bool] | None = None
        """Adds a sentence to the file beside the take; says whether it could."""

    def show(self, checked: Checked) -> None:
        """Show what became of the rules."""
        self.checked, self.trouble = checked, ""
        self._topics.publish("rules")

    def suggest(self, suggested: list[Learnt]) -> None:
        """Show what the take suggests."""
        self.suggested = suggested
        self._topics.publish("rules")

    def fail(self, why: str) -> None:
        """Say why the rules cannot be checked."""
        self.trouble = why
        self._topics.publish("rules")


def rule_file_of(take_file: str) -> Path:
    """Return the rule file that rules of a take are written to: the first beside it, else one of its own name."""
    from opossum.rules.files import SUFFIX, rules_beside

    beside = rules_beside(take_file)
    name = Path(take_file).name
    for ending in (".gz", ".jsonl", ".flow", ".take"):
        name = name.removesuffix(ending)
    return beside[0] if beside else Path(take_file).parent / f"{name or 'game'}{SUFFIX}"
