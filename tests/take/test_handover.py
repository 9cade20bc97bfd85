"""A take handed from one process to another."""

import os
import signal
import subprocess
import sys

import numpy as np
import pytest

from moonrise_bakery import demo_take_path
from opossum.stream.tables import JsonColumn
from opossum.take import helper, opening
from opossum.take.archive import save_take
from opossum.take.bounds import NO_MEMORY
from opossum.take.handover import pack, pack_values, unpacked, unpacked_values
from opossum.take.helper import Helper, helper_for
from opossum.take.opening import open_here
from opossum.take.take_error import TakeError
from same_values import equal
from tape import Tape


@pytest.fixture
def take():
    """Return a small take with texts, numbers, data and damage."""
    tape = Tape().frame()
    bell = tape.bind("bell", "oven#1", "Oven.on_bell")
    tape.heard("bell", bell, o="door#1", d={"who": "cät"}, eff=2)
    tape.lines.append("{not json")
    tape.frame()("watch", o="oven#1", name="heat", v=1.5)
    return tape.take()


def same(one, other) -> bool:
    """Compare two takes column by column."""
    for kind, table in one.tables.items():
        for name, column in table.columns.items():
            twin = other.tables[kind].columns[name]
            if isinstance(column, JsonColumn):
                if (bytes(column.data), column.offsets.tolist()) != (bytes(twin.data), twin.offsets.tolist()):
                    return False
            elif not np.array_equal(column, twin, equal_nan=column.dtype.kind == "f"):
                return False
    for name in one.built():
        if not equal(getattr(one, name), other.built()[name]):
            return False
    return (one.strings, one.peers, one.damage, one.name) == (other.strings, other.peers, other.damage, other.name)


def test_what_is_unpacked_is_what_was_packed(take):
    """Every column, text and piece of damage."""
    memory = os.memfd_create("test")
    pack(take, memory)
    assert same(take, unpacked(memory)[0])
    os.close(memory)


def test_texts_of_any_kind_and_arrays_of_any_length_are_handed_over():
    """Half a character too; each array begins where processors like it to."""
    memory = os.memfd_create("test")
    strided = np.arange(14)[::2]
    arrays = [np.arange(count, dtype=np.uint8) for count in (3, 0, 65, 1)]
    pack_values({"text": "\ud83d ☾", "arrays": [*arrays, strided]}, memory)
    told = unpacked_values(memory)
    assert told["text"] == "\ud83d ☾"
    assert [own.tolist() for own in told["arrays"]] == [own.tolist() for own in (*arrays, strided)]
    assert [own.ctypes.data % 64 for own in told["arrays"] if len(own)] == [0] * 4
    os.close(memory)


def test_a_helper_opens_a_saved_take(take, tmp_path):
    """In a process of its own, with the same result."""
    path = str(tmp_path / "night.take")
    save_take(take, path)
    opened = Helper(path).take()
    assert opened is not None and same(take, opened)


def test_a_helper_beside_other_threads_is_a_program_of_its_own(take, tmp_path, monkeypatch):
    """Begun without a look at what is installed: where modules are is told, and what goes along is asked for there."""
    path = str(tmp_path / "night.take")
    save_take(take, path)
    monkeypatch.setattr(helper, "_runs_one_thread", lambda: False)
    monkeypatch.setattr(os, "fork", None)
    opened, along = Helper(path, "test_helper_process:records_of").take_and_along()
    assert same(take, opened) and along == {"records": take.records}
    (tmp_path / "night.take").write_bytes(b"PK\x03\x04 no take")
    with pytest.raises(TakeError, match="the file is damaged"):
        Helper(path).take()


@pytest.mark.parametrize(
    ("status", "why"),
    [
        (NO_MEMORY, "opening it needs more memory than a take of its size could; it was not opened"),
        (-signal.SIGXFSZ, "opening it needs more memory than a take of its size could; it was not opened"),
        (-signal.SIGXCPU, "opening it takes longer than a take of its size could; it was not opened"),
        (
            -signal.SIGKILL,
            "the process that opened it was killed; this machine may have too little memory left: try again",
        ),
        (
            -signal.SIGSEGV,
            "the process that opened it ended by itself (status -11); it is damaged, and was not opened",
        ),
        (1, "the process that opened it ended by itself (status 1); it is damaged, and was not opened"),
    ],
)
def test_how_a_helper_ended_is_told(take, tmp_path, status, why):
    """One sentence for each end; whoever waits gets it with the file's name."""
    path = str(tmp_path / "night.take")
    save_take(take, path)
    ended = Helper(path)
    assert ended.wait(60)
    ended._status = status
    with pytest.raises(TakeError) as error:
        ended.take()
    assert str(error.value) == f"{path}: {why}"


def test_a_forked_helper_opens_the_same_take(take, tmp_path):
    """As a copy of a process with one thread, however many files that has open; it goes on undisturbed, refusals are told as ever."""
    path = str(tmp_path / "night.take")
    save_take(take, path)
    damaged = tmp_path / "damaged.take"
    damaged.write_bytes(b"PK\x03\x04 no take")
    code = (
        "import sys; from opossum.take.helper import Helper, helper_for; from opossum.take.opening import open_here\n"
        "import os; forks = []; fork = os.fork; os.fork = lambda: forks.append(1) or fork()\n"
        "files = [open('/dev/null') for _ in range(200)]\n"
        "opened = helper_for([sys.argv[1]]).take(); here = open_here(sys.argv[1])\n"
        "print(len(forks), opened.records == here.records > 0, opened.strings == here.strings)\n"
        "try:\n helper_for([sys.argv[2]]).take()\nexcept Exception as error: print(error)\n"
    )
    told = subprocess.run(
        [sys.executable, "-c", code, path, str(damaged)],
        env=os.environ | {"OPENBLAS_NUM_THREADS": "1"},
        capture_output=True,
        text=True,
        check=True,
    )
    assert told.stdout.startswith("1 True True\n") and "the file is damaged" in told.stdout
    assert told.stderr == ""


@pytest.mark.parametrize(
    "done", ["open_here(sys.argv[1])", "save_take(open_any(sys.argv[2]), sys.argv[1])"], ids=["opening", "saving"]
)
def test_no_data_frames_are_loaded(take, tmp_path, done):
    """Asked for NumPy arrays, or given them, Arrow would load pandas where it is installed: longer than all the rest takes."""
    path, stream = str(tmp_path / "night.take"), tmp_path / "night.flow.jsonl"
    save_take(take, path)
    stream.write_bytes(Tape().frames(5).bytes())
    code = (
        "import sys; from opossum.take.archive import save_take; from opossum.take.opening import open_any, open_here;"
        f"{done}; print('pandas' in sys.modules)"
    )
    told = subprocess.run([sys.executable, "-c", code, path, str(stream)], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "False"


def test_a_helper_that_cannot_open_says_why(tmp_path):
    """The sentence is the one that opening it here gives."""
    path = tmp_path / "night.take"
    path.write_bytes(b"PK\x03\x04 no take")
    with pytest.raises(TakeError) as apart:
        Helper(str(path)).take()
    with pytest.raises(TakeError) as here:
        open_here(str(path))
    assert str(apart.value) == str(here.value) and "damaged" in str(here.value)
    with pytest.raises(TakeError, match="cannot be read"):
        Helper(str(tmp_path / "missing.take")).take()


@pytest.mark.parametrize(
    ("does", "ends"),
    [
        ("while True: pass", -signal.SIGXCPU),
        ("import numpy; numpy.ones(1 << 27)", NO_MEMORY),
        ("import os; f = os.memfd_create('x')\nwhile True: os.write(f, bytes(1 << 24))", -signal.SIGXFSZ),
        ("[os.dup(0) for _ in range(40)]", 1),
    ],
    ids=["time", "memory", "handing over", "files"],
)
def test_what_needs_more_than_a_take_could_is_ended(does, ends, tmp_path):
    """By the system, and told in a sentence."""
    code = (
        "import os; from opossum.take.helper_process import Bounds, keep_within\n"
        f"keep_within(Bounds(1 << 29, {1 if ends == -signal.SIGXCPU else 30}, 32))\ntry:\n exec({does!r})\n"
        f"except MemoryError: os._exit({NO_MEMORY})\n"
    )
    status = subprocess.run([sys.executable, "-c", code], stderr=subprocess.DEVNULL, timeout=60).returncode
    assert status == ends
    if ends != 1:
        path = tmp_path / "night.take"
        path.write_bytes(b"PK")
        begun = Helper(str(path))
        assert "than a take of its size could" in begun._why(ends)
        with pytest.raises(TakeError):
            begun.take()


def test_what_a_process_has_already_does_not_count():
    """The copy of a process that holds a large take may use as much as any other to open a small one."""
    code = (
        "import numpy; from opossum.take.helper_process import Bounds, keep_within\n"
        "held = numpy.empty(1 << 27)\nkeep_within(Bounds(1 << 29, 30, 32)); numpy.empty(1 << 24)\n"
        "try:\n numpy.empty(1 << 27)\nexcept MemoryError: print('no more')\n"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert told.stdout == "no more\n", told.stderr


def test_a_helper_can_be_stopped(take, tmp_path):
    """Whoever waits may think better of it; the process is gone then."""
    path = str(tmp_path / "night.take")
    save_take(take, path)
    begun = Helper(path)

    def stop() -> None:
        raise RuntimeError("enough")

    with pytest.raises(RuntimeError, match="enough"):
        begun.take(stop)
    with pytest.raises(ProcessLookupError):
        os.kill(begun._process, 0)


def test_what_nobody_foresaw_is_one_sentence(tmp_path, monkeypatch):
    """With the place, and whom to tell."""
    monkeypatch.setattr(opening, "open_take", lambda path: [][1])
    with pytest.raises(
        TakeError, match=r"nobody foresaw \(IndexError list index out of range, at test_handover.py:\d+\)"
    ):
        open_here(str(tmp_path / "a.take"))


def test_only_one_saved_take_gets_a_helper(tmp_path):
    """Streams, several files, and what is not there are opened as ever."""
    assert helper_for([]) is None
    assert helper_for([str(tmp_path / "a.take"), str(tmp_path / "b.take")]) is None
    assert helper_for([str(tmp_path / "a.flow.jsonl")]) is None
    assert helper_for([str(tmp_path / "missing.take")]) is None
    begun = helper_for([str(demo_take_path())])
    assert begun is not None and begun.take().game == "Moonrise Bakery"
