"""The sieve: one line of words that fades, or hides, what does not match."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from opossum.take.sieve import SieveError
from opossum.words import tr
from opossum_desk.state.session import Session

TYPING_MS = 160


class SieveLine(QWidget):
    """The line, how many calls pass, and the choice to hide the rest."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session: Session | None = None
        self.leave_as_it_is = False
        """Keep what is written when the next session comes: it is the same take, grown."""
        self.line = QLineEdit(self)
        self.line.setPlaceholderText(tr("Sieve: oven  -via:tick  doubled  wasted  frame:120-180"))
        self.line.setClearButtonEnabled(True)
        self.line.setProperty("wrong", False)
        self.line.setAccessibleName(tr("Sieve"))
        self.line.setToolTip(
            tr(
                "Words match event, object, class or function.\nev: o: cls: fn: via: phase: peer: frame: narrow; wasted, doubled, gone, slow; a leading - excludes."
            )
        )
        self.told = QLabel(self)
        self.told.setProperty("role", "quiet")
        self.told.setMinimumWidth(130)
        self.hide_rest = QPushButton(tr("Hide the rest"))
        self.hide_rest.setCheckable(True)
        self.hide_rest.setToolTip(tr("Hide rows that do not match instead of fading them (H)"))
        self.hide_rest.toggled.connect(self._hide)
        self.hide_rest.setEnabled(False)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 5, 8, 5)
        row.addWidget(self.line, 1)
        row.addWidget(self.told)
        row.addWidget(self.hide_rest)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(TYPING_MS)
        self._typing.timeout.connect(self.apply)
        self.line.textEdited.connect(lambda _: self._typing.start())
        self.line.textChanged.connect(lambda text: None if text else self.apply())
        self.line.returnPressed.connect(self.apply)
        self.line.installEventFilter(self)

    def set_session(self, session: Session | None) -> None:
        """Sieve the calls of a session."""
        self.session = session
        if session is not None:
            session.subscribe("sieve", self._follow)
        if self.leave_as_it_is and session is not None:
            self._follow_count()
            return
        self.line.clear()
        self._tell("")

    def apply(self) -> None:
        """Sieve by what is written now; a word that is not understood is said, and nothing changes."""
        self._typing.stop()
        if self.session is None or self.line.text() == self.session.sieve.text:
            return
        try:
            self.session.set_sieve(self.line.text())
        except SieveError as error:
            self._tell(str(error), wrong=True)

    def _follow(self) -> None:
        assert self.session is not None
        if self.line.text().strip() != self.session.sieve.text.strip():
            self.line.setText(self.session.sieve.text)
        self._follow_count()

    def _follow_count(self) -> None:
        assert self.session is not None
        self.hide_rest.setChecked(self.session.sieve.hides)
        self.hide_rest.setEnabled(self.session.sieve.active)
        self._tell(
            tr(
                "{matched_count:,} of {calls:,} calls",
                matched_count=self.session.matched_count,
                calls=len(self.session.take.calls),
            )
            if self.session.sieve.active
            else ""
        )

    def _tell(self, text: str, wrong: bool = False) -> None:
        self.told.setText(text)
        if self.line.property("wrong") == wrong:
            return
        for widget, name, value in ((self.told, "role", "wrong" if wrong else "quiet"), (self.line, "wrong", wrong)):
            widget.setProperty(name, value)
            widget.style().unpolish(widget)
            widget.style().polish(widget)

    def _hide(self, hide: bool) -> None:
        if self.session is not None and self.session.sieve.hides != hide:
            self.session.set_hide_unmatched(hide)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let Escape empty the line and give the keys back to the views."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            self.line.clear()
            self.apply()
            self.focusNextChild()
            return True
        return False
