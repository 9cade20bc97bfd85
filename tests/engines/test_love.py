"""LÖVE: the real engine without a screen, running a game whose engine calls are not edited."""

from __future__ import annotations

from collections import Counter

import pytest
from playing import EXAMPLES, causes, killed, needs, recorded

from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take

pytestmark = needs("love", "love")
EXAMPLE = str(EXAMPLES / "love_bakery")


@pytest.fixture(autouse=True)
def without_a_screen(monkeypatch):
    """Run the engine offscreen: its graphics module needs a window of some kind."""
    monkeypatch.setattr("playing.WITHOUT_A_SCREEN", {"SDL_VIDEODRIVER": "offscreen", "ALSOFT_DRIVERS": "null"})


def play(folder, fault: str = "") -> Take:
    """Record the example with a fault."""
    status, take = recorded(folder, "--love", EXAMPLE, "--", fault)
    assert status == 0
    return take


def test_a_night_without_faults(tmp_path):
    """Sound, closed on purpose, nothing found: frames, phases, callbacks, queue, lives, listeners."""
    take = play(tmp_path)
    heard = Counter((take.event_of_call(call), take.function_of_call(call)) for call in range(len(take.calls)))

    assert check_take(take) == [] and causes(take) == []
    assert take.game_frames == 150 + 1 or take.game_frames == 150
    assert take.head_list(0, "phases") == ["events", "update", "draw", "present"]
    assert heard["update", "love.update"] == 150 and heard["load", "love.load"] == 1
    assert heard["bread_ready", "Counter.on_bread"] == 7 and heard["bread_ready", "Customer.on_smell"] == 2
    assert heard["closing", "love.handlers.closing"] == 1
    assert len(take.tables["put"]) >= 1 and len(take.tables["pull"]) >= 1
    assert [take.text(int(code)) for code in take.tables["gone"]["o"]] == ["customer#1"]
    assert "the customer goes home" in [take.text(int(code)) for code in take.tables["say"]["text"]]


def test_causes_are_known(tmp_path):
    """The counter hears because of the update that sent."""
    take = play(tmp_path)
    bread = next(call for call in range(len(take.calls)) if take.event_of_call(call) == "bread_ready")
    assert take.function_of_call(int(take.calls.parent[bread])) == "love.update"


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("double", ["double-fire/bound-twice"]),
        ("stale", ["stale-listener/called-after-gone"]),
        ("slow", ["freeze/slow-call"]),
    ],
)
def test_faults_are_found(tmp_path, fault, found):
    """Each by its name, and nothing else."""
    assert causes(play(tmp_path, fault)) == found


def test_a_loop_without_end_is_named_when_the_game_is_killed(tmp_path):
    """The thread that watches has said where it stood."""
    take = killed(tmp_path, "love", 4, "--love", EXAMPLE, "--", "loop")
    finding = next(finding for finding in examine(take) if finding.kind == "freeze")
    assert (finding.cause, finding.subject.fn) == ("endless-loop", "love.update")
    assert len(take.tables["stuck"]) and not take.closed(0)


def test_an_error_is_kept_with_its_place(tmp_path):
    """The engine shows its error page until somebody closes it; the take says what failed."""
    take = killed(tmp_path, "love", 4, "--love", EXAMPLE, "--", "error")
    said = " ".join(take.text(int(code)) for code in take.tables["say"]["text"])
    assert "main.lua:57: the oven is cold" in said


LOOP_OF_ITS_OWN = """
function love.update(dt) end
function love.draw() end
function love.run()
	love.load(arg)
	for turn = 1, 30 do
		love.event.pump()
		for name, a, b in love.event.poll() do love.handlers[name](a, b) end
		love.update(0.01)
		love.draw()
		love.graphics.present()
		love.timer.sleep(0.001)
	end
end
function love.load() end
"""


def test_a_run_of_the_games_own_turns_once_a_frame(tmp_path):
    """As games wrote it before LÖVE 11: it never hands a turn back, and ends by returning."""
    game = tmp_path / "game"
    game.mkdir()
    (game / "main.lua").write_text(LOOP_OF_ITS_OWN)
    _, take = recorded(tmp_path, "--love", str(game))

    assert take.game_frames == 30 and take.closed(0) and causes(take) == []
    assert len(take.calls_by_frame.rows(int(take.calls.frame[-1]))) == 2
