"""A weave whose rows are first gathered from the take: at once where that is quick, else off the window's thread."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QStackedLayout, QWidget

from opossum.words import tr
from opossum_desk.state.session import Session
from opossum_desk.weaving.canvas_weave import CanvasWeave
from opossum_desk.weaving.row_canvas import RowCanvas
from opossum_desk.work import Work

QUICK_RECORDS = 200_000
"""A take of so many records is gathered within a blink."""


class GatheredWeave(CanvasWeave):
    """One canvas of rows; what it shows of a take (`gather`) is asked once a take."""

    gathering_told = "Gathering …"

    def __init__(self, canvas: RowCanvas, parent: QWidget | None = None) -> None:
        super().__init__(canvas, parent)
        self.session: Session | None = None
        self.waiting = QLabel(tr(self.gathering_told))
        self.waiting.setProperty("role", "quiet")
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(canvas)
        self._stack.addWidget(self.waiting)
        self._work = Work(self)
        self._work.finished.connect(self._gathered)
        self._work.failed.connect(self._tell_failure)

    def gather(self, session: Session) -> Any:
        """Return what is shown of a session's take; called on any thread, and only reads."""
        raise NotImplementedError

    def show_gathered(self, session: Session, known: Any) -> None:
        """Have the canvas show what was gathered."""
        raise NotImplementedError

    def set_session(self, session: Session | None) -> None:
        self._work.cancel()
        grown = session is not None and self.session is not None and session.history is self.session.history
        self.session = session
        if session is None:
            self.canvas.set_session(None)
        elif session.take.records <= QUICK_RECORDS:
            self._gathered(self.gather(session))
        else:
            if not grown:
                self.waiting.setText(tr(self.gathering_told))
                self._stack.setCurrentWidget(self.waiting)
            self._work.start(lambda tell: self.gather(session))

    def _gathered(self, known: Any) -> None:
        assert self.session is not None
        self.show_gathered(self.session, known)
        self._stack.setCurrentWidget(self.canvas)

    def _tell_failure(self, why: str) -> None:
        # also while a take grows: what is shown is of the take before, and would stay so without a word
        self.waiting.setText(why)
        self._stack.setCurrentWidget(self.waiting)
