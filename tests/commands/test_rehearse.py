"""`opossum rehearse`, as a user runs it."""

from __future__ import annotations

import pytest

from opossum.findings.examine import examine
from opossum.take.archive import save_take
from opossum.take.opening import open_any


@pytest.fixture
def bread(night, tmp_path):
    """Return a saved night in which each loaf is counted twice and the ledger is slow."""
    save_take(night("bound-twice", "slow-call"), tmp_path / "bread.take")
    return tmp_path / "bread.take"


def test_a_fix_is_told_and_saved(run, bread, tmp_path):
    """By number, by id, and by as much of it as is enough."""
    told = run("rehearse", bread, "bound-twice", "-o", tmp_path / "fixed.take")
    assert told.status == 0
    assert "`Counter.on_bread_ready` is bound to `bread_ready` once: the second bind" in told.out
    assert "Findings gone" in told.out and "Findings still there" in told.out
    left = examine(open_any(str(tmp_path / "fixed.take")))
    assert [finding.cause for finding in left] == ["slow-call"]
    numbered = run("rehearse", bread, "1", "--json").json
    assert numbered["about"] in (finding.id for finding in examine(open_any(str(bread))))
    assert run("rehearse", tmp_path / "fixed.take", left[0].id).status == 0


def test_what_is_not_meant_is_said(run, bread, tmp_path):
    """In one sentence, with what there is."""
    assert "there is no finding 9; there are 2" in run("rehearse", bread, "9").err
    assert "no finding is called `zebra`; there are: " in run("rehearse", bread, "zebra").err
    assert "may be " in run("rehearse", bread, "e").err
    assert "is saved as .take" in run("rehearse", bread, "1", "-o", tmp_path / "fixed.jsonl").err
    assert "give a finding, or --rule" in run("rehearse", bread).err
    assert "did you mean `every`?" in run("rehearse", bread, "--rule", "evry send of a is heard").err
    told = run("rehearse", bread, "--rule", "never more than 1 listener of bread_ready at once for each owner")
    assert told.status == 0 and "is held: what is bound already is not bound again" in told.out.replace("\n    ", " ")
    assert "give --force to replace it" in run("rehearse", bread, "1", "-o", bread).err
