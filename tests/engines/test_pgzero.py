"""Pygame Zero: the real engine without a screen, running a game that knows nothing of the recorder."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from playing import EXAMPLES, WITHOUT_A_SCREEN, causes, played, shared

from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take
from opossum_process import run

EXAMPLE = EXAMPLES / "pgzero_bakery.py"
VERSION = "pgzero==1.2.1"


@pytest.fixture(scope="module", autouse=True)
def engine(tmp_path_factory):
    """Install the engine by itself: what it depends on by name would take the place of the pygame that is tested."""
    folder = tmp_path_factory.mktemp("pgzero")
    command = [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--target", str(folder), VERSION]
    result = subprocess.run(command, capture_output=True, text=True)
    if result.returncode:
        pytest.skip(f"{VERSION} cannot be installed here: {result.stderr.strip().splitlines()[-1]}")
    before = os.environ.get("PYTHONPATH", "")
    os.environ["PYTHONPATH"] = os.pathsep.join(filter(None, [str(folder), before]))
    yield
    os.environ["PYTHONPATH"] = before


@pytest.fixture
def healthy(engine, request, tmp_path) -> Take:
    """Return the take of the game without a fault."""
    return shared(request, lambda: played(tmp_path, EXAMPLE))


def test_the_stream_is_sound(healthy):
    """Nothing damaged, and nothing wrong to be found."""
    assert check_take(healthy) == []
    assert 95 <= healthy.game_frames <= 105
    assert [finding.summary for finding in examine(healthy) if finding.kind != "freeze"] == []


def test_update_and_draw_are_ticks_and_handlers_are_bound(healthy):
    """To events of those names, and to the engine's."""
    binds = healthy.tables["bind"]
    bound = {(healthy.text(int(ev)), healthy.text(int(fn))) for ev, fn in zip(binds["ev"], binds["fn"], strict=True)}
    assert bound == {("update", "update"), ("draw", "draw"), ("KeyDown", "on_key_down")}
    ran = [healthy.function_of_call(call) for call in range(len(healthy.calls))]
    assert ran.count("update") == 100 and abs(ran.count("draw") - 100) <= 1


def test_what_the_clock_schedules_is_a_timer_or_a_delay(healthy):
    """Fired, and cleared."""
    arms, disarms = healthy.tables["arm"], healthy.tables["disarm"]
    told = [(healthy.text(int(ev)), round(float(sec), 2)) for ev, sec in zip(arms["ev"], arms["sec"], strict=True)]
    assert told == [("Oven.steam", 0.2), ("Oven.tray_up", 0.3)]
    assert arms["loop"].tolist() == [1, 0]
    ends = {int(a): healthy.text(int(how)) for a, how in zip(disarms["a"], disarms["how"], strict=True)}
    assert ends == {1: "cleared", 2: "done"}
    assert len(healthy.arms.firings.rows(0)) >= 3


def test_an_animation_is_a_clip_whose_end_is_a_mark(healthy):
    """And the call of what was given for it."""
    plays, stops = healthy.tables["play"], healthy.tables["stop"]
    assert [healthy.text(int(clip)) for clip in plays["clip"]] == ["animate x"]
    assert healthy.text(int(stops["how"][0])) == "end"
    finished = [call for call in range(len(healthy.calls)) if healthy.event_of_call(call) == "on_finished"]
    assert [healthy.function_of_call(call) for call in finished] == ["Oven.tray_up"]


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("poll", ["polling-waste/every-frame"]),
        ("loop", ["polling-waste/delay-loop"]),
        ("cut", ["cut-before-mark/replaced"]),
    ],
)
def test_faults_are_found(tmp_path, fault, found):
    """Each by its name, and nothing else."""
    assert causes(played(tmp_path, EXAMPLE, fault)) == found


def test_it_is_started_as_people_start_it(tmp_path, engine):
    """By the engine's own program, which is none of the game."""
    starter = Path(os.environ["PYTHONPATH"].split(os.pathsep)[0]) / "bin" / "pgzrun"
    command = ["record", "--out", "game.take", "--", sys.executable, starter, EXAMPLE]
    result = run(*command, cwd=tmp_path, env=os.environ | WITHOUT_A_SCREEN)
    assert result.returncode == 0, result.stderr
    assert "PGZeroGame" not in result.stderr
