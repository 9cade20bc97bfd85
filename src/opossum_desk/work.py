"""Work off the window's thread: opening and examining. Requests are frozen and numbered; late answers are dropped.

No thread but the window's touches an object of Qt: one that is being destroyed while a thread emits its signal ends the
process.  Threads put what they tell into a queue, and wake the window through a pipe.
"""

from __future__ import annotations

import _thread
import contextlib
import os
import threading
import weakref
from collections.abc import Callable
from queue import Empty, SimpleQueue
from typing import Any

from PySide6.QtCore import QCoreApplication, QObject, QSocketNotifier, Signal
from shiboken6 import isValid

from opossum.words import tr
from opossum_desk.state.tasks import Cancelled, Tell

WAKES_AT_ONCE = 1 << 16
"""Bytes taken from the pipe in one go: as many as it holds."""


class _Letterbox:
    """What threads told the window's thread and it has not read yet; there is one in a process, and it is never closed."""

    def __init__(self) -> None:
        self._letters: SimpleQueue[Callable[[], None]] = SimpleQueue()
        self._read_end, self._write_end = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._bell: QSocketNotifier | None = None

    def listen(self) -> None:
        """Read from now on in the thread of the application that there is."""
        if self._bell is None or not isValid(self._bell):  # it ended with an application before
            bell = QSocketNotifier(self._read_end, QSocketNotifier.Type.Read, QCoreApplication.instance())
            bell.activated.connect(self._empty)
            self._bell = bell

    def put(self, letter: Callable[[], None]) -> None:
        """Have `letter` called in the window's thread; any thread may ask."""
        self._letters.put(letter)
        with contextlib.suppress(BlockingIOError):  # full of wakes that were not heard yet: this one is not needed
            os.write(self._write_end, b"\0")

    def _empty(self) -> None:
        with contextlib.suppress(BlockingIOError):
            os.read(self._read_end, WAKES_AT_ONCE)
        with contextlib.suppress(Empty):
            while True:
                self._letters.get_nowait()()


_letterbox = _Letterbox()


class Work(QObject):
    """Runs one task at a time on a thread of its own; a new one makes the old one's answer void.

    Signals come on the thread that made the object, and only of the latest task.
    """

    progressed = Signal(str, float)
    finished = Signal(object)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._number = 0
        self._cancel = threading.Event()
        self._ended = threading.Event()
        self._ended.set()
        self._is_awaited = False
        _letterbox.listen()

    @property
    def running(self) -> bool:
        """Say whether the latest task still runs, or its answer has not been handed on yet."""
        return self._is_awaited

    def start(self, task: Callable[[Tell], Any]) -> None:
        """Run `task(tell)`; `tell(text, share)` reports progress and ends the task when it was cancelled."""
        self.cancel()
        cancel = self._cancel = threading.Event()
        number, self._is_awaited = self._number, True
        ended = self._ended = threading.Event()
        work = weakref.ref(self)
        tasks = [task]

        def answer(name: str, value: object) -> None:
            _letterbox.put(lambda: _hand_on(work, number, name, value))

        def tell(text: str, share: float) -> None:
            if cancel.is_set():
                raise Cancelled
            answer("progressed", (text, share))

        def run() -> None:
            try:
                result = tasks[0](tell)
            except Cancelled:
                return
            except MemoryError:
                answer("failed", tr("The take is too large for this machine's memory."))
            except Exception as error:
                answer("failed", str(error))
            else:
                answer("finished", result)
            finally:
                _letterbox.put(tasks.clear)  # a task may be the last to know a widget, which must end in its own thread
                ended.set()

        # `threading.Thread` would wait here until the new thread has had its turn: on a busy machine, a whole frame
        _thread.start_new_thread(run, ())

    def _tell(self, number: int, name: str, value: Any) -> None:
        """Hand on what a task told, if it is the latest one."""
        if number != self._number:
            return
        if name == "progressed":
            self.progressed.emit(*value)
            return
        self._is_awaited = False
        (self.finished if name == "finished" else self.failed).emit(value)

    def cancel(self) -> None:
        """End the running task at its next report; its answer will not come."""
        self._cancel.set()
        self._number += 1
        self._is_awaited = False

    def wait(self, seconds: float = 5.0) -> None:
        """Wait until the thread has ended."""
        self._ended.wait(seconds)


def _hand_on(reference: weakref.ref[Work], number: int, name: str, value: object) -> None:
    """Give what a task told to whoever asked for it, if that is still there."""
    work = reference()
    if work is not None and isValid(work):
        work._tell(number, name, value)
