"""Godot 3: the real engine without a window, running a project that knows nothing of the recorder."""

from __future__ import annotations

import time
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from playing import EXAMPLES, begin, causes, ended, held_at, killed, needs, recorded, step

from opossum.findings.examine import examine
from opossum.live.receiver import Receiver
from opossum.live.tripwires import parse_tripwire
from opossum.take.checks import check_take
from opossum.take.opening import open_any
from opossum.take.take import Take
from opossum_process import OpossumProcess

pytestmark = needs("godot3-server", "godot3-server")
EXAMPLE = str(EXAMPLES / "godot_bakery")

WAITING = {
    "project.godot": """config_version=4
[application]
config/name="waiting"
run/main_scene="res://main.tscn"
""",
    "main.tscn": """[gd_scene load_steps=2 format=2]
[ext_resource path="res://main.gd" type="Script" id=1]
[node name="Main" type="Node"]
script = ExtResource( 1 )
""",
    "main.gd": '''extends Node

const TEXT = """
func not_a_function(a):
	yield(this, "is text")
"""

signal opened(who, how)

class Cat extends Node:
	var lives = 9
	func on_open(who, _how):
		lives -= 1
		return who

	func on_close(
			_reason = "wind",   # (a comment
			_count: int = 2
	) -> void:
		lives += 1

class Plain:
	static func helper(a):
		return a

var cat
var met = []

func _ready():
	cat = Cat.new()
	add_child(cat)
	connect("opened", cat, "on_open")
	get_tree().create_timer(0.1).connect("timeout", self, "on_late")
	night()

func night():
	yield(get_tree().create_timer(0.05), "timeout")
	met.append("timer")
	emit_signal("opened", "baker", 1)
	yield(get_tree(), 'idle_frame'); met.append("frame")
	var got = yield(whistle(), "completed")
	met.append(got)
	yield(self, "opened") # yield(never)
	met.append("opened")

func whistle():
	yield(get_tree().create_timer(0.05), "timeout")
	return "whistle"

func on_late() -> void:
	met.append("late")

func several(
		a,
		b = [1, (2)],
		c = "x,y"
	):
	return [a, b, c]

var turns = 0
func _process(_delta):
	turns += 1
	if turns == 30:
		emit_signal("opened", "cat", 2)
		cat.on_close()
	if turns == 60:
		print(met, several(1), Plain.helper(3), cat.lives)
		get_tree().quit()
''',
}


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
    assert take.text(int(take.tables["call"]["at"][bread])) == "counter.gd:8"


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("double", ["double-fire/two-routes"]),
        ("stale", ["stale-listener/called-after-gone"]),
        ("slow", ["freeze/slow-call"]),
        ("early", ["unheard/sent-before-bind"]),
        ("wait", ["wait-never-met/take-ended"]),
        ("cut", ["cut-before-mark/cut"]),
        ("again", ["delay-restacked/stacked"]),
        ("timer", ["timer-left-running/nobody-listens", "unheard/wrong-object"]),
        ("poll", ["polling-waste/every-frame"]),
    ],
)
def test_faults_are_found(tmp_path, fault, found):
    """Each by its name, and nothing else; how many marks a cut clip still had before it is the machine's speed."""
    assert sorted(set(causes(play(tmp_path, fault)))) == found


def test_a_loop_without_end_is_named_when_the_game_is_killed(tmp_path):
    """The thread that watches has said where it stood."""
    take = killed(tmp_path, "godot3-server", 5, "--godot", EXAMPLE, "--", "--fault=loop")
    finding = next(finding for finding in examine(take) if finding.kind == "freeze")
    assert (finding.cause, finding.subject.fn) == ("endless-loop", "Bakery._process")
    assert len(take.tables["stuck"]) and not take.recording.closed(0)


def test_scripts_may_be_left_as_they_are(tmp_path, monkeypatch):
    """Then sends and binds are seen, calls are not."""
    monkeypatch.setenv("OPOSSUM_REWRITE", "0")
    take = play(tmp_path)
    assert len(take.calls) == 0 and len(take.tables["bind"]) == 4
    assert "bread_ready" in {take.text(int(code)) for code in take.tables["send"]["ev"]}


def test_scripts_as_people_write_them(tmp_path):
    """Waiting code, delays of the tree, classes within a script, heads of several lines: the game does as ever."""
    for name, text in WAITING.items():
        (tmp_path / name).write_text(text)
    process = begin(tmp_path / "game.take", "--godot", str(tmp_path))
    printed, said = process.communicate(timeout=60)
    take = open_any(str(tmp_path / "game.take"))
    functions = {take.function_of_call(call): call for call in range(len(take.calls))}
    waited = [take.text(int(code)) for code in take.tables["wait"]["ev"]]
    arms = take.tables["arm"]

    # where the first frame is longer than the shortest delay, the two that are set at once come in one
    assert "late, " in printed and "[timer, frame, whistle, opened][1, [1, 2], x,y]38" in printed.replace("late, ", "")
    assert "SCRIPT ERROR" not in said and causes(take) == [] and check_take(take) == []
    assert {"Main._ready", "Main.on_late", "Cat.on_open"} <= set(functions)
    assert take.text(int(take.tables["call"]["at"][functions["Cat.on_open"]])) == "main.gd:12"
    assert waited == ["timeout of main.gd:37", "idle_frame", "timeout of main.gd:47", "completed", "opened"]
    assert len(take.tables["met"]) == 5 and len(take.tables["disarm"]) == len(arms) == 3
    assert sorted(arms["sec"].round(3).tolist()) == [0.05, 0.05, 0.1]
    assert {take.text(int(code)) for code in arms["o"]} == {"Main"}


@pytest.fixture
def listening(tmp_path):
    """Return a listener for a game."""
    listener = Receiver(tmp_path / "godot.flow.jsonl", port=0)
    listener.start()
    yield listener
    listener.stop()


def linked(listener: Receiver, fault: str = "none") -> OpossumProcess:
    """Run the example over the link."""
    link = f"127.0.0.1:{listener.port}"
    return OpossumProcess("record", "--link", link, "--godot", EXAMPLE, "--", f"--fault={fault}")


def test_a_variable_of_a_node_is_told_while_it_is_asked_for(listening):
    """At the end of each frame in which it changed; what cannot be read is said once."""
    listening.watch("Bakery/Oven", "heat")
    listening.watch("Bakery/Oven", "nothing")
    game = linked(listening, "none")
    assert game.wait(30) == 3
    take = ended(listening)
    table = take.tables["watch"]
    names = [(take.text(int(table["o"][row])), take.text(int(table["name"][row]))) for row in range(len(table))]
    heat = [int(table.json("v")[row]) for row, name in enumerate(names) if name == ("Bakery/Oven", "heat")]
    assert len(heat) > 3 and heat == sorted(set(heat))
    said = [take.text(int(code)) for code in take.tables["say"]["text"]]
    assert sum("nothing cannot be watched" in line for line in said) == 1


@pytest.mark.parametrize(
    ("wire", "fault", "function"),
    [
        ("fn:Counter.on_bread_ready count:2", "none", "Counter.on_bread_ready"),
        ("ev:bread_ready o:*Counter d.0>=2", "none", "Counter.on_bread_ready"),
        ("gone", "stale", "Customer.on_smell"),
        ("cls:Counter again", "double", "Counter.on_bread_ready"),
        ("slow:200", "slow", "Bakery._process"),
        ("send ev:bread_ready", "none", "Oven.on_steam"),
    ],
)
def test_it_is_held_at_a_tripwire_and_goes_on(listening, wire, fault, function):
    """Before the listener runs; its stack is told, its time held counts for nothing, its status is passed on."""
    number = listening.trip(parse_tripwire(wire))
    game = linked(listening, fault)
    trip, take = held_at(listening)
    stack = take.tables["held"].json("stack")[0]

    assert trip == number and function in stack.split(",")[0]
    time.sleep(0.4)
    listening.untrip(number)
    listening.go()
    assert game.wait(30) == 3
    take = ended(listening)
    assert take.recording.closed(0) and len(take.tables["held"]) == len(take.tables["went"]) == 1
    assert listening.peers[0].error_ns is not None
    assert ("freeze/slow-call" in causes(take)) == (fault == "slow")


def test_it_is_stepped_by_call_and_by_frame(listening):
    """One call on, one frame on."""
    number = listening.trip(parse_tripwire("fn:Bakery._process count:5"))
    game = linked(listening)
    held_at(listening)
    listening.untrip(number)
    for by in ("call", "frame"):
        step(listening, by)
    listening.go()
    assert game.wait(30) == 3
    held = ended(listening).tables["held"]
    assert [int(c) > 0 for c in held["c"]] == [True, True, False]


def test_it_goes_on_when_opossum_goes_away(listening):
    """Held or not, the game belongs to its player."""
    listening.trip(parse_tripwire("fn:Bakery._process count:5"))
    game = linked(listening)
    held_at(listening)
    listening.stop()
    assert game.wait(30) == 3


def test_the_game_may_be_started_before_opossum(listening, tmp_path):
    """What came meanwhile waits until somebody listens."""
    port = listening.port
    listening.stop()
    game = linked(listening)
    time.sleep(2.0)
    late = Receiver(tmp_path / "late.flow.jsonl", port=port)
    late.start()
    assert game.wait(30) == 3
    take = ended(late)

    assert take.recording.closed(0) and take.tables["frame"]["n"][0] == 0 and check_take(take) == []
    assert not len(take.tables["lost"]) and take.game_frames == 150


@pytest.mark.skipif(not Path("/proc/thread-self/schedstat").exists(), reason="the system does not tell it")
def test_what_the_machine_took_from_a_frame_is_told(tmp_path):
    """By reckoning how long the thread could have run and was not run."""
    idle = play(tmp_path).tables["idle"]
    assert len(idle) >= 140 and (np.asarray(idle["ready"]) >= 0).all()
