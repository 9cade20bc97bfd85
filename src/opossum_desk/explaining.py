"""F1: what am I looking at – the view in focus, what a bead says, and the keys."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from opossum.words import tr
from opossum_desk.command import key_sign
from opossum_desk.commands import COMMANDS
from opossum_desk.layout.bead import BeadState
from opossum_desk.rail import way_title, ways
from opossum_desk.views.look import Look
from opossum_desk.views.stamps import draw_bead

KEY_COLUMNS = 2
MARGIN = 16
MOST_OF_SCREEN = 0.9
UNTOLD_KEYS = ("Enter", "Shift+Enter", "=")
"""Keys that do what another key of the same command does; telling them would only make the table longer."""
HANDS = (
    ("Ctrl+wheel", "Zoom at the pointer"),
    ("Shift+drag", "Measure frames, time, calls"),
    ("Shift+↑ Shift+↓", "Walk the rows of a view, or the strands"),
    ("Shift+← Shift+→", "What happens before or after on the strand walked to"),
    ("Home End Page↑ Page↓", "Scroll through the rows"),
    ("Menu", "What can be done with what is selected"),
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
    ("clock", "clock"),
    ("life", "life"),
)


class _Legend(QWidget):
    """Beads with what they say."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.setAccessibleName(tr("What a bead says"))
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
            self._line(painter, 14, number, "timer", state, tr(text))
        for number, (via, text) in enumerate(_VIAS):
            self._line(painter, 200, number, via, BeadState.DID, tr(text))
        painter.end()

    def _line(self, painter: QPainter, left: float, number: int, via: str, state: BeadState, text: str) -> None:
        y = 15 + number * 22
        draw_bead(painter, QPointF(left + 4, y), 11, via, state, self._look)
        painter.setPen(QColor(self._look.colours.ink))
        painter.drawText(QRectF(left + 20, y - 11, 160, 22), Qt.AlignmentFlag.AlignVCenter, text)


def key_table() -> list[tuple[str, str]]:
    """Return (keys, what they do) of everything that has a key, and of the hands that have none."""
    rows = [
        (" ".join(key_sign(key) for key in command.keys if key not in UNTOLD_KEYS), command.plain_title)
        for command in COMMANDS
        if command.keys
    ]
    rows += [(way.key, way_title(way)) for way in ways() if way.key]
    return rows + [(tr(hand), tr(what)) for hand, what in HANDS]


def _key_grid() -> QGridLayout:
    """Return the table of keys, in as many columns as keep it short."""
    keys = QGridLayout()
    keys.setHorizontalSpacing(14)
    table = key_table()
    tall = -(-len(table) // KEY_COLUMNS)
    for number, (key, what) in enumerate(table):
        label = QLabel(what)
        label.setProperty("role", "quiet")
        for part, widget in enumerate((QLabel(key), label)):
            keys.addWidget(widget, number % tall, 2 * (number // tall) + part)
    return keys


def explain(parent: QWidget, usual: str) -> HelpDialog:
    """Show and return a page about the view in focus; `usual` is told where it says nothing of itself."""
    widget: QWidget | None = QApplication.focusWidget()
    while widget is not None and not widget.whatsThis():
        widget = widget.parentWidget()
    look = parent.look  # type: ignore[attr-defined]
    dialog = HelpDialog(look, widget.whatsThis() if widget is not None else usual, parent)
    dialog.show()
    return dialog


class HelpDialog(QDialog):
    """Explains the view in focus."""

    def __init__(self, look: Look, about: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What am I looking at"))
        page = QWidget()
        inside = QVBoxLayout(page)
        inside.setSpacing(12)
        text = QLabel(about)
        text.setWordWrap(True)
        inside.addWidget(text)
        row = QHBoxLayout()
        row.addWidget(_Legend(look), 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(_key_grid())
        inside.addLayout(row)
        # a small screen at a large scale shows part of it, and the arrow keys show the rest
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setAccessibleName(tr("Beads and keys"))
        scroll.setWidget(page)
        column = QVBoxLayout(self)
        column.addWidget(scroll)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        whole = page.sizeHint() + QSize(2 * MARGIN, buttons.sizeHint().height() + 3 * MARGIN)
        self.resize(whole.boundedTo(self.screen().availableSize() * MOST_OF_SCREEN))
