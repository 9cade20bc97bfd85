"""Work off the window's thread: opening and examining. Requests are frozen and numbered; late answers are dropped."""

from __future__ import annotations

import _thread
import contextlib
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from opossum_desk.state.tasks import Cancelled, Tell


class Work(QObject):
    """Runs one task at a time on a thread of its own; a new one makes the old one's answer void."""

    progressed = Signal(int, str, float)
    finished = Signal(int, object)
    failed = Signal(int, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.number = 0
        self._cancel = threading.Event()
        self._ended = threading.Event()
        self._ended.set()

    @property
    def running(self) -> bool:
        """Say whether the latest task still runs."""
        return not self._ended.is_set()

    def start(self, task: Callable[[Tell], Any]) -> int:
        """Run `task(tell)`; `tell(text, share)` reports progress and ends the task when it was cancelled."""
        self._cancel.set()
        cancel = self._cancel = threading.Event()
        self.number += 1
        number = self.number
        ended = self._ended = threading.Event()

        def tell(text: str, share: float) -> None:
            if cancel.is_set():
                raise Cancelled
            self.progressed.emit(number, text, share)

        def run() -> None:
            try:
                result = task(tell)
            except Cancelled:
                return
            except MemoryError:
                self._answer(cancel, self.failed, number, "The take is too large for this machine's memory.")
            except Exception as error:
                self._answer(cancel, self.failed, number, str(error))
            else:
                self._answer(cancel, self.finished, number, result)
            finally:
                ended.set()

        # `threading.Thread` would wait here until the new thread has had its turn: on a busy machine, a whole frame
        _thread.start_new_thread(run, ())
        return number

    def _answer(self, cancel: threading.Event, signal: Any, number: int, value: object) -> None:
        if not cancel.is_set():
            with contextlib.suppress(RuntimeError):  # the window may be gone
                signal.emit(number, value)

    def cancel(self) -> None:
        """End the running task at its next report; its answer will not come."""
        self._cancel.set()
        self.number += 1

    def wait(self, seconds: float = 5.0) -> None:
        """Wait until the thread has ended."""
        self._ended.wait(seconds)
