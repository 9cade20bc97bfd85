"""Work off the window's thread, and what becomes of it when the window goes first."""

import subprocess
import sys
import threading

import pytest
import shiboken6
from PySide6.QtCore import QObject

from opossum_desk.work import Work

ENDS_WHILE_THREADS_TELL = """
import random, sys, time
from PySide6.QtWidgets import QApplication
import shiboken6
from opossum_desk.work import Work

application = QApplication([])
sys.setswitchinterval(1e-5)
until = time.monotonic() + 3
while time.monotonic() < until:
    work = Work()
    work.start(lambda tell: [tell("half", 0.5) for _ in range(50)])
    for _ in range(random.randrange(200)):
        pass
    if random.random() < 0.5:
        application.processEvents()
    shiboken6.delete(work)
print("still here")
"""


@pytest.fixture
def work(qapp):
    made = Work()
    yield made
    made.cancel()
    made.wait()


def test_what_ends_while_a_thread_tells_it_something_ends_nothing_else():
    """A signal emitted from the thread while its object was destroyed ended the process."""
    run = subprocess.run([sys.executable, "-c", ENDS_WHILE_THREADS_TELL], capture_output=True, text=True, timeout=60)
    assert (run.returncode, run.stdout) == (0, "still here\n"), run.stderr


def test_what_a_task_tells_comes_in_its_order_on_the_thread_of_the_window(work, qtbot):
    told = []
    work.progressed.connect(lambda text, share: told.append((text, share, threading.current_thread())))
    work.finished.connect(lambda result: told.append((result, 1.0, threading.current_thread())))

    def task(tell):
        for share in (0.25, 0.5):
            tell("on the way", share)
        return "there"

    work.start(task)
    assert work.running
    qtbot.waitUntil(lambda: not work.running, timeout=5_000)
    here = threading.current_thread()
    assert told == [("on the way", 0.25, here), ("on the way", 0.5, here), ("there", 1.0, here)]


def test_more_than_the_pipe_holds_is_told_all_the_same(work, qtbot):
    """Nobody reads while the window is busy: the thread neither waits nor loses anything."""
    shares, told = [number / 100_000 for number in range(100_000)], []
    work.progressed.connect(lambda _, share: told.append(share))
    work.start(lambda tell: [tell("much", share) for share in shares])
    work.wait(30)
    assert told == []
    qtbot.waitUntil(lambda: not work.running, timeout=30_000)
    assert told == shares


def test_a_task_that_was_cancelled_tells_nothing_more(work, qtbot):
    told, go_on = [], threading.Event()
    work.progressed.connect(lambda *values: told.append(values))
    work.finished.connect(told.append)

    def task(tell):
        tell("begun", 0.0)
        go_on.wait(5)
        tell("never", 0.5)
        return "never"

    work.start(task)
    qtbot.waitUntil(lambda: told == [("begun", 0.0)], timeout=5_000)
    work.cancel()
    go_on.set()
    work.wait()
    qtbot.wait(20)
    assert told == [("begun", 0.0)]
    assert not work.running


def test_what_only_a_task_knows_is_let_go_on_the_thread_of_the_window(work, qtbot):
    """An object of Qt must not end on another thread than its own."""
    ends_on = []
    child = QObject()
    child.destroyed.connect(lambda: ends_on.append(threading.current_thread()))

    def task_for(known):
        return lambda tell: known.objectName()

    work.start(task_for(child))
    del child
    work.wait()
    qtbot.waitUntil(lambda: bool(ends_on), timeout=5_000)
    assert ends_on == [threading.current_thread()]


@pytest.mark.parametrize(
    ("raised", "said"),
    [(MemoryError(), "too large for this machine's memory"), (ValueError("no such take"), "no such")],
)
def test_what_a_task_raises_is_told_as_a_sentence(work, qtbot, raised, said):
    told = []
    work.failed.connect(told.append)

    def task(tell):
        raise raised

    work.start(task)
    qtbot.waitUntil(lambda: bool(told), timeout=5_000)
    assert said in told[0]
    assert not work.running


def test_a_new_task_makes_the_answer_of_the_one_before_void(work, qtbot):
    told, go_on = [], threading.Event()
    work.finished.connect(told.append)
    work.start(lambda tell: go_on.wait(5))
    work.start(lambda tell: "the second")
    go_on.set()
    qtbot.waitUntil(lambda: not work.running, timeout=5_000)
    qtbot.wait(20)
    assert told == ["the second"]


def test_who_asked_may_be_gone_when_the_answer_comes(qapp, qtbot):
    told, asked = [], Work()
    asked.finished.connect(told.append)
    asked.start(lambda tell: "too late")
    asked.wait()
    shiboken6.delete(asked)
    qtbot.wait(20)
    assert told == []
