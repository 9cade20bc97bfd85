"""Plain faces of the desk: opening, waiting for a game, and what could not be opened."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from opossum.foreign_text import shown
from opossum.words import tr
from opossum_desk.area import Desk


class _Centred(QWidget):
    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        self.column = QVBoxLayout()
        self.column.setSpacing(12)
        self.column.addStretch(2)
        outer.addLayout(self.column, 2)
        outer.addStretch(1)
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.column.addWidget(self.text)

    def enter(self) -> None:
        """Be shown."""

    def _finish(self, *buttons: QPushButton) -> None:
        row = QHBoxLayout()
        for button in buttons:
            row.addWidget(button)
        row.addStretch(1)
        self.column.addLayout(row)
        self.column.addStretch(3)


class OpeningPage(_Centred):
    """Shows how far opening is, and lets it be cancelled."""

    cancelled = Signal()

    def __init__(self) -> None:
        super().__init__(tr("Opening"))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName(tr("How far opening is"))
        self.column.addWidget(self.bar)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.clicked.connect(self.cancelled)
        self._finish(self.cancel)

    def tell(self, text: str, share: float) -> None:
        """Say what is being done and how far it is."""
        self.text.setText(f"{shown(text)} …")
        self.bar.setValue(int(share * 1000))


class ListeningPage(_Centred):
    """Says where the desk listens and what a game has to be told, until one comes."""

    cancelled = Signal()

    def __init__(self) -> None:
        super().__init__(tr("Listening"))
        self.cancel = QPushButton(tr("Stop listening"))
        self.cancel.clicked.connect(self.cancelled)
        self._finish(self.cancel)

    def tell(self, host: str, port: int) -> None:
        """Say where."""
        self.text.setText(
            tr(
                'Listening on {host}:{port} for a game to begin.\n\nIn a Python game:   Recorder(None, "My game", link="{host_2}:{port_2}")\n\nThe game may be running already, or be started now. What it sends is on disk at once.',
                host=host,
                port=port,
                host_2=host,
                port_2=port,
            )
        )
        self.setAccessibleDescription(self.text.text())


class FailedPage(_Centred):
    """Says in one sentence what could not be opened, and what to do."""

    open_wanted = Signal()
    start_wanted = Signal()

    def __init__(self) -> None:
        super().__init__(tr("Could not be opened"))
        self.another = QPushButton(tr("Open another …"))
        self.another.clicked.connect(self.open_wanted)
        back = QPushButton(tr("Back to the start page"))
        back.clicked.connect(self.start_wanted)
        self._finish(self.another, back)

    def enter(self) -> None:
        """Be shown: whoever presses Enter opens another."""
        self.another.setFocus()

    def tell(self, sentence: str) -> None:
        """Say what went wrong."""
        self.text.setText(shown(sentence))
        self.setAccessibleDescription(sentence)


def make(name: str, desk: Desk) -> OpeningPage | ListeningPage | FailedPage:
    """Return a page by its name, its buttons connected."""
    if name == "opening":
        opening = OpeningPage()
        opening.cancelled.connect(desk.cancel_opening)
        return opening
    if name == "listening":
        listening = ListeningPage()
        listening.cancelled.connect(desk.games.stop)
        return listening
    failed = FailedPage()
    failed.open_wanted.connect(desk.ask_open)
    failed.start_wanted.connect(lambda: desk.go_to("start"))
    return failed
