"""docs/python.md does what it says: its examples are run."""

import doctest
import os
import shutil
from pathlib import Path

import pytest

import opossum
from moonrise_bakery import demo_take_path
from moonrise_bakery.night import record_night

ROOT = Path(__file__).parent.parent


def test_the_examples_print_what_stands_there(tmp_path, monkeypatch):
    """From the first line to the last, in one folder."""
    shutil.copytree(ROOT / "docs" / "examples", tmp_path / "docs" / "examples", ignore=shutil.ignore_patterns("*.so"))
    monkeypatch.chdir(tmp_path)
    record_night("healthy.flow.jsonl", (), seconds=20.0)
    failed, tried = doctest.testfile(str(ROOT / "docs" / "python.md"), module_relative=False, encoding="utf-8")
    assert tried > 15 and failed == 0


def test_a_name_that_is_not_there_is_told():
    """A kind, a threshold, an attribute, and nothing at all."""
    take = opossum.open_take(demo_take_path())
    with pytest.raises(ValueError, match="there is no `dobule-fire`; there are: freeze, "):
        take.findings(only=["dobule-fire"])
    with pytest.raises(ValueError, match="there is no `slowness`; there are: "):
        take.findings(slowness=1)
    with pytest.raises(AttributeError, match="has no attribute 'open_tape'"):
        _ = opossum.open_tape
    with pytest.raises(ValueError, match="name a take"):
        opossum.open_take()
    assert {"open_take", "findings_table", "OpenTake"} <= set(dir(opossum))


def test_a_rule_that_is_not_understood_is_told_with_its_place(tmp_path):
    """File, line, column."""
    rules = tmp_path / "bad.rules"
    rules.write_text("every send of oven_on is heared\n")
    with pytest.raises(ValueError, match=r"bad\.rules:1:\d+: "):
        opossum.open_take(demo_take_path()).check(rules)
    with pytest.raises(ValueError, match="none"):
        opossum.open_take(demo_take_path()).check(tmp_path / "none.rules")


def test_what_is_saved_is_opened_again(tmp_path):
    """With the same tables; and several streams become one take."""
    take = opossum.open_take(demo_take_path())
    take.save(tmp_path / "copy.take")
    again = opossum.open_take(tmp_path / "copy.take")
    assert again.tables["call"].equals(take.tables["call"]) and set(again.tables) == set(take.tables)
    assert (again.records, again.frames, again.game) == (take.records, take.frames, "Moonrise Bakery")


def test_a_table_of_no_findings_has_its_columns():
    """So that a script need not ask."""
    table = opossum.findings_table([])
    assert table.num_rows == 0 and table.column_names[:2] == ["id", "kind"]


def test_the_package_is_typed():
    """Type checkers read its types, and the recorder's; loading it loads nothing that scripts do not ask for."""
    import subprocess
    import sys

    import opossum_recorder

    for package in (opossum, opossum_recorder):
        assert os.path.exists(os.path.join(os.path.dirname(package.__file__), "py.typed"))
    code = "import sys, opossum; print(any(name in sys.modules for name in ('numpy', 'pyarrow', 'opossum.take')))"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True).stdout == "False\n"
