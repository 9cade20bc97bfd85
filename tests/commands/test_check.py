"""`opossum check`, as a user or CI runs it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from opossum.take.archive import save_take

BAKERY = Path(__file__).parents[2] / "docs" / "examples" / "bakery.rules"


@pytest.fixture
def bread(night, tmp_path) -> Path:
    """Return a saved night in which each loaf is counted twice."""
    save_take(night("bound-twice"), tmp_path / "bread.take")
    return tmp_path / "bread.take"


def test_rules_that_broke_are_told_with_their_place(run, bread):
    """And the status says that one did."""
    told = run("check", bread, "--rules", BAKERY)
    assert told.status == 1 and told.err == ""
    assert "FAULT  A loaf is stocked once" in told.out
    assert "broke 15 of 15 times:" in told.out and "caused 2 × call of Counter.on_bread_ready" in told.out
    assert "held   Income is booked once" in told.out
    assert told.out.splitlines()[-1].endswith("had no occasion.")
    quiet = run("check", bread, "--rules", BAKERY, "-q")
    assert "A loaf is stocked once" in quiet.out and "Income is booked once" not in quiet.out


def test_rules_beside_the_take_are_found(run, bread, tmp_path):
    """As are several files."""
    assert run("check", bread).err == f"opossum: {bread}: no rule file beside it; name one with --rules FILE.\n"
    (tmp_path / "a.rules").write_text("every send of bread_ready is heard\n")
    (tmp_path / "b.rules").write_text("no send of no_such_event comes\n")
    told = run("check", bread)
    assert told.status == 0 and told.out.splitlines()[-1] == "2 rules: 0 broke, 1 held, 1 had no occasion."


def test_every_mistake_in_a_rule_file_is_told(run, bread, tmp_path):
    """With file, line and column, before anything is checked."""
    rules = tmp_path / "game.rules"
    rules.write_text("evry send of a is heard\nevery send of a is heard\nevery send of a is herad\n")
    told = run("check", bread, "--rules", rules)
    assert told.status == 2 and told.out == ""
    assert f"{rules}:1:1: `evry` is not understood here; did you mean `every`?" in told.err
    assert f"{rules}:3:20: `herad` is not understood here; did you mean `heard`?" in told.err
    assert "2 of the sentences cannot be understood" in told.err
    rules.write_text("# nothing yet\n")
    assert "holds no rule" in run("check", bread, "--rules", rules).err
    assert "cannot be read" in run("check", bread, "--rules", tmp_path / "none.rules").err


def test_reports_and_json_are_written(run, bread, tmp_path):
    """Beside what is printed; whole or not at all."""
    told = run(
        "check",
        bread,
        "--rules",
        BAKERY,
        "--json",
        "--junit",
        tmp_path / "rules.xml",
        "--sarif",
        tmp_path / "rules.sarif",
    ).json
    assert (told["format"], told["version"]) == ("opossum-check", 1)
    assert told["broke"] == sum(rule["verdict"] == "broke" for rule in told["rules"]) >= 2
    assert (tmp_path / "rules.xml").read_bytes().startswith(b"<?xml")
    assert json.loads((tmp_path / "rules.sarif").read_bytes())["version"] == "2.1.0"
    assert "cannot be written" in run("check", bread, "--rules", BAKERY, "--junit", tmp_path / "none" / "x.xml").err


def test_findings_as_rules_break_where_they_were_found(run, bread, tmp_path):
    """Straight from one command into the other."""
    rules = tmp_path / "against.rules"
    rules.write_text(run("findings", bread, "--as-rules").out)
    told = run("check", bread, "--rules", rules, "--json").json
    assert told["broke"] == len(told["rules"]) >= 1
