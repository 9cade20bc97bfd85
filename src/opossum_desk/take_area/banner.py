"""The line above everything that tells what cannot wait, and what to do about it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from opossum.foreign_text import shown
from opossum.words import tr


class Banner(QFrame):
    """One sentence, one thing to do, and a way to send it off; hidden while there is nothing to say."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "banner")
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setWordWrap(True)
        self.button = QPushButton()
        self._action: Callable[[], None] = self.hide
        self.button.clicked.connect(lambda: self._action())
        dismiss = QPushButton(tr("Dismiss"))
        dismiss.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 8, 5)
        row.addWidget(self.text, 1)
        row.addWidget(self.button)
        row.addWidget(dismiss)
        self.hide()

    def tell(self, text: str, button: str, action: Callable[[], None]) -> None:
        """Show a sentence and offer an action."""
        self.text.setText(shown(text))
        self.button.setText(button)
        self._action = action
        self.show()
