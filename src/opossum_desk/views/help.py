"""F1: what am I looking at – the view in focus, what a bead says, and the keys."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from opossum_desk.layout.loom import BeadState
from opossum_desk.views.look import Look
from opossum_desk.views.stamps import draw_bead

KEYS = (
    ("← →", "frame before, after"),
    ("↑ ↓", "call before, after"),
    (", .", "same event before, after"),
    ("N  Shift+N", "next, previous finding"),
    ("Enter", "follow the cause"),
    ("Backspace", "back where you were (Shift: forward)"),
    ("Z  0", "fit the selection, whole take"),
    ("+ −", "zoom in, out (Ctrl+wheel: at the pointer)"),
    ("Ctrl+F  H", "the sieve, hide what it does not let through"),
    ("B  [ ]", "mark the frame, go to the mark before, after"),
    ("F", "fold or unfold the selected thread's class"),
    ("T", "axis by frame or by time"),
    ("Shift+drag", "measure frames, time, calls"),
    ("Space", "hold the game that plays, or let it go on"),
    ("C  Shift+C", "one call on, one frame on, while it is held"),
    ("F6", "next panel"),
)

_STATES = (
    (BeadState.DID, "changed something"),
    (BeadState.IDLE, "ran for nothing"),
    (BeadState.UNKNOWN, "effect unknown"),
    (BeadState.TWIN, "twice for one cause"),
    (BeadState.GONE, "its owner was gone"),
)
_VIAS = (
    ("tick", "tick"),
    ("direct", "sent by code"),
    ("timer", "timer"),
    ("delay", "delay"),
    ("input", "input"),
    ("zone", "zone"),
    ("net", "network"),
    ("clip", "clip mark"),
    ("queue", "queue"),
    ("clock", "clock, life"),
)


class _Legend(QWidget):
    """Beads with what they say."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.setAccessibleName("What a bead says")
        self.setAccessibleDescription("; ".join(f"{text}" for _, text in _STATES))

    def sizeHint(self) -> QSize:
        return QSize(330, 22 * max(len(_STATES), len(_VIAS)) + 8)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._look.colours.paper))
        for number, (state, text) in enumerate(_STATES):
            self._line(painter, 14, number, "timer", state, text)
        for number, (via, text) in enumerate(_VIAS):
            self._line(painter, 200, number, via, BeadState.DID, text)
        painter.end()

    def _line(self, painter: QPainter, left: float, number: int, via: str, state: BeadState, text: str) -> None:
        y = 15 + number * 22
        draw_bead(painter, QPointF(left + 4, y), 11, via, state, self._look)
        painter.setPen(QColor(self._look.colours.ink))
        painter.drawText(QRectF(left + 20, y - 11, 160, 22), Qt.AlignmentFlag.AlignVCenter, text)


class HelpDialog(QDialog):
    """Explains the view in focus."""

    def __init__(self, look: Look, about: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("What am I looking at")
        column = QVBoxLayout(self)
        column.setSpacing(12)
        text = QLabel(about)
        text.setWordWrap(True)
        text.setMinimumWidth(640)
        column.addWidget(text)
        row = QHBoxLayout()
        row.addWidget(_Legend(look))
        keys = QGridLayout()
        keys.setHorizontalSpacing(14)
        for number, (key, what) in enumerate(KEYS):
            keys.addWidget(QLabel(key), number, 0)
            label = QLabel(what)
            label.setProperty("role", "quiet")
            keys.addWidget(label, number, 1)
        row.addLayout(keys)
        column.addLayout(row)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
