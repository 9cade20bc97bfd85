"""The rows of Rules: what cannot be understood, what broke, what held, and what the take itself suggests."""

from __future__ import annotations

from enum import Enum
from typing import TYPE_CHECKING, NamedTuple

from opossum.words import counted, tr
from opossum_desk.state.session import Session

if TYPE_CHECKING:
    from opossum.learning.learn import Learnt
    from opossum.rules.checked import Outcome


class Sort(Enum):
    """What a row is."""

    HEAD = "head"
    MISTAKE = "mistake"
    RULE = "rule"
    SUGGESTED = "suggested"


class RuleRow(NamedTuple):
    """One row: a heading (that folds by `key`), a sentence that cannot be understood, a rule with what became of it, or a
    suggestion."""

    sort: Sort
    text: str
    title: str = ""
    key: str = ""
    outcome: Outcome | None = None
    suggested: Learnt | None = None
    opened: bool = False


def rule_rows(session: Session, folded: set[str]) -> list[RuleRow]:
    """Return the rows; `folded` holds the keys of those whose fold is not as it is at first."""
    rules = session.rules
    rows: list[RuleRow] = []
    if rules.trouble:
        rows.append(RuleRow(Sort.MISTAKE, rules.trouble, tr("not checked")))
    checked = rules.checked
    if checked is not None:
        rows += [
            RuleRow(Sort.MISTAKE, item.message, f"{item.file}:{item.line}:{item.column}") for item in checked.mistakes
        ]
        for verdict, title, opened in (
            ("broke", "broke", True),
            ("held", "held", True),
            (tr("no occasion"), tr("had no occasion"), False),
        ):
            mine = [outcome for outcome in checked.outcomes if outcome.verdict == verdict]
            if not mine:
                continue
            mine.sort(key=lambda outcome: -outcome.broken)
            is_open = opened != (verdict in folded)
            rows.append(RuleRow(Sort.HEAD, "", f"{counted(len(mine), 'rule')} {title}", verdict, opened=is_open))
            if is_open:
                rows += [
                    RuleRow(Sort.RULE, sentence_of(outcome), verdict_of(outcome), outcome=outcome) for outcome in mine
                ]
    if checked is not None:
        is_open = "suggested" in folded
        count = (
            tr("{rules} that always held here", rules=counted(len(rules.suggested), "rule"))
            if rules.suggested is not None
            else tr("What always held here")
        )
        rows.append(
            RuleRow(Sort.HEAD, "" if is_open else tr("Unfold it to look for them."), count, "suggested", opened=is_open)
        )
        if is_open:
            rows += [
                RuleRow(Sort.SUGGESTED, item.candidate.sentence, f"{counted(item.occasions, 'time')}", suggested=item)
                for item in rules.suggested or ()
            ]
    return rows


def sentence_of(outcome: Outcome) -> str:
    """Return what a rule says, with its title before it."""
    rule = outcome.rule
    return f"{rule.title}: {rule.text}" if rule.title else rule.text


def verdict_of(outcome: Outcome) -> str:
    """Return how often a rule held or broke."""
    if outcome.broken:
        return tr("broke {broken:,} of {occasions:,}", broken=outcome.broken, occasions=outcome.occasions)
    return tr("held {times}", times=counted(outcome.occasions, "time")) if outcome.occasions else tr("no occasion")
