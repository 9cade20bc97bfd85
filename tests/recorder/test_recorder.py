"""The recorder: what it writes, and that it never harms the game."""

from __future__ import annotations

import gzip
import json
import math
import os
import subprocess
import sys
import threading
import time

import pytest

from opossum.findings.examine import examine
from opossum.stream.reading import read_streams
from opossum.take.checks import check_take
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.encoding import LONGEST_DATA, MOST_STEPS, MOST_TEXTS, QuotedTexts, StepTexts, data_text
from opossum_recorder.sink import WINDOW_BYTES, FileSink, MappedSink, sink_for
from tape import read


class Memory:
    """A sink that keeps lines, and may refuse them as a full disk does."""

    def __init__(self) -> None:
        self.data = b""
        self.full = False

    def write(self, data: bytes) -> bool:
        if not self.full:
            self.data += data
        return not self.full

    def close(self) -> None:
        pass

    def records(self) -> list[dict]:
        return [json.loads(line) for line in self.data.splitlines()]


@pytest.fixture
def memory() -> Memory:
    return Memory()


@pytest.fixture
def recorder(memory) -> Recorder:
    """Return a recorder on a clock that ticks a microsecond a look."""
    moments = iter(range(0, 10**12, 1000))
    return Recorder(None, "test", clock=lambda: next(moments), sink=memory, watch_after=0)


def test_every_record_is_written_as_the_contract_says(recorder, memory):
    """One method a kind; what is empty is left out; the cause is known by itself."""
    with recorder.frame(0, 0.016):
        recorder.phase("update")
        recorder.spawn("cat#1", "Cat", parent="house")
        b = recorder.bind("open", "cat#1", "Cat.on_open", at="cat.py:3")
        s = recorder.send("open", "door#1", via="zone", edge="enter", d={"other": "cat#1"})
        with recorder.call(s, b, "cat#1", "Cat.on_open", "cat.py:3") as call:
            call.changed(2)
            recorder.send("purr", "cat#1")
            a = recorder.arm("timer", "cat#1", "nap", sec=2.5, loop=True)
            recorder.pause(a)
            recorder.resume(a)
            w = recorder.wait("cat#1", "served")
        recorder.disarm(a, "cleared")
        y = recorder.play("cat#1", "stretch", 1.5, [("yawn", 0.5)], rate=2.0)
        recorder.stop(y, "cut", 0.7)
        recorder.put("bench", s)
        recorder.pull("bench", s)
        recorder.met(w, s)
        recorder.quit(w)
        recorder.watch("cat#1", "mood", "good")
        recorder.say("hello", "info", "cat#1")
        recorder.spin("cat.py:9", 1000)
        recorder.stuck(0.5, ["f cat.py:1"], 1)
        recorder.clock(68400.0, 90)
        recorder.unbind(b)
        recorder.gone("cat#1")
    recorder.close()

    take = read(memory.data)
    assert take.damage == []
    assert check_take(take) == []
    records = {record["k"]: record for record in reversed(memory.records())}
    assert list(records["head"])[:6] == ["k", "t", "opossum", "game", "peer", "lang"]
    assert records["send"] | {"t": 0} == {
        "k": "send",
        "t": 0,
        "s": 1,
        "ev": "open",
        "o": "door#1",
        "via": "zone",
        "d": {"other": "cat#1"},
        "edge": "enter",
    }
    assert records["call"] | {"t": 0} == {
        "k": "call",
        "t": 0,
        "c": 1,
        "s": 1,
        "b": 1,
        "o": "cat#1",
        "fn": "Cat.on_open",
        "at": "cat.py:3",
    }
    assert records["ret"]["eff"] == 3  # two changes and one send
    assert records["arm"]["c"] == 1
    assert records["play"]["marks"] == [["yawn", 0.5]]
    assert [record.get("c") for record in memory.records() if record["k"] == "send"] == [None, 1]
    assert memory.records()[-1]["k"] == "bye"
    assert {record["k"] for record in memory.records()} >= {
        "idle",
        "put",
        "pull",
        "met",
        "quit",
        "watch",
        "say",
        "spin",
        "stuck",
        "clock",
        "gone",
    }


def test_an_effect_nobody_spoke_of_is_unknown(recorder, memory):
    """0 only where the game says that nothing changed."""
    with recorder.call(recorder.send("a"), None, "x", "X.f"):
        pass
    with recorder.call(recorder.send("a"), None, "x", "X.f"):
        recorder.changed(0)
    recorder.close()

    assert [record.get("eff") for record in memory.records() if record["k"] == "ret"] == [None, 0]


def test_an_error_goes_on_to_the_game_and_is_told(recorder, memory):
    """The recorder swallows nothing, and closes the call."""
    with pytest.raises(ValueError, match="burnt"), recorder.call(recorder.send("bake"), None, "oven", "Oven.f"):
        raise ValueError("burnt")
    with recorder.call(recorder.send("bake"), None, "oven", "Oven.f"):
        recorder.send("inside")
    recorder.close()

    rets = [record for record in memory.records() if record["k"] == "ret"]
    assert rets[0]["err"] == "ValueError: burnt"
    assert [record.get("c") for record in memory.records() if record.get("ev") == "inside"] == [2]


def test_a_decorated_listener_is_a_send_and_a_call(recorder, memory):
    """For games without a dispatcher."""

    class Oven:
        name = "oven#1"

        @recorder.listener("tick", o=lambda self: self.name, via="tick")
        def on_tick(self) -> int:
            """Bake."""
            recorder.changed(0)
            return 7

    assert Oven().on_tick() == 7
    assert Oven.on_tick.__doc__ == "Bake."
    recorder.close()
    take = read(memory.data)

    assert take.owner_of_call(0) == "oven#1"
    assert take.function_of_call(0).endswith("Oven.on_tick")
    assert take.calls.effect.tolist() == [0]
    assert take.via_of_send(0) == "tick"


# --- nothing harms the game ----------------------------------------------------------------------


class Rude:
    """A value that cannot even be shown."""

    def __repr__(self) -> str:
        raise RuntimeError("no")


def test_a_bad_value_is_counted_as_lost(recorder, memory):
    """The record is dropped where it cannot do without, the game goes on, the stream says so."""
    recorder.send("a", d=Rude())
    recorder.watch("x", "y", Rude())
    recorder.send(["not", "a", "name"])
    recorder.frame("not a number")
    recorder.play("x", "clip", 1.0, [5, None])
    recorder.unbind(0)
    recorder.send("b")
    recorder.close()

    records = memory.records()
    assert recorder.lost == 4
    assert sum(record["n"] for record in records if record["k"] == "lost") == 4
    assert [(record["ev"], record.get("d")) for record in records if record["k"] == "send"] == [
        ("a", "a Rude that cannot be shown"),
        ("b", None),
    ]
    assert [record["v"] for record in records if record["k"] == "watch"] == ["a Rude that cannot be shown"]


@pytest.mark.parametrize(
    "value",
    [
        float("nan"),
        float("inf"),
        {1, 2},
        b"bytes",
        object,
        "\ud800",
        {"deep": [[[1]]]},
        {(1, 2): 3},
        10**30,
        True,
        None,
        'é\n"\\',
    ],
    ids=str,
)
def test_any_value_becomes_json(value):
    """What JSON cannot hold is shown by its repr."""
    json.loads(data_text(value))
    data_text(value).encode("utf-8")


def test_long_data_is_cut():
    """One value must not fill the disk."""
    text = data_text("x" * 100_000)
    assert len(text) <= LONGEST_DATA
    json.loads(text)


def test_made_up_names_do_not_fill_the_memory():
    """The store of quoted texts is bounded."""
    texts = QuotedTexts()
    for number in range(MOST_TEXTS + 10):
        assert texts[f"name {number}"] == f'"name {number}"'
    assert len(texts) <= MOST_TEXTS


def test_a_full_disk_is_counted_and_told_when_there_is_room_again(recorder, memory):
    """What was dropped is said where it is missing."""
    memory.full = True
    for _ in range(5):
        recorder.send("a")
    recorder.idle()
    memory.full = False
    recorder.send("b")
    recorder.close()

    assert recorder.lost == 6
    assert [record["n"] for record in memory.records() if record["k"] == "lost"] == [6]


@pytest.mark.parametrize("path", ["/nowhere/at/all/x.flow.jsonl", "/dev/full", "\0"])
def test_a_file_that_cannot_be_written_leaves_the_game_alone(path):
    """Everything is counted as lost, with the reason."""
    recorder = Recorder(path, "test", watch_after=0)
    with recorder.frame(0):
        recorder.send("a")
    recorder.close()

    assert recorder.lost >= 3
    assert recorder.trouble


def test_recording_after_the_end_is_dropped(recorder, memory):
    """Closing twice is fine."""
    recorder.close()
    size = len(memory.data)
    recorder.send("late")
    recorder.flush()
    recorder.close()

    assert len(memory.data) == size
    assert recorder.lost == 1


def test_threads_record_side_by_side(tmp_path):
    """No line is torn, none lost; each thread has causes of its own."""
    path = tmp_path / "threads.flow.jsonl"
    recorder = Recorder(path, "test", watch_after=0)

    def work() -> None:
        for _ in range(300):
            with recorder.call(recorder.send("a"), None, "x", "X.f"):
                recorder.send("b")

    threads = [threading.Thread(target=work, name=f"worker-{n}") for n in range(4)]
    for thread in threads:
        thread.start()
    work()
    for thread in threads:
        thread.join()
    recorder.close()
    take = open_any(str(path))

    assert recorder.lost == 0
    assert [item for item in take.damage if item.code != "time-backwards"] == []
    assert len(take.calls) == 1500
    assert {take.text(int(code)) for code in take.tables["send"]["th"]} == {"", *(f"worker-{n}" for n in range(4))}


# --- sinks ---------------------------------------------------------------------------------------


def test_a_mapped_file_holds_exactly_the_lines_once_closed(tmp_path):
    """Over several windows, without a gap."""
    sink = MappedSink(tmp_path / "x")
    lines = [b"%06d " % number + b"x" * (number % 900) + b"\n" for number in range(1500)]
    for line in lines:
        assert sink.write(line)
    assert (tmp_path / "x").stat().st_size % WINDOW_BYTES == 0
    sink.close()

    assert (tmp_path / "x").read_bytes() == b"".join(lines)
    assert not sink.write(b"late\n")


def test_a_file_of_limited_size_is_a_full_disk(tmp_path):
    """The kernel's limit on file size stands for the disk's end: no signal, no exception, only a count."""
    code = (
        "import resource, signal, sys\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (300_000, 300_000))\n"
        "from opossum_recorder import Recorder\n"
        "r = Recorder(sys.argv[1], 'test', watch_after=0)\n"
        "for n in range(20_000):\n"
        "    with r.frame(n): r.send('a')\n"
        "r.close()\n"
        "print(r.lost > 0, bool(r.trouble))\n"
    )
    path = tmp_path / "x.flow.jsonl"
    result = subprocess.run([sys.executable, "-c", code, str(path)], capture_output=True, text=True, timeout=60)

    assert result.stdout.split() == ["True", "True"], result.stderr
    assert path.stat().st_size <= 300_000
    assert open_any(str(path)).records > 1000


def test_the_sink_follows_the_name(tmp_path):
    """Compressed if asked for; plain for what cannot be mapped."""
    recorder = Recorder(tmp_path / "x.flow.jsonl.gz", "test", watch_after=0)
    recorder.close()
    assert gzip.decompress((tmp_path / "x.flow.jsonl.gz").read_bytes()).startswith(b'{"k":"head"')
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    reading = os.open(pipe, os.O_RDONLY | os.O_NONBLOCK)
    sink = sink_for(pipe)
    assert isinstance(sink, FileSink)
    assert sink.write(b"line\n")
    assert os.read(reading, 100) == b"line\n"
    sink.close()
    os.close(reading)


# --- freezes -------------------------------------------------------------------------------------

FROZEN_GAME = """
import sys, time
from opossum_recorder import Recorder
recorder = Recorder(sys.argv[1], "frozen", hz=60, watch_after=0.1)
recorder.spawn("baker#1", "Baker")
b = recorder.bind("recipe", "baker#1", "Baker.on_recipe")

def find_recipe():
    {hang}

for n in range(30):
    with recorder.frame(n, 1 / 60):
        s = recorder.send("recipe", d=n)
        with recorder.call(s, b, "baker#1", "Baker.on_recipe", "baker.py:5"):
            if n == 20:
                print("hanging", flush=True)
                find_recipe()
"""


@pytest.mark.parametrize(
    ("hang", "watchdog_can_run"),
    [("while True: pass", True), ("sum(range(10 ** 12))", False)],
    ids=["a loop in Python", "one call in C that keeps the interpreter's lock"],
)
def test_what_came_before_a_freeze_is_on_disk_when_the_game_is_killed(tmp_path, hang, watchdog_can_run):
    """A real process, frozen, killed by SIGKILL: the take names the call it hung in."""
    path = tmp_path / "frozen.flow.jsonl"
    game = subprocess.Popen([sys.executable, "-c", FROZEN_GAME.format(hang=hang), str(path)], stdout=subprocess.PIPE)
    try:
        assert game.stdout.readline() == b"hanging\n"
        if watchdog_can_run:
            end = time.monotonic() + 20
            while b'"stuck"' not in path.read_bytes():
                assert time.monotonic() < end, "the watchdog wrote nothing"
                time.sleep(0.05)
        else:
            time.sleep(0.2)
    finally:
        game.kill()
        game.wait()
        game.stdout.close()

    take = open_any(str(path))
    assert take.damage == []
    assert len(take.calls) == 21
    assert take.calls.returned.tolist() == [True] * 20 + [False]
    finding = next(item for item in examine(take) if item.kind == "freeze")
    assert finding.cause == "endless-loop"
    assert finding.subject.fn == "Baker.on_recipe"
    assert finding.frames == [20]
    assert any("find_recipe" in detail for detail in finding.details) == watchdog_can_run


def test_the_watchdog_is_quiet_while_frames_end(tmp_path):
    """And its thread ends with the recorder."""
    path = tmp_path / "quiet.flow.jsonl"
    recorder = Recorder(path, "test", watch_after=0.05)
    for number in range(5):
        with recorder.frame(number):
            pass
    time.sleep(0.2)  # waiting after idle is no freeze
    recorder.close()

    assert b'"stuck"' not in path.read_bytes()
    assert not any(thread.name == "opossum-watchdog" for thread in threading.enumerate())


def test_numbers_that_are_none_do_not_break_a_frame(recorder, memory):
    """A dt that is no number is left out."""
    for number, dt in enumerate((math.nan, math.inf, -math.inf, 1e300, 2 + 1j, "soon", Rude(), None, 0.25, 2)):
        recorder.frame(number, dt)
    recorder.close()

    frames = [record for record in memory.records() if record["k"] == "frame"]
    assert [record["n"] for record in frames] == list(range(10))
    assert [record.get("dt") for record in frames] == [None] * 8 + [0.25, 2]
    assert recorder.lost == 0


def test_nothing_is_stuck_in_a_phase_that_waits():
    """Until another phase, or the next frame, begins."""
    recorder = Recorder(os.devnull, "game", phases=("work", "wait"), waits=("wait",), watch_after=60.0)
    with recorder.frame(0):
        recorder.phase("work")
        time.sleep(0.01)
        assert recorder.frame_lasts_s > 0
        recorder.phase("wait")
        assert recorder.frame_lasts_s == 0
        recorder.phase("work")
        time.sleep(0.01)
        assert recorder.frame_lasts_s > 0
        recorder.phase("wait")
    recorder.frame(1)
    time.sleep(0.01)
    assert recorder.frame_lasts_s > 0
    recorder.close()


def test_a_name_of_many_megabytes_is_cut_before_it_is_built(recorder, memory):
    """Recording it costs a small part of what escaping all of it would."""
    name = "x" * 20_000_000
    began = time.perf_counter()
    json.dumps(name)
    whole = time.perf_counter() - began
    began = time.perf_counter()
    for _ in range(10):
        recorder.send(name, name, d={"all": name, "list": [name] * 900})
        recorder.watch("x", "y", name)
        recorder.say(name)
    took = time.perf_counter() - began
    recorder.close()
    assert took < 10 * whole
    assert recorder.lost == 0
    assert max(map(len, memory.data.split(b"\n"))) < 10_000
    assert [len(record["text"]) for record in memory.records() if record["k"] == "say"] == [3001] * 10


def test_the_time_of_a_games_own_clock_never_falls(memory):
    """Nor does what it cannot tell end the game."""
    told = iter([5000, 7000, 6000, "late", 2**70, -3, 8000, 8000, 9000])

    def clock():
        try:
            return next(told)
        except StopIteration:
            raise RuntimeError("no time") from None

    recorder = Recorder(None, "g", sink=memory, watch_after=0, clock=clock)
    for number in range(9):
        recorder.say(f"{number}")
    recorder.close()
    times = [record["t"] for record in memory.records()]
    assert times == sorted(times) and times[-1] == 4000
    assert recorder.lost == 0


@pytest.mark.parametrize("suffix", [".flow.jsonl", ".flow.jsonl.gz"])
def test_a_process_that_is_forked_off_writes_nothing(tmp_path, suffix):
    """Whatever it does, and however it ends: the file is its parent's."""
    path = tmp_path / f"a{suffix}"
    code = (
        "import os, sys; from opossum_recorder import Recorder\n"
        f"r = Recorder({str(path)!r}, 'g', watch_after=0)\n"
        "for n in range(50): r.frame(n); r.idle()\n"
        "if not os.fork():\n"
        "    for n in range(5000): r.frame(n); r.send('child'); r.idle()\n"
        "    r.close(); sys.exit(0)\n"
        "os.wait()\n"
        "for n in range(50, 100): r.frame(n); r.idle()\n"
        "r.close()\n"
    )
    subprocess.run([sys.executable, "-c", code], check=True, timeout=60)
    contents = read_streams([str(path)])
    assert not contents.damage
    assert contents.tables["frame"]["n"].tolist() == list(range(100))
    assert len(contents.tables["send"]) == 0 and len(contents.tables["bye"]) == 1


@pytest.mark.parametrize("pure", ["", "1"])
def test_ctrl_c_within_the_recorder_still_ends_the_game(tmp_path, pure):
    """What the user wants is not swallowed, and the recording stays whole."""
    code = (
        "import os, signal, sys, threading, time; from opossum_recorder import Recorder\n"
        "class Slow:\n"
        "    def __repr__(self):\n"
        "        if n == 40: os.kill(os.getpid(), signal.SIGINT)\n"
        "        time.sleep(0.001)\n"
        "        return 'slow'\n"
        f"r = Recorder({str(tmp_path / 'a.flow.jsonl')!r}, 'g', watch_after=0)\n"
        "try:\n"
        "    for n in range(100000): r.frame(n); r.send('x', d=Slow()); r.idle()\n"
        "except KeyboardInterrupt:\n"
        "    print(n); r.send('last'); r.close()\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        timeout=60,
        env=os.environ | {"OPOSSUM_PURE": pure},
    )
    assert done.returncode == 0, done.stderr
    assert 40 <= int(done.stdout) <= 42
    contents = read_streams([str(tmp_path / "a.flow.jsonl")])
    assert not [item for item in contents.damage if item.code != "lost"]
    assert len(contents.tables["bye"]) == 1


def test_a_destructor_that_records_within_recording_does_not_stop_the_game():
    """Memory is given back at any moment, also while the link takes a line; what runs then may record."""
    code = (
        "import gc, threading; from opossum_recorder import Recorder\n"
        "r = Recorder(None, 'g', link='127.0.0.1:9', watch_after=0)\n"
        "class Dying:\n"
        "    def __init__(self): self.me = self\n"
        "    def __del__(self): r.send('gone'); r.flush()\n"
        "gc.set_threshold(1)\n"
        "for n in range(3000):\n"
        "    Dying(); r.frame(n); r.send('x', d=[[] for _ in range(3)]); r.idle()\n"
        "import os; os._exit(0)\n"
    )
    assert subprocess.run([sys.executable, "-c", code], timeout=60).returncode == 0


@pytest.mark.parametrize("pure", ["", "1"])
def test_what_records_while_the_interpreter_ends_raises_nothing(tmp_path, pure):
    """Destructors, functions at exit, threads that go on, a recorder that is made only then."""
    program = tmp_path / "late.py"
    program.write_text(
        "import atexit, sys, threading\n"
        "import opossum_recorder\n"
        "from opossum_recorder import Recorder\n"
        "r = Recorder(sys.argv[1], 'g', watch_after=0.05)\n"
        "class Late:\n"
        "    def __del__(self):\n"
        "        r.send('late'); r.flush(); r.frame(1); r.idle(); r.changed(1)\n"
        "        with r.call(1, None, 'a', 'b'): pass\n"
        "        r.spawn('x'); r.watch('a', 'b', 1); r.close()\n"
        "keep = Late(); sys.keep = Late(); opossum_recorder.keep = Late(); circle = [Late()]; circle.append(circle)\n"
        "atexit.register(lambda: r.send('at exit'))\n"
        "atexit.register(lambda: Recorder(sys.argv[1] + '2', 'late').send('x'))\n"
        "def work():\n"
        "    while True: r.send('thread')\n"
        "threading.Thread(target=work, daemon=True).start()\n"
        "r.frame(0)\n"
    )
    done = subprocess.run(
        [sys.executable, str(program), str(tmp_path / "a.flow.jsonl")],
        capture_output=True,
        text=True,
        timeout=60,
        env=os.environ | {"OPOSSUM_PURE": pure},
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert read_streams([str(tmp_path / "a.flow.jsonl")]).records > 1


@pytest.mark.parametrize(("length", "kept"), [(1000, 1000), (1001, 1001), (5000, 1001)])
def test_names_are_cut_beyond_their_bound(recorder, memory, length, kept):
    """A sign shows that it is not all; one at the bound is whole."""
    recorder.send("x" * length)
    recorder.close()
    name = next(record["ev"] for record in memory.records() if record["k"] == "send")
    assert len(name) == kept and name.endswith("…") is (length > 1000)


def test_a_disk_that_was_full_for_a_while_is_told_with_its_reason(tmp_path, monkeypatch):
    """Also where there is room again before the end; what was lost by then is told where it is missing."""
    real, full = os.pwrite, []

    def pwrite(file: int, data: bytes, place: int) -> int:
        if full:
            raise OSError(28, "No space left on device")
        return real(file, data, place)

    monkeypatch.setattr("opossum_recorder.sink.os.pwrite", pwrite)
    recorder = Recorder(tmp_path / "a.flow.jsonl", "g", watch_after=0)
    for number in range(3000):
        full[:] = [1] if 1000 <= number < 2000 else []
        recorder.send("x", d="y" * 900)
        recorder.flush()
    recorder.close()
    take = open_any(str(tmp_path / "a.flow.jsonl"))
    lost = take.tables["lost"]
    assert 0 < take.recording.lost == recorder.lost == 3000 - len(take.tables["send"])
    assert int(lost["n"][0]) > 0 and "No space left" in take.text(int(lost["why"][len(lost) - 1]))


def test_a_plain_file_whose_torn_line_could_not_be_taken_back_keeps_what_comes_after(tmp_path, monkeypatch):
    """A later line that is cut takes none of the whole ones with it."""
    path = tmp_path / "a.flow.jsonl"
    sink = FileSink(path)
    real_write, real_truncate = os.write, os.ftruncate
    cut, stuck = [], []
    monkeypatch.setattr(
        "opossum_recorder.sink.os.write", lambda file, data: real_write(file, data[: cut.pop() if cut else None])
    )

    def truncate(file: int, size: int) -> None:
        if stuck:
            raise OSError(5, "no")
        real_truncate(file, size)

    monkeypatch.setattr("opossum_recorder.sink.os.ftruncate", truncate)
    assert sink.write(b"one\n")
    cut.append(2), stuck.append(1)
    assert not sink.write(b"torn\n")
    stuck.clear()
    assert sink.write(b"two\n") and sink.write(b"three\n")
    cut.append(3)
    assert not sink.write(b"again\n")
    assert sink.write(b"four\n")
    sink.close()
    assert path.read_bytes() == b"one\nto\ntwo\nthree\nfour\n"


@pytest.mark.parametrize("link", ["", "127.0.0.1:9"])
def test_where_no_thread_can_be_started_the_game_is_recorded_all_the_same(tmp_path, monkeypatch, link):
    """As while the interpreter ends (from Python 3.12 on), or where there are too many: nobody watches, nothing is raised."""

    def start(thread: threading.Thread) -> None:
        raise RuntimeError("can't start new thread")

    monkeypatch.setattr(threading.Thread, "start", start)
    path = tmp_path / "late.flow.jsonl"
    recorder = Recorder(None if link else path, "late", link=link)
    recorder.send("x")
    recorder.close()
    if link:
        assert recorder.lost == 3 and "can't start new thread" in recorder.trouble
    else:
        assert [json.loads(line)["k"] for line in path.read_text().splitlines()] == ["head", "send", "bye"]


def test_lengths_of_frames_are_remembered_up_to_a_bound():
    """Each is told as it is, also when all before it were forgotten; one that no game has is not told."""
    texts = StepTexts()
    for number in range(MOST_STEPS):
        assert texts[number / 1000] == f',"dt":{number / 1000:.6g}'
    assert len(texts) == MOST_STEPS and texts[0.0] == ',"dt":0'
    assert texts[0.0166666] == ',"dt":0.0166666' and len(texts) == 1
    assert (texts[1e12], texts[-1e12]) == (',"dt":1e+12', ',"dt":-1e+12')
    assert [texts[never] for never in (1.1e12, float("inf"), float("nan"))] == ["", "", ""]
