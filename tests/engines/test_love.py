"""LÖVE: the real engine without a screen, running a game whose engine calls are not edited."""

from __future__ import annotations

import os
import signal
import time
import zipfile
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from playing import EXAMPLES, causes, ended, held_at, killed, needs, recorded, step

from opossum.findings.examine import examine
from opossum.live.receiver import Receiver
from opossum.live.tripwires import parse_tripwire
from opossum.take.checks import check_take
from opossum.take.opening import open_any
from opossum.take.take import Take
from opossum_commands.engines import love
from opossum_commands.reading import CommandError
from opossum_process import OpossumProcess

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
    assert take.recording.head_list(0, "phases") == ["events", "update", "draw", "present"]
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
        ("name", ["unheard/near-name"]),
        ("early", ["unheard/sent-before-bind"]),
        ("order", ["order-changes/flips"]),
        ("timer", ["timer-left-running/owner-gone"]),
        ("queue", ["unheard/queued-never-pulled"]),
        ("poll", ["polling-waste/every-frame"]),
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
    assert len(take.tables["stuck"]) and not take.recording.closed(0)


def test_an_error_is_kept_with_its_place(tmp_path):
    """The engine shows its error page until somebody closes it; the take says what failed."""
    take = killed(tmp_path, "love", 4, "--love", EXAMPLE, "--", "error")
    said = " ".join(take.text(int(code)) for code in take.tables["say"]["text"])
    assert "main.lua:82: the oven is cold" in said


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

    assert take.game_frames == 30 and take.recording.closed(0) and causes(take) == []
    assert len(take.calls_by_frame.rows(int(take.calls.frame[-1]))) == 2


def test_a_game_that_is_one_file(tmp_path):
    """Its ending tells what it is; its name is the game's, and what is in it runs."""
    with zipfile.ZipFile(tmp_path / "supper.love", "w") as packed:
        packed.writestr("main.lua", LOOP_OF_ITS_OWN)
    _, take = recorded(tmp_path, str(tmp_path / "supper.love"))

    assert take.game_frames == 30 and take.recording.closed(0) and causes(take) == []


@pytest.mark.parametrize(
    ("holds", "at_most", "why"),
    [
        ("readme.txt", 4 << 30, "is no LÖVE game .there is no main.lua at its top"),
        ("main.lua", 39, "holds more than"),
        ("", 4 << 30, "cannot be unpacked .File is not a zip file"),
    ],
)
def test_a_file_that_is_no_game_is_refused(tmp_path, monkeypatch, holds, at_most, why):
    """In a sentence that names the file as it was given, before anything is run."""
    game = tmp_path / "supper.love"
    monkeypatch.setattr(love, "PACKED_BYTES_MAX", at_most)
    game.write_text("soup")
    if holds:
        with zipfile.ZipFile(game, "w") as packed:
            packed.writestr(holds, "soup" * 10)
    with pytest.raises(CommandError, match=rf"^{game}: {why}"):
        love.launch(str(tmp_path / "supper.flow.jsonl"), (str(game),), tmp_path / "lasting")


def linked(folder, fault: str, listener: Receiver | None = None) -> tuple[OpossumProcess, Receiver]:
    """Run the example over the link to a listener."""
    listener = listener or Receiver(folder / "love.flow.jsonl", port=0)
    listener.start()
    return begun(listener.port, "--", fault), listener


def begun(port: int, *arguments: str) -> OpossumProcess:
    """Begin the example over the link to a port."""
    environment = os.environ | {"SDL_VIDEODRIVER": "offscreen", "ALSOFT_DRIVERS": "null"}
    return OpossumProcess("record", "--link", f"127.0.0.1:{port}", "--love", EXAMPLE, *arguments, env=environment)


def test_it_plays_over_the_link(tmp_path):
    """Whole to the last line, its clock set by the pings it answers."""
    game, listener = linked(tmp_path, "double")
    game.communicate(timeout=60)
    take = ended(listener)

    assert game.returncode == 0 and listener.peers[0].closed and listener.peers[0].error_ns is not None
    assert check_take(take) == [] and take.recording.closed(0) and take.game_frames >= 150
    assert causes(take) == ["double-fire/bound-twice"] and not len(take.tables["lost"])


def test_over_the_link_too_a_loop_without_end_is_named(tmp_path):
    """The thread that sends says where the game stands."""
    game, listener = linked(tmp_path, "loop")
    deadline = time.monotonic() + 30
    while b'"stuck"' not in (tmp_path / "love.flow.jsonl").read_bytes() and time.monotonic() < deadline:
        time.sleep(0.1)
    child = Path(f"/proc/{game.pid}/task/{game.pid}/children").read_text().split()[0]
    os.kill(int(child), signal.SIGKILL)
    game.communicate(timeout=60)
    finding = next(found for found in examine(ended(listener)) if found.kind == "freeze")

    assert (finding.cause, finding.subject.fn) == ("endless-loop", "love.update")


def test_the_game_may_be_started_before_opossum(tmp_path):
    """What came meanwhile is sent when somebody listens."""
    listener = Receiver(tmp_path / "a.flow.jsonl", port=0)
    listener.start()
    port = listener.port
    listener.stop()
    game = begun(port)
    time.sleep(1.0)
    late = Receiver(tmp_path / "late.flow.jsonl", port=port)
    late.start()
    game.communicate(timeout=60)
    take = ended(late)

    assert take.recording.closed(0) and take.tables["frame"]["n"][0] == 0 and check_take(take) == []


@pytest.mark.parametrize(
    ("wire", "fault", "function"),
    [
        ("fn:Counter.on_bread count:2", "none", "Counter.on_bread"),
        ("cls:Customer gone", "stale", "Customer.on_smell"),
        ("o:counter#1 again", "double", "Counter.on_bread"),
        ("slow:200", "slow", "love.update"),
        ("send ev:closing d.1>=3", "none", "love.update"),
    ],
)
def test_it_is_held_at_a_tripwire_and_goes_on(tmp_path, wire, fault, function):
    """Before the listener runs; its stack is told, its time held counts for nothing."""
    listener = Receiver(tmp_path / "love.flow.jsonl", port=0)
    number = listener.trip(parse_tripwire(wire))
    game, _ = linked(tmp_path, fault, listener)
    trip, take = held_at(listener)
    stack = take.tables["held"].json("stack")[0]

    assert trip == number and function in stack.split(",")[0]
    time.sleep(0.4)
    listener.untrip(number)
    listener.go()
    game.communicate(timeout=30)
    take = ended(listener)
    assert take.recording.closed(0) and len(take.tables["held"]) == len(take.tables["went"]) == 1
    assert ("freeze/slow-call" in causes(take)) == (fault == "slow")


def test_a_field_of_an_object_is_told_while_it_is_asked_for(tmp_path):
    """At the end of each frame in which it changed; what cannot be read is said once."""
    listener = Receiver(tmp_path / "love.flow.jsonl", port=0)
    listener.watch("shelf#1", "turned")
    listener.watch("shelf#1", "loaves")
    listener.watch("ghost#1", "turned")
    game, _ = linked(tmp_path, "poll", listener)
    game.communicate(timeout=30)
    take = ended(listener)
    table = take.tables["watch"]
    told = [
        (take.text(int(table["name"][row])), table.json("v")[row])
        for row in range(len(table))
        if take.text(int(table["o"][row])) == "shelf#1"
    ]
    turned = [int(value) for name, value in told if name == "turned"]
    assert len(turned) > 50 and turned == sorted(set(turned))
    assert ("loaves", '"table of 0"') in told
    said = [take.text(int(code)) for code in take.tables["say"]["text"]]
    assert sum("ghost#1 turned cannot be watched" in line for line in said) == 1


def test_it_is_stepped_and_goes_on_when_opossum_goes_away(tmp_path):
    """One call on, one frame on; the game belongs to its player."""
    listener = Receiver(tmp_path / "love.flow.jsonl", port=0)
    number = listener.trip(parse_tripwire("fn:love.update count:5"))
    game, _ = linked(tmp_path, "none", listener)
    held_at(listener)
    listener.untrip(number)
    step(listener, "call")
    step(listener, "frame")
    listener.stop()
    game.communicate(timeout=30)
    held = open_any(str(listener.out)).tables["held"]

    assert game.returncode == 0
    assert [int(c) > 0 for c in held["c"]] == [True, True, False]


@pytest.mark.skipif(not Path("/proc/thread-self/schedstat").exists(), reason="the system does not tell it")
def test_what_the_machine_took_from_a_frame_is_told(tmp_path):
    """And how long the thread ran, by its own clock."""
    idle = play(tmp_path).tables["idle"]
    assert len(idle) >= 140 and (np.asarray(idle["ready"]) >= 0).all()
    assert (np.asarray(idle["cpu"]) > 0).all() and int(np.asarray(idle["cpu"]).max()) < 10**9


OWN_FUNCTIONS = """
Player = {} Player.__index = Player
function Player.new(x) return setmetatable({ x = x }, Player) end
function Player:update(dt) self.x = self.x + dt end
function Player:draw() end
local Ant = {} Ant.__index = Ant
function Ant.new(i) return setmetatable({ i = i }, Ant) end
function Ant:update(dt) self.i = self.i + twice(1) end
function twice(n) return 2 * n end
world = { ants = {} }
function world.update(dt) for _, ant in ipairs(world.ants) do ant:update(dt) end end
local function keys() local down = keys_down() return down end
function keys_down() return 1 end
menu = { turns = 0 }
function menu.update(dt) menu.turns = menu.turns + 1 end
game = {}
function game.update(dt) keys() player:update(dt) world.update(dt) end
local state = menu
local turns = 0
function love.load()
	player = Player.new(1)
	for i = 1, 5 do world.ants[i] = Ant.new(i) end
	keys_down() player:update(1)
end
function love.update(dt)
	for _ = 1, STEPS do state.update(dt) end
	turns = turns + 1
	if turns == 40 then state = game end
	if turns == 240 then love.event.quit() end
	love.timer.sleep(0.01)
end
function love.draw() player:draw() end
"""


def called(take: Take) -> dict[tuple[str, str], int]:
    """Return how often each function of each object was called."""
    return Counter((take.owner_of_call(call), take.function_of_call(call)) for call in range(len(take.calls)))


def test_the_games_own_functions_are_seen(tmp_path):
    """What a turn calls, through what hands on, also once another part of the game runs; and its objects, each by itself."""
    (tmp_path / "main.lua").write_text(OWN_FUNCTIONS.replace("STEPS", "1"))
    status, take = recorded(tmp_path, "--love", str(tmp_path))
    assert status == 0 and check_take(take) == []
    seen = called(take)
    own = {named: count for named, count in seen.items() if named[0] != "love"}
    assert set(own) == {
        ("menu", "menu.update"),
        ("main", "keys"),
        ("Player#1", "Player.update"),
        ("Player#1", "Player.draw"),
        ("world", "world.update"),
        *((f"Ant#{number}", "Ant.update") for number in range(1, 6)),
    }
    assert 5 <= own["menu", "menu.update"] <= 40 and own["Player#1", "Player.draw"] >= 150
    assert len({own["main", "keys"], own["Player#1", "Player.update"], own["world", "world.update"]}) == 1
    assert own["main", "keys"] > own["Ant#1", "Ant.update"] == own["Ant#5", "Ant.update"] > 0
    assert causes(take) == []


def test_a_function_that_is_run_by_another_way_is_only_run(tmp_path):
    """Loading calls it before anything is known; what runs again within a turn is another turn's doing."""
    (tmp_path / "main.lua").write_text(OWN_FUNCTIONS.replace("STEPS", "2"))
    _, take = recorded(tmp_path, "--love", str(tmp_path))
    assert called(take)["Player#1", "Player.update"] == 0
    updates = [call for call in range(len(take.calls)) if take.function_of_call(call) == "love.update"]
    assert len(updates) == 240 and causes(take) == []


def test_an_error_in_one_of_the_games_own_functions_keeps_its_place(tmp_path):
    """It passes through what stands in for the function; its call ends in it."""
    text = OWN_FUNCTIONS.replace("STEPS", "1").replace(
        "self.x = self.x + dt", "self.x = self.x + (turns ~= 200 and dt or nil)"
    )
    (tmp_path / "main.lua").write_text("turns = 0\n" + text.replace("local turns = 0", "turns = 0"))
    take = killed(tmp_path, "love", 6, "--love", str(tmp_path))
    raised = next(finding for finding in examine(take) if finding.kind == "raised")
    said = " ".join(take.text(int(code)) for code in take.tables["say"]["text"])
    assert "main.lua:5" in said and "arithmetic" in said
    assert raised.subject.fn == "Player.update" and "arithmetic" in raised.summary


CROWD = """
crowd = { all = {} }
for number = 1, 6 do
	local Kind = {} Kind.__index = Kind
	_G["Kind" .. number] = Kind
	Kind.update = function(self, dt) self.x = dt end
	for _ = 1, 38 do table.insert(crowd.all, setmetatable({}, Kind)) end
end
function crowd.update(dt) for _, one in ipairs(crowd.all) do one:update(dt) end end
function count(dt) turns = (turns or 0) + 1 end
function love.update(dt)
	crowd.update(dt) count(dt)
	if turns == 260 then love.event.quit() end
	love.timer.sleep(0.01)
end
"""


def test_what_runs_too_often_is_recorded_no_more(tmp_path):
    """It is said, what was left out until then is counted, and the rest goes on."""
    (tmp_path / "main.lua").write_text(CROWD)
    _, take = recorded(tmp_path, "--love", str(tmp_path))
    said = [take.text(int(code)) for code in take.tables["say"]["text"]]
    assert said == ["Opossum: Kind.update is recorded no more, for it runs 38 times a frame"]
    calls_a_frame = np.bincount(take.calls.frame[take.calls.frame >= 0])
    assert calls_a_frame.max() <= 1 + 200
    assert take.recording.lost == 2 * (6 * 38 + 2 - 200)
    assert calls_a_frame[-3] == 1 + 2 + 5 * 38


def test_a_coroutine_that_goes_on_in_a_later_turn_ends_only_its_own_call(tmp_path):
    """What it ends began long ago; the turn that it is resumed in goes on."""
    (tmp_path / "main.lua").write_text("""
local opossum = require "opossum"
local bound, turns, story = nil, 0, nil
function love.load()
	bound = opossum.bind("told", "scene#1", "Scene.on_told")
	story = coroutine.wrap(function()
		opossum.call(opossum.send("told", ""), bound, function() coroutine.yield() end)
		while true do coroutine.yield() end
	end)
end
function love.update(dt)
	turns = turns + 1
	if turns == 10 or turns == 20 then
		story()
		opossum.send("after_" .. turns, "scene#1")
	end
	if turns == 40 then love.event.quit() end
end
""")
    _, take = recorded(tmp_path, "--love", str(tmp_path))
    sends = take.tables["send"]
    by_event = {take.text(int(event)): int(c) for event, c in zip(sends["ev"], sends["c"], strict=True)}
    update_calls = [call for call in range(len(take.calls)) if take.function_of_call(call) == "love.update"]
    ids = np.asarray(take.tables["call"]["c"])
    assert by_event["after_20"] == ids[update_calls[19]]
    told = next(call for call in range(len(take.calls)) if take.function_of_call(call) == "Scene.on_told")
    assert bool(take.calls.returned[told])


def test_a_recorded_game_finds_what_it_saved(tmp_path):
    """Its name is that of its folder or its file, which is where the engine keeps its saves; the take is named after it, too."""
    main = "function love.load() print(love.filesystem.getIdentity()) love.event.quit() end"
    folder = tmp_path / "supper"
    folder.mkdir()
    (folder / "main.lua").write_text(main)
    with zipfile.ZipFile(tmp_path / "tea.love", "w") as packed:
        packed.writestr("main.lua", main)
    for game, name in ((folder, "supper"), (tmp_path / "tea.love", "tea")):
        _, take = recorded(tmp_path, "--force", "--love", str(game))
        said = [take.text(int(code)) for code in take.tables["say"]["text"]]
        assert (said, take.recording.head_text(0, "game")) == ([name], name)


def test_what_a_turn_does_twice_now_and_then_is_no_double_firing(tmp_path):
    """A loop that catches up runs its step again: each run is a step of its own."""
    (tmp_path / "main.lua").write_text("""
Player = {} Player.__index = Player
function Player:update(dt) self.x = (self.x or 0) + dt end
local player, turns = setmetatable({}, Player), 0
function keys() pressed = true end
function love.update(dt)
	turns = turns + 1
	keys()
	player:update(dt)
	if turns > 60 and turns % 3 == 0 then player:update(dt) keys() end
	if turns == 120 then love.event.quit() end
	love.timer.sleep(0.01)
end
""")
    _, take = recorded(tmp_path, "--love", str(tmp_path))
    seen = called(take)
    assert seen["Player#1", "Player.update"] == seen["main", "keys"] > 120
    assert causes(take) == []
