"""Learning rules: what takes suggest, kept where it held in all of them, often enough, and is not said by another.

A sentence is learnt only if it never broke in any take and had at least as many occasions, over all of them, as its sort
needs (`Candidate.fewest`); what pairs two things must share an object, a send or a cause with a fixed delay.  That, not a
measure of surprise, is what keeps chance out: on healthy runs surprise alone let a quarter of them break a rule.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Sequence
from typing import NamedTuple

from opossum.learning.candidate import Candidate, either
from opossum.learning.candidates import SOURCES, lives
from opossum.rules.checked import Outcome
from opossum.rules.checking import check_one
from opossum.rules.ground import Ground
from opossum.rules.parsing import Sentence, parse_sentence
from opossum.rules.sentence import Rule
from opossum.take.take import Take

Progress = Callable[[int, int], None]
"""Called with how many takes of how many were asked; may raise to cancel."""

WIDTH = 110
"""Characters of a line of a rule file."""

MOST_DISPUTED = 40
"""Rules told on which the takes disagree."""


class Learnt(NamedTuple):
    """A rule that always held: its candidate, and how often it had occasion in all takes."""

    candidate: Candidate
    occasions: int


class Disputed(NamedTuple):
    """A rule that held in some takes and broke in others: by the takes' names."""

    candidate: Candidate
    held_in: list[str]
    broke_in: list[str]


class Learning(NamedTuple):
    """What was learnt from takes, and on what they disagree."""

    takes: list[str]
    rules: list[Learnt]
    disputed: list[Disputed]


def learn(takes: Sequence[Take], progress: Progress | None = None) -> Learning:
    """Learn from takes of healthy runs. Cost: every sentence that any take suggests is checked against all takes."""
    suggested: dict[str, Candidate] = {}
    known: dict[str, set[str]] = {}
    for take in takes:
        for source in SOURCES:
            for candidate in source(take):
                suggested.setdefault(candidate.sentence, candidate)
        for sort, names in lives.names(take).items():
            known.setdefault(sort, set()).update(names)
    for candidate in lives.only(known):
        suggested[candidate.sentence] = candidate
    rules = {
        sentence: rule for sentence in suggested if isinstance(rule := parse_sentence(Sentence(1, sentence)), Rule)
    }
    outcomes: dict[str, list[Outcome]] = {sentence: [] for sentence in rules}
    for number, take in enumerate(takes):
        if progress is not None:
            progress(number, len(takes))
        ground = Ground(take)
        for sentence, rule in rules.items():
            outcomes[sentence].append(check_one(ground, rule))
    learnt: dict[str, Learnt] = {}
    disputed: list[Disputed] = []
    for sentence, told in outcomes.items():
        candidate = suggested[sentence]
        occasions = sum(outcome.occasions for outcome in told)
        if any(outcome.broken for outcome in told):
            held = [take.name for take, outcome in zip(takes, told, strict=True) if outcome.verdict == "held"]
            broke = [take.name for take, outcome in zip(takes, told, strict=True) if outcome.broken]
            if len(held) > len(broke):
                disputed.append(Disputed(candidate, held, broke))
        elif occasions >= candidate.fewest:
            learnt[sentence] = Learnt(candidate, occasions)
    kept = [item for item in learnt.values() if not any(other in learnt for other in item.candidate.implied_by)]
    # what never had occasion holds in a take of nothing too
    kept = _told_together(_widest(kept)) if any(item.occasions for item in kept) else []
    disputed.sort(key=lambda item: (-len(item.held_in), item.candidate.sentence))
    return Learning([take.name for take in takes], kept, disputed[:MOST_DISPUTED])


def _widest(rules: list[Learnt]) -> list[Learnt]:
    """Keep of several limits of one thing the widest: takes differ in what was worst."""
    widest: dict[str, Learnt] = {}
    for item in rules:
        key = item.candidate.limit_of or item.candidate.sentence
        if key not in widest or item.candidate.limit > widest[key].candidate.limit:
            widest[key] = item
    return list(widest.values())


def _told_together(rules: list[Learnt]) -> list[Learnt]:
    """Tell sentences that differ in a name alone as one, in the place of the first."""
    told: dict[tuple[str, ...], list[Learnt]] = {}
    for item in rules:
        candidate = item.candidate
        key = (candidate.one_of[0], candidate.one_of[2]) if candidate.one_of else (candidate.sentence,)
        told.setdefault(key, []).append(item)
    return [_joined(items) for items in told.values()]


def _joined(items: list[Learnt]) -> Learnt:
    first = items[0].candidate
    if first.one_of is None or len(items) == 1:
        return items[0]
    names = either([item.candidate.one_of[1] for item in items if item.candidate.one_of])
    sentence = f"{first.one_of[0]}{names}{first.one_of[2]}"
    return Learnt(first._replace(sentence=sentence), sum(item.occasions for item in items))


def rule_file(learning: Learning, game: str) -> str:
    """Return what was learnt as a rule file: a section a sort, each sentence with how often it had occasion."""
    count = len(learning.takes)
    what = "1 take" if count == 1 else f"{count} takes"
    lines = [
        f"# What always held in {what}: {', '.join(_one_line(name) for name in learning.takes)}.",
        "# A number says how often a rule had occasion. Keep what is meant, delete what is chance.",
    ]
    if game and '"' not in game and "\n" not in game:
        lines.append(f'rules for "{game}"')
    sections: dict[str, list[Learnt]] = {}
    for item in learning.rules:
        sections.setdefault(item.candidate.section, []).append(item)
    for section, items in sections.items():
        lines += ["", f'section "{section}"']
        lines += [line for item in items for line in _lines_of(item)]
    if learning.disputed:
        lines += ["", "# On these the takes disagree: a fault in one of them, or no rule."]
        for dispute in learning.disputed:
            broke = ", ".join(_one_line(name) for name in dispute.broke_in)
            lines.append(f"#   {dispute.candidate.sentence}    (broke in {broke})")
    return "\n".join(lines) + "\n"


def _lines_of(item: Learnt) -> list[str]:
    """Return a rule with its number, on as many lines as it takes."""
    lines = textwrap.wrap(
        f"{item.candidate.severity}: {item.candidate.sentence}",
        WIDTH,
        subsequent_indent="    ",
        break_long_words=False,
        break_on_hyphens=False,
    )
    lines[-1] += f"    # {item.occasions:,}"
    return lines


def _one_line(name: str) -> str:
    return " ".join(name.split())
