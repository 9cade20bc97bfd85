"""The bakery's rules: kept in a healthy night, broken by faults."""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree

import pytest

from opossum.rules.checking import check
from opossum.rules.files import read_rules
from opossum.rules.reports import junit, sarif

BAKERY = Path(__file__).parents[2] / "docs" / "examples" / "bakery.rules"


@pytest.fixture(scope="module")
def rules():
    """Return the rules of the bakery."""
    return read_rules(BAKERY).rules


def broken(take, rules) -> set[str]:
    """Return the rules that broke, but for the one that asks for any fault."""
    return {outcome.rule.name for outcome in check(take, rules) if outcome.broken} - {"no faults"}


def test_a_healthy_night_keeps_them_all(night, rules):
    """And all but a few have occasion."""
    outcomes = check(night(), rules)
    assert [outcome.rule.name for outcome in outcomes if outcome.broken] == []
    assert sum(not outcome.occasions for outcome in outcomes) <= 2


@pytest.mark.parametrize(
    ("fault", "rule"),
    [
        ("bound-twice", "A loaf is stocked once"),
        ("two-routes", "Income is booked once"),
        ("queue-kept", "every put on bench is followed by exactly 1 pull from bench within 1 frame"),
        ("armed-twice", "never more than 1 timer steam of Oven at once for each owner"),
        ("held-input", "One press sells one loaf"),
        ("no-latch", "Settled once a visit"),
        ("called-after-gone", "no call comes after its owner is gone"),
        ("left-bound", "every bind by Dough or Customer ends with its owner"),
        ("every-frame", "No polling"),
        ("delay-loop", "No polling"),
        ("slow-call", "every call of Ledger.on_quarter takes at most 2 ms alone"),
        ("event-storm", "in each second, at most 20 call of Pantry.on_flour_low come"),
        ("many-calls", "in each frame, at most 50 send of crumb_fell come"),
        ("clock-late", "every 15 min on the game clock, send of quarter comes within 2 frames"),
    ],
)
def test_a_fault_breaks_the_rule_that_speaks_of_it(night, rules, fault, rule):
    """By name."""
    assert rule in broken(night(fault), rules)


def test_reports_for_machines(night, rules):
    """As many cases as rules, as many failures as broke, each with its place."""
    outcomes = check(night("bound-twice"), rules)
    broke = [outcome for outcome in outcomes if outcome.broken]
    suite = ElementTree.fromstring(junit(outcomes, "night", "game.rules")).find("testsuite")
    assert (int(suite.get("tests")), int(suite.get("failures"))) == (len(rules), len(broke))
    assert len(suite.findall("testcase/failure")) == len(broke) >= 3
    assert "caused 2 × call of Counter.on_bread_ready" in suite.find("testcase/failure").text
    (run,) = json.loads(sarif(outcomes, "night", "game.rules"))["runs"]
    assert len(run["tool"]["driver"]["rules"]) == len(rules) and len(run["results"]) == len(broke)
    first = run["results"][0]
    place = first["locations"][0]["physicalLocation"]
    assert place["region"]["startLine"] == broke[0].rule.line and first["level"] == "error"


def test_names_from_a_take_do_nothing_to_a_report(tmp_path):
    """Control characters are shown, markup is text."""
    from opossum.rules.parsing import parse_rules
    from tape import Tape

    tape = Tape().frame()
    tape.heard("<b>\x1b[31m", tape.bind("<b>\x1b[31m", "a#1", "f"))
    (outcome,) = check(tape.take(), parse_rules("no send of * comes").rules)
    written = junit([outcome], "<&>\x07", "game.rules")
    assert ElementTree.fromstring(written).find("testsuite").get("name") == "<&>␇"
