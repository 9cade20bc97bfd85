"""What happens before the window is there: the head start, and what the desk remembers."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time

import pytest

from moonrise_bakery import demo_take_path
from opossum.take.helper import helper_for
from opossum.take.opening import open_any
from opossum_desk.memory import Memory
from opossum_desk.remembered import MOST_RECENT, Remembered, merged, remembered
from opossum_desk.starting import COUNTED
from opossum_desk.state import tasks
from opossum_desk.state.session import Session
from opossum_desk.state.tasks import Cancelled, HeadStart
from same_values import equal
from tape import Tape


def silent(text: str, share: float) -> None:
    """Take a report and say nothing."""


def test_a_saved_take_is_opened_by_the_helper():
    """The session is ready when the thread has ended."""
    paths = [str(demo_take_path())]
    start = HeadStart(paths, helper_for(paths))
    assert start.wait(30) and start.session is not None
    assert start.go_on(silent) is start.session


def test_a_stream_is_opened_without_a_helper(tmp_path):
    """A stream is read on the thread."""
    tape = Tape().frame()
    tape.heard("bell", tape.bind("bell", "oven#1", "Oven.on_bell"))
    path = tmp_path / "a.flow.jsonl"
    path.write_bytes(tape.bytes())
    start = HeadStart([str(path)], None)
    assert len(start.go_on(silent).take.calls) == 1


def test_what_cannot_be_opened_says_why_when_it_is_carried_on(tmp_path):
    """With and without a helper the reason is the same sentence."""
    path = tmp_path / "a.take"
    path.write_bytes(b"PK\x03\x04 no take")
    reasons = []
    for helper in (None, helper_for([str(path)])):
        with pytest.raises(ValueError) as caught:
            HeadStart([str(path)], helper).go_on(silent)
        reasons.append(str(caught.value))
    assert reasons[0] == reasons[1] and "damaged" in reasons[0]


def test_a_head_start_can_be_cancelled():
    """Whoever is told may end it; the process that opens the take is gone then, and is not waited for."""
    paths = [str(demo_take_path())]
    helper = helper_for(paths)
    os.kill(helper._process, signal.SIGSTOP)  # it would have ended too soon to be cancelled

    def stop(text: str, share: float) -> None:
        raise Cancelled

    start = HeadStart(paths, helper)
    assert not start.wait(0.01) and start.session is None
    with pytest.raises(Cancelled):
        start.go_on(stop)
    with pytest.raises(ProcessLookupError):
        os.kill(helper._process, 0)


def test_the_process_that_opens_a_take_counts_for_the_desk_too():
    """A session has the same rows, counts and order whoever counted; the desk's own process only takes them over."""
    paths = [str(demo_take_path())]
    start = HeadStart(paths, helper_for(paths, COUNTED))
    assert start.wait(30)
    there, here = start.session, Session(open_any(paths))
    assert there.rows == here.rows and there.awake == here.awake > 0
    assert equal(there.as_values(), here.as_values())
    assert "phase_of_call" in there.take.__dict__  # what counting asked for came along


def test_of_a_huge_take_only_itself_is_handed_over(monkeypatch):
    """What was counted would take longer to hand over than to count."""
    paths = [str(demo_take_path())]
    take = open_any(paths)
    monkeypatch.setattr(tasks, "MOST_HANDED_OVER", len(take.calls) - 1)
    assert tasks.counted(take) == {}
    start = HeadStart(paths, helper_for(paths, ""))
    assert start.wait(30) and start.session.rows == Session(take).rows
    monkeypatch.setattr(tasks, "MOST_HANDED_OVER", len(take.calls))
    assert tasks.counted(take)


def run(code: str) -> subprocess.CompletedProcess[str]:
    """Run code in an interpreter of its own, into which nothing is loaded yet."""
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)


def test_qt_is_loaded_without_what_only_messages_need():
    """What words a message about wrong arguments is loaded by the first of them, and says what it always says."""
    wrong = (
        "from PySide6.QtWidgets import QApplication, QWidget\napplication = QApplication([])\nwidget = QWidget()\n"
        "for call in (lambda: widget.setWindowTitle(3), lambda: QWidget(nix=4), lambda: widget.resize('1')):\n"
        "    try: call()\n    except Exception as error: print(repr(error))\n"
        "import PySide6.support.signature.lib.enum_sig as wording; print(wording.ExactEnumerator)\n"
    )
    lately = (
        "import builtins\nown = builtins.__import__, builtins.compile\nfrom opossum_desk import loading\n"
        "loading.load_qt()\nassert (builtins.__import__, builtins.compile) == own\n"
        "assert set(loading._waiting) == loading.WAITING\n"
    )
    usual, late = run(wrong), run(lately + wrong + "assert len(loading._waiting) == 1, loading._waiting")
    assert late.stdout == usual.stdout and "Supported signatures" in late.stdout, late.stderr
    assert late.stderr == usual.stderr == ""


def test_numpy_is_loaded_without_its_manual():
    """It counts as ever; what has its manual in its own source still has it."""
    code = (
        "from opossum_desk.loading import load_numpy\nload_numpy()\nimport numpy\n"
        "print(numpy.ndarray.sum.__doc__, numpy.arange(4).sum(), numpy.median.__doc__ is None)"
    )
    told = run(code)
    assert (told.stdout, told.stderr) == ("None 6 False\n", "")


def test_a_desk_that_opens_loads_neither_types_of_signatures_nor_what_reads_json():
    """Both are there for whoever asks later: the window waits for neither."""
    code = (
        "import sys\nfrom opossum_desk.loading import load_numpy\nload_numpy()\n"
        "import opossum_desk.state.session, opossum_desk.flow.layout.strands, opossum_desk.views.canvas\n"
        "print([name for name in ('numpy._typing', 'msgspec') if name in sys.modules])\n"
        "import numpy.typing\nprint(numpy.typing.NDArray[numpy.int8].__origin__ is numpy.ndarray)"
    )
    told = run(code)
    assert (told.stdout, told.stderr) == ("[]\nTrue\n", "")


def test_a_numpy_that_takes_more_of_its_types_is_given_them():
    """What stands in for them while NumPy is loaded makes way for the package, its modules too."""
    code = (
        "import builtins\nown = builtins.__import__\n"
        "def load(name, names=None, local=None, taken=(), level=0):\n"
        "    if name == 'numpy._typing' and taken == ('NDArray',):\n"
        "        own('numpy._typing._nbit', names, local, ('_NBitInt',), 0)\n"
        "        print(own(name, names, local, ('ArrayLike',), level).ArrayLike is not None)\n"
        "    return own(name, names, local, taken, level)\n"
        "builtins.__import__ = load\n"
        "from opossum_desk.loading import load_numpy\nload_numpy()\nimport numpy\nprint(numpy.arange(4).sum())"
    )
    told = run(code)
    assert (told.stdout, told.stderr) == ("True\n6\n", "")


def test_a_file_that_waits_has_no_more_names_than_it_would_have():
    """Looking for one that is not there loads it, and is told so."""
    code = (
        "from opossum_desk.loading import load_qt\nload_qt()\n"
        "from PySide6.support.signature import layout\n"
        "print([hasattr(layout, name) for name in ('__path__', 'nothing', 'update_mapping', 'create_signature')])"
    )
    told = run(code)
    assert (told.stdout, told.stderr) == ("[False, False, False, True]\n", "")


def test_what_can_wait_is_done_once_the_window_is_painted():
    """Garbage is collected again, and the windows have their icon."""
    code = (
        "import gc, sys\nfrom opossum_desk import starting\nmade = starting.make_window\ntimers = []\n"
        "def make_window(look):\n"
        "    result = made(look)\n"
        "    from PySide6.QtCore import QTimer\n    from PySide6.QtWidgets import QApplication\n"
        "    def look_on():\n"
        "        if gc.isenabled(): print(QApplication.windowIcon().isNull()), QApplication.quit()\n"
        "    timers.append(QTimer(interval=20)), timers[0].timeout.connect(look_on), timers[0].start()\n"
        "    return result\n"
        "starting.make_window = make_window\nsys.exit(starting.run_desk([]))"
    )
    told = run(code)
    assert (told.stdout, told.returncode) == ("False\n", 0), told.stderr


def test_starting_opens_before_qt_is_loaded():
    """The modules for opening load no Qt: what is named on the command line is read meanwhile."""
    code = "import sys, opossum_desk.starting, opossum_desk.state.tasks; print('PySide6' in sys.modules)"
    assert run(code).stdout.strip() == "False"


def test_what_was_remembered_is_taken_back_as_far_as_it_makes_sense():
    """Values of another kind are as if they had never been kept; so is a broken file."""
    said = {
        "look": "night",
        "recent": ["a.take", 7],
        "splits": {"flow": [1, 2], "middle": "wide"},
        "bookmarks": {"/a.take": [3]},
        "sounds": {"/a.take": {"waltz": ["/waltz.wav"]}, "/b.take": {"waltz": [3]}, "/c.take": ["/waltz.wav"]},
        "geometry": 5,
        "from a newer one": True,
    }
    kept = remembered(json.dumps(said).encode())
    sounds = {"/a.take": {"waltz": ["/waltz.wav"]}}
    assert kept == Remembered(look="night", splits={"flow": [1, 2]}, bookmarks={"/a.take": [3]}, sounds=sounds)
    for broken in (b"", b"{", b"[1]", b"\xff\xfe", b"[" * 100_000):
        assert remembered(broken) == Remembered()


@pytest.mark.parametrize("told", [signal.SIGTERM, signal.SIGINT])
def test_a_desk_that_is_told_to_end_keeps_what_it_remembers(tmp_path, told):
    """As if its window had been closed."""
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": str(tmp_path)}
    take = shutil.copy(demo_take_path(), tmp_path / "night.take")
    kept = tmp_path / "opossum" / "desk.json"
    for patience in (2, 4, 8, 16):  # told before its window stands, it ends as any program does
        process = subprocess.Popen(
            [sys.executable, "-m", "opossum_commands", take, "--look", "night"],
            env=environment,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(patience)
        process.send_signal(told)
        if process.wait(30) == 0 and kept.exists():
            break
    assert json.loads(kept.read_text())["recent"] == [str(take)]


def test_two_desks_lose_nothing_of_each_others(tmp_path):
    """Whoever writes last adds to what the other wrote: recent takes, bookmarks, settings."""
    first, second = Memory(tmp_path), Memory(tmp_path)
    first.add_recent("/first.take")
    first.kept.look = "night"
    first.set_bookmarks("/first.take", [1])
    first.save()
    second.add_recent("/second.take")
    second.set_bookmarks("/second.take", [2])
    second.kept.editor = "ed"
    second.save()
    for memory in (second, Memory(tmp_path)):
        assert memory.kept.recent == ["/second.take", "/first.take"]
        assert memory.kept.bookmarks == {"/first.take": [1], "/second.take": [2]}
        assert (memory.kept.look, memory.kept.editor) == ("night", "ed")
    first.renew()
    assert first.kept == second.kept


def test_what_one_desk_takes_away_stays_away_and_what_it_left_alone_stays(tmp_path):
    """A bookmark that was taken away does not come back with the other desk's save; a sound that was added within a take counts."""
    first = Memory(tmp_path)
    first.set_bookmarks("/a.take", [1])
    first.keep_sound_file("/a.take", "waltz", "/waltz.wav")
    first.save()
    second = Memory(tmp_path)
    first.set_bookmarks("/a.take", [])
    first.save()
    second.keep_sound_file("/a.take", "polka", "/polka.wav")
    second.save()
    assert second.kept.bookmarks == {} and set(second.kept.sounds["/a.take"]) == {"waltz", "polka"}


def test_recent_takes_of_two_desks_are_put_together():
    """Ours on top, in our order; a take that was only opened again goes up; no more than there is room for."""
    base = Remembered(recent=["a", "b", "c"])
    both = merged(base, Remembered(recent=["c", "d", "a", "b"]), Remembered(recent=["e", "a", "b", "c"]))
    assert both.recent == ["c", "d", "e", "a", "b"]
    assert merged(base, base, Remembered(recent=["b"])).recent == ["b"]
    full = Remembered(recent=[str(number) for number in range(MOST_RECENT)])
    assert merged(full, Remembered(recent=["new", *full.recent[:-1]]), full).recent == ["new", *full.recent[:-1]]


def test_settings_and_state_lie_where_the_desktop_keeps_them(tmp_path, monkeypatch):
    """What was chosen, and how the desk was left, are two files in two folders."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "settings"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    memory = Memory()
    memory.kept.look = "night"
    memory.add_recent("/a.take")
    chosen = json.loads((tmp_path / "settings/opossum/settings.json").read_text())
    left = json.loads((tmp_path / "state/opossum/desk.json").read_text())
    assert chosen == {"look": "night", "editor": ""}
    assert left["recent"] == ["/a.take"] and "look" not in left
    assert Memory().kept == memory.kept


def test_a_desk_that_hangs_while_it_writes_holds_no_other_up(tmp_path, monkeypatch):
    """The lock is waited for a while, then what there is to remember is written without it."""
    import fcntl

    monkeypatch.setattr("opossum_desk.memory.PATIENCE_S", 0.05)
    with open(tmp_path / "desk.lock", "w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        Memory(tmp_path).add_recent("/a.take")
    assert Memory(tmp_path).kept.recent == ["/a.take"]
