"""`opossum compare`, as a user or a script runs it."""

from __future__ import annotations

import pytest

from opossum.take.archive import save_take


@pytest.fixture
def nights(night, tmp_path):
    """Return a function that saves a night with faults and returns its file."""

    def saved(*faults: str) -> str:
        path = tmp_path / f"{'-'.join(faults) or 'healthy'}.take"
        save_take(night(*faults), path)
        return str(path)

    return saved


def test_what_changed_is_told_in_sentences(run, nights):
    """The finding that is new, and the first difference with what follows from it."""
    told = run("compare", nights(), nights("bound-twice"))
    assert told.status == 0 and told.err == ""
    assert "fault double-fire/bound-twice/Counter/Counter.on_bread_ready/bread_ready" in told.out.replace("\n    ", " ")
    assert (
        "Frame 40: `Counter.on_bread_ready` is bound to `bread_ready` once more in AFTER. 15 calls follow." in told.out
    )


def test_a_script_can_stop_at_what_is_new(run, nights):
    """Only at what the take before had not."""
    healthy, faulty = nights(), nights("bound-twice")
    assert run("compare", healthy, faulty, "--fail-on", "new-fault").status == 1
    assert run("compare", faulty, faulty, "--fail-on", "new-fault").status == 0
    assert run("compare", faulty, healthy, "--fail-on", "new-risk").status == 0
    assert run("compare", faulty, healthy, "--fail-on", "difference").status == 1
    assert run("compare", healthy, healthy, "--fail-on", "difference").status == 0


def test_json_says_the_same(run, nights):
    """With numbers and names."""
    told = run("compare", nights(), nights("bound-twice"), "--json").json
    assert [finding["cause"] for finding in told["findings"]["new"]] == ["bound-twice"]
    assert told["quality"]["same_steps"] is True and len(told["differences"]) == 1


def test_what_cannot_be_compared_is_said(run, nights, tmp_path):
    """In one sentence, with what to do."""
    healthy = nights()
    assert run("compare", healthy).err == "opossum: give two takes, or one and --peers ONE OTHER.\n"
    assert "there is no such file" in run("compare", healthy, tmp_path / "none.take").err
    assert "has no peer `host`; there are: main" in run("compare", healthy, "--peers", "host", "main").err
    assert "leave --peers out" in run("compare", healthy, healthy, "--peers", "a", "b").err
