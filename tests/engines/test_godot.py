"""Godot 3: the real engine without a window, running a project that knows nothing of the recorder."""

from __future__ import annotations

from collections import Counter

import pytest
from playing import EXAMPLES, causes, killed, needs, recorded

from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take

pytestmark = needs("godot3-server", "godot3-server")
EXAMPLE = str(EXAMPLES / "godot_bakery")


def play(folder, fault: str = "none") -> Take:
    """Record the example with a fault; its exit status is passed on."""
    status, take = recorded(folder, "--godot", EXAMPLE, "--", f"--fault={fault}")
    assert status == 3
    return take


def test_a_night_without_faults(tmp_path):
    """Sound, closed on purpose, nothing found: lives, signals, listeners, timers, clips and their marks."""
    take = play(tmp_path)
    via = Counter(
        (take.function_of_call(call), take.via_of_send(int(take.calls.send[call]))) for call in range(len(take.calls))
    )

    assert check_take(take) == [] and causes(take) == []
    assert via["Bakery._process", "tick"] == 150 and via["Bakery._ready", "life"] == 1
    assert via["Oven.on_steam", "timer"] >= 8 and via["Counter.on_bread_ready", "direct"] >= 3
    assert via["Bakery.on_fold", "clip"] == via["Bakery.on_turn", "clip"] == 1
    assert [take.text(int(code)) for code in take.tables["gone"]["o"]] == ["Bakery/Customer"]
    assert (len(take.tables["arm"]), len(take.tables["play"]), len(take.tables["stop"])) == (1, 1, 1)
    assert not any("not seen" in take.text(int(code)) for code in take.tables["say"]["text"])


def test_causes_are_known(tmp_path):
    """The counter hears because of the oven that steamed; places are the game's own lines."""
    take = play(tmp_path)
    bread = next(call for call in range(len(take.calls)) if take.event_of_call(call) == "bread_ready")
    assert take.function_of_call(int(take.calls.parent[bread])) == "Oven.on_steam"
    assert take.text(int(take.tables["call"]["at"][bread])) == "counter.gd:6"


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("double", ["double-fire/two-routes"]),
        ("stale", ["stale-listener/called-after-gone"]),
        ("slow", ["freeze/slow-call"]),
    ],
)
def test_faults_are_found(tmp_path, fault, found):
    """Each by its name, and nothing else."""
    assert causes(play(tmp_path, fault)) == found


def test_a_loop_without_end_is_named_when_the_game_is_killed(tmp_path):
    """The thread that watches has said where it stood."""
    take = killed(tmp_path, "godot3-server", 5, "--godot", EXAMPLE, "--", "--fault=loop")
    finding = next(finding for finding in examine(take) if finding.kind == "freeze")
    assert (finding.cause, finding.subject.fn) == ("endless-loop", "Bakery._process")
    assert len(take.tables["stuck"]) and not take.closed(0)


def test_scripts_may_be_left_as_they_are(tmp_path, monkeypatch):
    """Then sends and binds are seen, calls are not."""
    monkeypatch.setenv("OPOSSUM_REWRITE", "0")
    take = play(tmp_path)
    assert len(take.calls) == 0 and len(take.tables["bind"]) == 3
    assert "bread_ready" in {take.text(int(code)) for code in take.tables["send"]["ev"]}
