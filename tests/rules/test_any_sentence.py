"""Sentences that the grammar itself makes, at random: each is read, checked, and gives occasions that add up."""

from __future__ import annotations

import random

import pytest
from lark import Token

from opossum.rules.checking import check
from opossum.rules.parsing import parse_rules, parser, words_of
from opossum.rules.reports import junit, sarif

LONGEST = 40
"""Words after which a sentence that does not end is given up."""

ENDS = 0.35
"""How likely a sentence ends where it may."""

NAMES = (
    "Oven",
    "Counter",
    "Baker",
    "oven#2",
    "Oven.on_steam",
    "Counter.on_bread_ready",
    "bread_ready",
    "steam",
    "bench",
)
MORE_NAMES = ("sell", "stock", "knead_slow", "press", "quarter", "tray_up", "main", "*", "nobody")

WRITTEN = {
    "NUM": ("0", "1", "2", "5", "-3", "0.5", "1000"),
    "UNIT": ("ms", "s", "min", "frames", "frame"),
    "PERCENT": ("10 %", "0%", "100%"),
    "CLOCK": ("19:30", "00:00"),
    "STRING": ('"t"',),
    "NAME": (*NAMES, *MORE_NAMES),
    "QUOTED": tuple(f"`{name}`" for name in NAMES),
}


def a_sentence(chance: random.Random) -> str:
    """Return a sentence that a walk through the grammar makes; empty where it came to nothing."""
    state = parser().parse_interactive("")
    words: list[str] = []
    while len(words) < LONGEST:
        accepted = sorted(state.accepts())
        if "$END" in accepted and (len(accepted) == 1 or chance.random() < ENDS):
            return " ".join(words)
        terminal = chance.choice([name for name in accepted if name != "$END"])
        choice = WRITTEN.get(terminal) or words_of(terminal)
        if not choice:
            return ""
        words.append(chance.choice(choice))
        state.feed_token(Token(terminal, words[-1]))
    return ""


@pytest.mark.parametrize("seed", range(8))
def test_any_sentence_can_be_checked(night, seed):
    """Against a night with faults of many sorts; nothing is raised, and the reports can be written."""
    take = night("bound-twice", "raised", "clip-cut", "queue-waits", "slow-call", seconds=20.0)
    chance = random.Random(seed)
    rules = [rule for _ in range(60) for rule in parse_rules(a_sentence(chance)).rules]
    assert len(rules) > 20
    outcomes = check(take, rules)
    for outcome in outcomes:
        assert (
            len(outcome.frames)
            == len(outcome.held)
            == outcome.occasions
            >= outcome.broken
            == int((~outcome.held).sum())
        )
        assert all(item.note for item in outcome.breaks), outcome.rule.text
    assert junit(outcomes, "a", "b") and sarif(outcomes, "a", "b")
