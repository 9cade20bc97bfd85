"""The recorder's inner half in C and the one in Python write the same, whatever they are given."""

from __future__ import annotations

import json
import math
import os
import random
import re
import shutil
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import SimpleNamespace

import pytest

from opossum_recorder import Recorder, halves, inner, loop_turns, thread_times

DRIVE = """
import sys, threading
sys.path.insert(0, sys.argv[2])
from test_halves import Clock, drive
from opossum_recorder import Recorder, halves
assert halves.Inner.__module__ == "opossum_recorder." + sys.argv[3], halves.Inner.__module__
for seed in range(12):
    clock = Clock()
    with Recorder(f"{sys.argv[1]}/{seed}.flow.jsonl", "halves", watch_after=0, clock=clock, waits=["rest"]) as recorder:
        drive(recorder, seed)
sys.path.insert(0, sys.argv[2] + "/..")
from random import Random
from fuzz.hostile_values import drive_with_hostile_values
for seed in range(60):
    with Recorder(f"{sys.argv[1]}/rude-{seed}.flow.jsonl", "halves", watch_after=0, clock=Clock()) as recorder:
        drive_with_hostile_values(recorder, Random(seed))
"""
NAMES = ["oven#1", 'a " quote', "ä\n\udc80", "", "x" * 700, "customer#12", 7, "tick"]


class Clock:
    """Time that passes by a microsecond with every look at it."""

    def __init__(self) -> None:
        self.now = 0

    def __call__(self) -> int:
        self.now += 1000
        return self.now


class Rude:
    """Cannot be shown."""

    def __repr__(self) -> str:
        raise ValueError("no")


def drive(recorder: Recorder, seed: int) -> None:
    """Record a thousand things of all sorts, nested, failing, from two threads, more than a window of the file holds."""
    chance = random.Random(seed)

    def some() -> str:
        return chance.choice(NAMES)

    def act(depth: int) -> None:
        kind = chance.randrange(9)
        if kind < 3:
            more = {"at": "x.py:3", "q": some()} if chance.random() < 0.3 else {}
            data = chance.choice([None, {"n": 1.5, "to": [1, None]}, float("nan"), "ü", Rude(), "y" * 9000])
            recorder.send(some(), some(), via=chance.choice(["", "tick"]), d=data, **more)
        elif kind < 6 and depth < 5:
            try:
                with recorder.call(
                    chance.choice([3, 2**40, -1, "no"]), chance.choice([0, None, 5]), some(), some(), some()
                ) as call:
                    for _ in range(chance.randrange(4)):
                        act(depth + 1)
                    if chance.random() < 0.5:
                        call.changed(chance.randrange(3))
                    if chance.random() < 0.2:
                        call.sent_at_least()
                    if chance.random() < 0.2:
                        call.seemed(chance.randrange(3))
                    if chance.random() < 0.1:
                        raise KeyError(some())
            except KeyError:
                pass
        elif kind == 6:
            recorder.changed(2)
        elif kind == 7:
            recorder.watch(some(), "heat", 1.25)
        else:
            number = chance.choice([chance.randrange(99), -1, 1.5, 2**50, True, "x", None, Rude()])
            step = chance.choice([None, 0.016, float("inf"), float("nan"), 1e13, 1, "x", Rude()])
            with recorder.frame(number, step) if chance.random() < 0.8 else recorder.frame(number=number, dt=step):
                recorder.phase(chance.choice([*NAMES, "rest", "rest", None, Rude()]))
                recorder.phase("rest")
                moves = recorder.moves_since_s is not None
                recorder.phase(some())
            recorder.say(f"call {recorder.current_call()} {recorder.lost} {moves} {recorder.moves_since_s}", "note")

    def play() -> None:
        for _ in range(500):
            act(0)

    play()
    other = threading.Thread(target=play, name='loader "2"')
    other.start()
    other.join()
    open_call = recorder.call(1, None, "left", "open")
    recorder.call(1, None, "inner", "open")
    open_call.__exit__(None, None, None)
    assert recorder.current_call() is recorder.main_call() is None


def lines(folder: Path) -> dict[str, list[str]]:
    """Return the lines of each stream but those that tell of losses, which each half tells as soon as it can."""
    told = {}
    for path in sorted(folder.glob("*.flow.jsonl")):
        text = path.read_text()
        assert text.endswith("}\n") and "\n\n" not in text
        records = [json.loads(re.sub("0x[0-9a-f]+", "0x", line)) for line in text.splitlines()]
        varying = ("t", "pid", "started")
        told[path.name] = [
            json.dumps({name: value for name, value in record.items() if name not in varying}, sort_keys=False)
            for record in records
            if record["k"] != "lost"
        ]
        told[path.name].append(str(sum(record["n"] for record in records if record["k"] == "lost")))
    return told


def built() -> bool:
    """Say whether the half in C is what this interpreter uses."""
    return halves.Inner.__module__ == "opossum_recorder._inner"


@pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler")
@pytest.mark.skipif(bool(os.environ.get("OPOSSUM_PURE")), reason="the half in Python was asked for")
def test_the_half_in_c_is_built_where_there_is_a_compiler():
    """Setting up builds it, and the recorder uses it."""
    assert built()


@pytest.mark.parametrize("half", [inner.Inner, halves.Inner], ids=["Python", "built"])
def test_whoever_watches_the_games_thread_is_asked_when_that_is_due(half):
    """As it moves on and as it waits, not before; what goes wrong there is not raised into the game."""
    asked = []

    class Watching(half):
        attributes = SimpleNamespace(asked={})

        def _look_again(self, moves: bool) -> None:
            asked.append(moves)
            raise ValueError("no")

    watching = Watching(time.perf_counter_ns)
    watching._tell_of_frames(["rest"], None)
    assert watching.moves_since_s is None
    before = time.monotonic()
    watching.frame(0)
    assert before <= watching.moves_since_s <= time.monotonic() and asked == []
    watching._look_again_s = -math.inf
    for phase, moves in (("rest", False), ("rest", False), ("work", True), ("play", True)):
        watching.phase(phase)
        assert (watching.moves_since_s is not None) is moves
    watching.idle()
    assert watching.moves_since_s is None and asked == [False, True, False]
    with pytest.raises(KeyError), watching.frame(1):
        raise KeyError("such a frame does not end")
    assert watching.moves_since_s is not None and asked == [False, True, False, True]
    watching._look_again_s = time.monotonic() + 60
    watching.idle()
    assert asked == [False, True, False, True] and watching.lost == 0


@pytest.mark.parametrize("half", [inner.Inner, halves.Inner], ids=["Python", "built"])
def test_where_measuring_or_asking_fails_a_record_is_lost_and_no_more(half):
    """It is counted, the game goes on, and it is known whether it moves."""

    def fails(*_: object) -> None:
        raise ValueError("no")

    class Failing(half):
        attributes = SimpleNamespace(asked=(1,), read=fails)

    recorder = Failing(time.perf_counter_ns)
    recorder._tell_of_frames([], SimpleNamespace(begin=fails, told=lambda: ""))
    recorder.frame(0)
    assert recorder.lost == 1 and recorder.moves_since_s is not None
    recorder.idle()
    assert recorder.lost == 2 and recorder.moves_since_s is None


@pytest.mark.parametrize(
    ("half", "source", "names"),
    [
        (thread_times, "_thread_times.c", ("LONGEST", "READY_EVERY_NS", "QUIET_NS", "LITTLE_NS")),
        (loop_turns, "_inner.c", ("MOST_OWNERS",)),
    ],
    ids=["times", "turns"],
)
def test_both_halves_go_by_the_same_numbers(half, source, names):
    """What one calls little, old or too many, the other does too."""
    written = (Path(half.__file__).parent / source).read_text()
    assert {name: int(value) for name, value in re.findall(r"#define (\w+) (\d+)", written) if name in names} == {
        name: getattr(half, name) for name in names
    }


@pytest.mark.skipif(not built(), reason="the half in C is not built")
def test_both_halves_write_the_same(tmp_path):
    """Line by line, field by field, in the same order; of what cannot be recorded they count as much."""
    for half, pure in (("_inner", ""), ("inner", "1")):
        (tmp_path / half).mkdir()
        arguments = [sys.executable, "-c", DRIVE, str(tmp_path / half), str(Path(__file__).parent), half]
        subprocess.run(arguments, check=True, env=os.environ | {"OPOSSUM_PURE": pure}, timeout=120)
    in_c, in_python = lines(tmp_path / "_inner"), lines(tmp_path / "inner")

    assert len(in_c) == 72 and sum(map(len, in_c.values())) > 10_000
    assert in_c == in_python


def test_many_threads_lose_nothing_and_tear_no_line(tmp_path):
    """Windows change under their hands; each thread's calls are its own, and in its own order."""
    path = tmp_path / "threads.flow.jsonl"
    with Recorder(path, "threads", watch_after=0) as recorder:

        def play(number: int) -> None:
            for turn in range(1500):
                with recorder.call(
                    recorder.send("turn", f"thread#{number}", d=turn), None, f"thread#{number}", "x" * 200
                ):
                    pass

        threads = [threading.Thread(target=play, args=(number,), name=f"t{number}") for number in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    records = [json.loads(line) for line in path.read_text().splitlines()]

    assert recorder.lost == 0 and len(records) == 2 + 4 * 1500 * 3
    for number in range(4):
        own = [record for record in records if record.get("th") == f"t{number}"]
        assert [record["k"] for record in own] == ["send", "call", "ret"] * 1500
        assert [record["d"] for record in own[::3]] == list(range(1500))
        assert [record["t"] for record in own] == sorted(record["t"] for record in own)


def test_a_full_disk_is_counted_and_survived(tmp_path):
    """Lines that could not be written are lost, and told of as soon as there is room again."""

    class Disk:
        full = False
        data = b""

        def write(self, data: bytes) -> bool:
            if not self.full:
                self.data += data
            return not self.full

        def close(self) -> None:
            pass

    disk = Disk()
    recorder = Recorder(None, "disk", watch_after=0, sink=disk)
    disk.full = True
    for _ in range(5):
        recorder.call(recorder.send("a"), None, "o", "f").__exit__(None, None, None)
    recorder.flush()
    disk.full = False
    recorder.send("b")
    recorder.close()
    told = [json.loads(line) for line in disk.data.splitlines()]

    assert recorder.lost == 15
    assert sum(record.get("n", 0) for record in told if record["k"] == "lost") == 15
    assert "b" in [record.get("ev") for record in told] and told[-1]["k"] == "bye"


def test_a_process_that_the_game_forks_off_leaves_its_stream_alone(tmp_path):
    """The file is the parent's; the child goes on unrecorded, and ends as it would."""
    path = tmp_path / "forked.flow.jsonl"
    with Recorder(path, "forked") as recorder:
        recorder.send("before")
        child = os.fork()
        if not child:
            for _ in range(2000):
                recorder.call(recorder.send("from the child", d="x" * 100), None, "o", "f").__exit__(None, None, None)
            recorder.close()
            os._exit(7)
        _, status = os.waitpid(child, 0)
        recorder.send("after")
    events = [json.loads(line).get("ev") for line in path.read_text().splitlines()]

    assert os.waitstatus_to_exitcode(status) == 7
    assert [event for event in events if event] == ["before", "after"]
