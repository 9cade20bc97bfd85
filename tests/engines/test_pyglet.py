"""pyglet: the real engine without a window, running a game that knows nothing of the recorder."""

from __future__ import annotations

import subprocess
import sys
from collections import Counter

import pytest
from playing import EXAMPLES, causes, played, shared

from opossum.take.checks import check_take
from opossum.take.opening import open_any
from opossum.take.take import Take

EXAMPLE = EXAMPLES / "pyglet_bakery.py"

HANDLERS = """
import gc, sys
from opossum_recorder.engines.pyglet.adapter import PygletAdapter
from opossum_recorder import Recorder

recorder = Recorder(sys.argv[1], "handlers", watch_after=0)
import pyglet.event, pyglet.clock
adapter = PygletAdapter(recorder)
adapter._put_on_events(); adapter._put_on_clock()
order = []

class Door(pyglet.event.EventDispatcher):
    def on_open(self, who):
        order.append("own")

class Cat:
    def on_open(self, who):
        order.append("cat")

class Guard:
    def on_open(self, who):
        order.append("guard")
        return True

def on_open(who):
    order.append("function")

Door.register_event_type("on_open")
door, cat, guard = Door(), Cat(), Guard()
door.push_handlers(cat)
door.push_handlers(on_open)
door.dispatch_event("on_open", "baker")
assert order == ["function", "cat", "own"], order
door.remove_handlers(on_open)
door.push_handlers(guard)
order.clear()
assert door.dispatch_event("on_open", "baker") is True and order == ["guard"], order
door.pop_handlers()
del cat
gc.collect()
order.clear()
door.dispatch_event("on_open", "baker")
assert order == ["own"], order
ticks = []
def tick(dt): ticks.append(dt)
pyglet.clock.schedule(tick)
pyglet.clock.tick()
pyglet.clock.unschedule(tick)
pyglet.clock.tick()
assert len(ticks) == 1

class Window(pyglet.event.EventDispatcher):
    def flip(self):
        pass
    def turn(self, dt):
        for _ in range(2):
            self.dispatch_event("on_step")
    def on_step(self):
        pass

Window.register_event_type("on_step")
window = Window()
pyglet.clock.schedule_interval(window.turn, 0.001)
import time
time.sleep(0.002)
pyglet.clock.tick()
window.dispatch_event("on_step")
recorder.close()
"""


@pytest.fixture
def healthy(request, tmp_path) -> Take:
    """Return the take of the game without a fault."""
    return shared(request, lambda: played(tmp_path, EXAMPLE))


def test_a_night_without_faults(healthy):
    """Sound, nothing found; timers are called by the clock, breads by the oven's turn, no turn is empty."""
    heard = Counter(
        (healthy.function_of_call(call), healthy.via_of_send(int(healthy.calls.send[call])))
        for call in range(len(healthy.calls))
    )
    assert check_take(healthy) == [] and causes(healthy) == []
    assert heard["Oven.on_steam", "timer"] >= 10 and heard["Counter.on_bread_ready", "direct"] >= 5
    assert heard["Bakery.on_midnight", "delay"] == heard["Bakery.on_close", "delay"] == 1
    bread = next(call for call in range(len(healthy.calls)) if healthy.event_of_call(call) == "on_bread_ready")
    assert healthy.function_of_call(int(healthy.calls.parent[bread])) == "Oven.on_steam"
    assert healthy.game_frames < 100
    assert [healthy.text(int(code)) for code in healthy.tables["gone"]["o"]] == ["customer#1"]


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("double", ["double-fire/bound-twice"]),
        ("stale", ["stale-listener/called-after-gone", "timer-left-running/owner-gone"]),
        ("slow", ["freeze/slow-call"]),
        ("early", ["unheard/sent-before-bind"]),
        ("circle", ["event-loop/cycle"]),
        ("again", ["delay-restacked/stacked"]),
        ("poll", ["polling-waste/every-frame"]),
    ],
)
def test_faults_are_found(tmp_path, fault, found):
    """Each by its name, and nothing else."""
    take = played(tmp_path, EXAMPLE, fault)
    assert causes(take) == found


def test_handlers_keep_their_order_their_weakness_and_can_be_taken_away(tmp_path):
    """The game runs as it does unrecorded; binds, unbinds and the end of who was collected are told."""
    stream = tmp_path / "a.flow.jsonl"
    subprocess.run([sys.executable, "-c", HANDLERS, str(stream)], check=True, timeout=60)
    take = open_any(str(stream))
    functions = [take.function_of_call(call) for call in range(len(take.calls))]
    doors = functions[: functions.index("tick") + 1]
    assert doors == ["on_open", "Cat.on_open", "Door.on_open", "Guard.on_open", "Door.on_open", "tick"]
    assert (len(take.tables["bind"]), len(take.tables["unbind"])) == (3, 3)
    assert "cat#1" in [take.text(int(code)) for code in take.tables["gone"]["o"]]


def test_what_a_window_tells_with_every_frame_is_a_tick(tmp_path):
    """A loop of fixed steps tells its handlers twice in a slow frame: that is no double firing."""
    stream = tmp_path / "handlers.flow.jsonl"
    subprocess.run([sys.executable, "-c", HANDLERS, str(stream)], check=True)
    take = open_any(str(stream))
    sends = take.tables["send"]
    steps = [take.via_of_send(row) for row in range(len(sends)) if take.text(int(sends["ev"][row])) == "on_step"]

    assert steps == ["tick", "tick", "direct"]


REARMS = """
import pyglet
pyglet.options.headless = True

class Oven:
    def __init__(self):
        self.heat = 20
        self.rung = 0

    def look(self, dt):
        if self.heat > 30:
            self.rung += 1
        {again}

oven = Oven()
pyglet.clock.schedule_once(oven.look, 0.005)
pyglet.clock.schedule_once(lambda dt: pyglet.app.exit(), 1.5)
pyglet.app.run()
"""
ONCE = "pyglet.clock.schedule_once(self.look, 0.005)"


@pytest.mark.parametrize(
    ("again", "found"),
    [
        (ONCE, ["polling-waste/delay-loop"]),
        (f"pyglet.clock.unschedule(self.look); {ONCE}", ["polling-waste/delay-loop"]),
        (f"self.heat += 0.0; {ONCE}", []),
    ],
)
def test_a_delay_that_sets_itself_again_is_a_loop(tmp_path, again, found):
    """That it does is no work; what it does besides is."""
    script = tmp_path / "rearms.py"
    script.write_text(REARMS.format(again=again))
    assert causes(played(tmp_path, script)) == found
