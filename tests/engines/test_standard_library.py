"""Delays of Python's own library, in a game that knows nothing of the recorder."""

from __future__ import annotations

from playing import played

from opossum.take.take import Take
from opossum_recorder.engines.describing import shown

THREADS = """
import threading

class Oven:
    def ring(self, times):
        self.rung = times

oven = Oven()
timer = threading.Timer(0.05, oven.ring, [3])
timer.start()
given_up = threading.Timer(30, oven.ring, [1])
given_up.start()
given_up.cancel()
timer.join()
assert oven.rung == 3
"""
LOOP = """
import asyncio

class Oven:
    async def bake(self):
        for turn in range(3):
            await asyncio.sleep(0.02)
        return "bread"

    def ring(self, sound):
        self.rung = sound

def never():
    raise AssertionError

async def night():
    oven = Oven()
    loop = asyncio.get_running_loop()
    loop.call_later(0.03, oven.ring, "ding")
    loop.call_later(0.04, never).cancel()
    assert await oven.bake() == "bread"
    assert oven.rung == "ding"
    waiting = asyncio.ensure_future(asyncio.sleep(9))
    baking = asyncio.ensure_future(oven.bake())
    await asyncio.sleep(0.001)
    waiting.cancel()
    baking.cancel()

asyncio.run(night())
"""


def told(take: Take) -> tuple[list[tuple[str, str, float]], list[str]]:
    """Return (owner, event, seconds) of each delay, and how each ended, in their order."""
    arms, disarms = take.tables["arm"], take.tables["disarm"]
    set_up = [
        (take.text(int(o)), take.text(int(ev)), round(float(sec), 3))
        for o, ev, sec in zip(arms["o"], arms["ev"], arms["sec"], strict=True)
    ]
    how = {int(a): take.text(int(how)) for a, how in zip(disarms["a"], disarms["how"], strict=True)}
    return set_up, [how[int(a)] for a in arms["a"]]


def test_timers_of_threads_are_delays(tmp_path):
    """Called on their thread, or cleared."""
    script = tmp_path / "threads.py"
    script.write_text(THREADS)
    take = played(tmp_path, script)

    assert told(take) == ([("oven#1", "Oven.ring", 0.05), ("oven#1", "Oven.ring", 30.0)], ["done", "cleared"])
    assert [take.function_of_call(call) for call in range(len(take.calls))] == ["Oven.ring"]
    assert take.text(int(take.tables["call"]["th"][0])).startswith("Thread-")


def test_what_asyncio_is_to_do_later_is_a_delay(tmp_path):
    """What a coroutine sleeps for too: its going on is a call; cancelled, it is cleared."""
    script = tmp_path / "loop.py"
    script.write_text(LOOP)
    take = played(tmp_path, script)
    set_up, ended = told(take)

    assert set_up[0] == ("oven#1", "Oven.ring", 0.03) and ended[0] == "done"
    assert ended[1] == "cleared"
    bakes = [how for (_, event, _), how in zip(set_up, ended, strict=True) if event == "Oven.bake"]
    assert bakes == ["done", "done", "done", "cleared"]
    calls = [take.function_of_call(call) for call in range(len(take.calls))]
    assert calls.count("Oven.bake") == 3 and calls.count("Oven.ring") == 1
    assert {take.via_of_send(int(send)) for send in take.calls.send} == {"delay"}


def test_a_value_that_cannot_say_what_it_is_is_named_by_its_type():
    """Nothing of it is raised into the game."""

    class Cold:
        def __repr__(self) -> str:
            raise KeyError("cold")

    assert shown([1, "a", None, Cold()]) == [1, "a", None, "<Cold>"] and shown([]) is None
