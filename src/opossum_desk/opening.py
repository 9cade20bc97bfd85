"""Opening, examining and saving takes in the background. Owns no widget; says what happened by signals."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from opossum.words import tr
from opossum_desk.state.session import Session
from opossum_desk.state.tasks import Examined, HeadStart, Tell, examining_task, open_session, saving_task
from opossum_desk.work import Work

EXAMINE_AFTER_MS = 100
"""What is there is painted first and then examined: the two would share one interpreter."""
EXAMINE_REST = 6
"""Examining a take that grows rests at least this many times as long as it took."""
SAVING_S = 30
"""How long closing waits for a take that is being saved."""


class Opening(QObject):
    """Takes on their way to the desk, and back to a file."""

    begun = Signal(str)
    """A file's name: it is being read."""
    progressed = Signal(str, float)
    opened = Signal(object)
    """The session of what was opened."""
    failed = Signal(str)
    examining_told = Signal(str)
    examined = Signal(object)
    """What an examination found (`Examined`)."""
    saved = Signal(str)
    not_saved = Signal(str)
    reported = Signal(str)
    reporting_told = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.paths: list[str] = []
        """What is being opened, or was opened last."""
        self._began = self._again = 0.0
        self._opening, self._examining, self._saving, self._reporting = (Work(self) for _ in range(4))
        self._opening.progressed.connect(self.progressed)
        self._opening.finished.connect(self.opened)
        self._opening.failed.connect(self.failed)
        self._examining.progressed.connect(lambda text, share: self.examining_told.emit(text + " …"))
        self._examining.finished.connect(self._told)
        self._examining.failed.connect(
            lambda text: self.examining_told.emit(tr("The take could not be examined: {text}", text=text))
        )
        self._saving.finished.connect(lambda path: self.saved.emit(path))
        self._saving.failed.connect(self.not_saved)
        self._reporting.finished.connect(lambda path: self.reported.emit(path))
        self._reporting.failed.connect(self.not_saved)
        self._reporting.progressed.connect(lambda text, share: self.reporting_told.emit(f"{text} … {share:.0%}"))

    # --- opening -----------------------------------------------------------------------------------

    def open(self, paths: list[str], head_start: HeadStart | None = None) -> None:
        """Open takes or streams; `head_start` may have begun, or even done, that already."""
        wanted = self.paths = list(paths)
        self._opening.cancel()
        if head_start is not None and head_start.session is not None:
            self.opened.emit(head_start.session)
            return
        self.begun.emit(paths[0])
        self._opening.start(head_start.go_on if head_start else lambda tell: open_session(wanted, tell))

    def cancel(self) -> None:
        """Stop opening."""
        self._opening.cancel()

    @property
    def is_opening(self) -> bool:
        """Say whether something is being opened."""
        return self._opening.running

    # --- examining ---------------------------------------------------------------------------------

    @property
    def is_examining(self) -> bool:
        """Say whether a take is being examined."""
        return self._examining.running

    def examine_soon(self, session: Session, followed: Any = None) -> None:
        """Examine a session's take once it has been painted; at once where it is `followed`: who reads it does so."""
        if followed is not None:
            self.examine(session, followed)
            return

        def shown() -> None:
            QTimer.singleShot(EXAMINE_AFTER_MS, self, lambda: self.examine(session))

        QTimer.singleShot(0, self, shown)  # counted from when the window answers: it may still be on its way

    def examine(self, session: Session, followed: Any = None) -> None:
        """Examine a session's take, unless one that still plays was examined a moment ago."""
        now = time.monotonic()
        if session.playing and (now < self._again or self._examining.running):
            return
        self._began = now
        self._examining.start(examining_task(session, followed))

    def stop_examining(self) -> None:
        """Let an examination go; its answer will not come."""
        self._examining.cancel()

    def _told(self, answer: Examined) -> None:
        self._again = time.monotonic() + EXAMINE_REST * (time.monotonic() - self._began)
        self.examined.emit(answer)

    # --- saving ------------------------------------------------------------------------------------

    def save(self, session: Session, path: str) -> None:
        """Save a session's take as one `.take` file."""
        self._saving.start(saving_task(session, path))

    def write_report(self, task: Callable[[Tell], str]) -> None:
        """Write the page that tells what was found: a task that answers with the page's path."""
        self._reporting.start(task)

    @property
    def is_saving(self) -> bool:
        """Say whether a take is being saved."""
        return self._saving.running

    def close(self) -> None:
        """Wait for what is being saved, and let all else go."""
        for work in (self._opening, self._examining):
            work.cancel()
        for work in (self._saving, self._reporting):
            if work.running:
                work.wait(SAVING_S)
        for work in (self._opening, self._examining):
            work.wait()
