"""The start page: ways in, symptoms, recent takes."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from opossum.findings.symptoms import SYMPTOMS
from opossum.words import tr
from opossum_desk.area import AreaView, Desk
from opossum_desk.recordings import left_behind
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.look import Look


def make(desk: Desk) -> StartArea:
    """Return the area Start of a desk."""
    area = StartArea(desk.look)
    area.open_wanted.connect(desk.ask_open)
    area.listen_wanted.connect(desk.games.listen)
    area.demo_wanted.connect(desk.open_demo)
    area.recent_wanted.connect(lambda path: desk.open_paths([path]))
    area.symptom_wanted.connect(desk.ask)
    area.entered.connect(lambda: _show_recent(area, desk))
    return area


def _show_recent(area: StartArea, desk: Desk) -> None:
    desk.memory.renew()  # another desk may have opened something meanwhile
    area.set_recent(desk.memory.kept.recent, left_behind(desk.memory.kept.recent))


class StartArea(AreaView):
    """Asks what to look at."""

    open_wanted = Signal()
    listen_wanted = Signal()
    demo_wanted = Signal()
    recent_wanted = Signal(str)
    symptom_wanted = Signal(object)
    entered = Signal()

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Start"))
        self._look = look
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        whole.addWidget(scroll)
        self._page = _Paper(look)
        scroll.setWidget(self._page)
        outer = QHBoxLayout(self._page)
        outer.setContentsMargins(64, 44, 48, 24)
        outer.setSpacing(64)

        outer.addLayout(self._ways_in(), 3)
        outer.addLayout(self._symptoms(), 2)
        self.set_recent([])

    def _ways_in(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(8)
        title = QLabel("Opossum")
        font = QFont(title.font())
        font.setPixelSize(round(title.fontInfo().pixelSize() * 2.6))
        title.setFont(font)
        left.addWidget(title)
        said = QLabel(
            tr(
                "See in what order your game's events really ran,\nwhat fires twice, never comes, comes too late, eats the frame or hangs."
            )
        )
        said.setProperty("role", "quiet")
        said.setWordWrap(True)
        left.addWidget(said)
        left.addSpacing(18)
        self.demo = self._way(
            tr("Try the bakery"),
            tr("a night at the Moonrise Bakery, recorded with a dozen faults"),
            self.demo_wanted.emit,
            left,
        )
        self.open = self._way(
            tr("Open a take …"),
            tr("a .take file, or a stream (.flow.jsonl) a game has recorded"),
            self.open_wanted.emit,
            left,
        )
        self.listen = self._way(
            tr("Listen for a game"),
            tr("a game that records over the link appears here while it plays"),
            self.listen_wanted.emit,
            left,
        )
        left.addSpacing(14)
        self._recent_title = QLabel(tr("Recent takes"))
        self._recent_title.setProperty("role", "quiet")
        left.addWidget(self._recent_title)
        self._recent = QVBoxLayout()
        self._recent.setSpacing(4)
        left.addLayout(self._recent)
        left.addStretch(1)
        return left

    def _symptoms(self) -> QVBoxLayout:
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addSpacing(54)
        asked = QLabel(tr("What is wrong with it?"))
        right.addWidget(asked)
        about = QLabel(tr("Choose a symptom, and a take is opened with that question asked."))
        about.setProperty("role", "quiet")
        about.setWordWrap(True)
        right.addWidget(about)
        right.addSpacing(6)
        self.symptoms = [
            self._way(
                tr(item.title), tr(item.explained), lambda _=False, item=item: self.symptom_wanted.emit(item), right
            )
            for item in SYMPTOMS
        ]
        right.addStretch(1)
        return right

    def enter(self) -> None:
        """Be gone to: list what was opened lately."""
        self.entered.emit()
        self.demo.setFocus()

    def _way(self, title: str, explained: str, action: object, column: QVBoxLayout) -> QPushButton:
        button = _WayButton(self._look, title, explained)
        button.clicked.connect(action)
        column.addWidget(button)
        return button

    def set_recent(self, paths: list[str], left_behind: Sequence[str] = ()) -> None:
        """List the takes opened lately, those no longer there left out, after recordings that nobody has seen yet."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        there = [path for path in paths if Path(path).exists()][:6]
        for path in (*left_behind, *there):
            name = Path(path).name
            button = QPushButton(tr("{name} – recorded, not opened yet", name=name) if path in left_behind else name)
            button.setToolTip(path)
            button.setAccessibleDescription(tr("Open {path}", path=path))
            button.clicked.connect(lambda _=False, path=path: self.recent_wanted.emit(path))
            self._recent.addWidget(button)
        self._recent_title.setVisible(bool(there or left_behind))


class _Paper(QWidget):
    """The ground of the page, with a few beads on rows drawn for us."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        look.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = ForeignPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._look.colours.paper))
        bottom = self.height() - 26
        for number, via in enumerate(("tick", "timer", "zone", "clip", "input")):
            y = bottom - number * 14
            painter.setPen(QPen(QColor(self._look.colours.line), 1))
            painter.drawLine(64, y, self.width() - 48, y)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._look.via(via))
            step = (9, 61, 143, 97, 211)[number]
            x = 64 + step // 2 + number * 23
            while x < self.width() - 48:
                painter.drawEllipse(QRectF(x - 2.5, y - 2.5, 5, 5))
                x += step
        painter.end()


class _WayButton(QPushButton):
    """A button with a line of explanation below its title."""

    def __init__(self, look: Look, title: str, explained: str) -> None:
        super().__init__()
        self._look, self._title, self._explained = look, title, explained
        self.setAccessibleName(title)
        self.setAccessibleDescription(explained)
        self.setMinimumHeight(self.fontMetrics().height() * 2 + 22)
        self.setMinimumWidth(300)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = ForeignPainter(self)
        line = self.fontMetrics().height()
        top = (self.height() - 2 * line - 3) / 2
        painter.setPen(QColor(self._look.colours.ink))
        painter.drawText(QRectF(15, top, self.width() - 30, line), Qt.AlignmentFlag.AlignVCenter, self._title)
        painter.setPen(QColor(self._look.colours.quiet))
        text = self.fontMetrics().elidedText(self._explained, Qt.TextElideMode.ElideRight, self.width() - 30)
        painter.drawText(QRectF(15, top + line + 3, self.width() - 30, line), Qt.AlignmentFlag.AlignVCenter, text)
        painter.end()
