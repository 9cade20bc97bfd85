"""Work off the window's thread: opening and examining. Requests are frozen and numbered; late answers are dropped."""

from __future__ import annotations

import _thread
import contextlib
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from opossum.words import tr
from opossum_desk.state.tasks import Cancelled, Tell


class Work(QObject):
    """Runs one task at a time on a thread of its own; a new one makes the old one's answer void.

    Signals come on the thread that made the object, and only of the latest task.
    """

    progressed = Signal(str, float)
    finished = Signal(object)
    failed = Signal(str)
    _told = Signal(int, str, object)
    """(number, which signal, what it tells), from the task's thread."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._number = 0
        self._cancel = threading.Event()
        self._ended = threading.Event()
        self._ended.set()
        self._is_awaited = False
        self._told.connect(self._tell)

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

        def answer(name: str, value: object) -> None:
            with contextlib.suppress(RuntimeError):  # the window may be gone
                self._told.emit(number, name, value)

        def tell(text: str, share: float) -> None:
            if cancel.is_set():
                raise Cancelled
            answer("progressed", (text, share))

        def run() -> None:
            try:
                result = task(tell)
            except Cancelled:
                return
            except MemoryError:
                answer("failed", tr("The take is too large for this machine's memory."))
            except Exception as error:
                answer("failed", str(error))
            else:
                answer("finished", result)
            finally:
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
