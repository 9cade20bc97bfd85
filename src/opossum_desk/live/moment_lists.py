"""What is so at the moment that is looked at: watched values, who lives, log lines."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QSplitter, QWidget

from opossum.take import moment
from opossum_desk.live.trees import KEY_ROLE, fill_tree, make_tree
from opossum_desk.state.session import Session
from opossum_desk.views.panels import titled

MOST_ROWS = 500
"""Rows a list shows at most; the line above it narrows them."""


class MomentLists(QSplitter):
    """Values, lives and log lines as they were at the end of the selected frame, or of the take."""

    follow_wanted = Signal(str)
    line_wanted = Signal(int)

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self.session: Session | None = None
        self._shown: object = None
        self._alive: list[tuple[str, str]] = []
        self.setHandleWidth(3)
        self.setChildrenCollapsible(False)
        self.values = make_tree("Watched values", ["object", "value", "is", "since", "set by"], [110, 80, 70, 70])
        self.values.itemActivated.connect(lambda item, _: self.line_wanted.emit(item.data(0, KEY_ROLE)))
        self.alive = make_tree("Alive", ["object", "class"], [170])
        self.alive.itemActivated.connect(lambda item, _: self.follow_wanted.emit(item.text(0)))
        self.alive.setToolTip("Enter or double-click follows an object: all else fades in Flow")
        self.narrow = QLineEdit()
        self.narrow.setPlaceholderText("Only those whose name holds …")
        self.narrow.setAccessibleName("Narrow what is alive")
        self.narrow.textChanged.connect(self._fill_alive)
        self.log = make_tree("Log lines", ["frame", "said"], [70])
        self.log.itemActivated.connect(lambda item, _: self.line_wanted.emit(item.data(0, KEY_ROLE)))
        narrow = QWidget()
        row = QHBoxLayout(narrow)
        row.setContentsMargins(10, 2, 10, 4)
        row.addWidget(self.narrow)
        self.values_title, values = titled("Watched values", self.values)
        self.alive_title, alive = titled("Alive", self.alive, above=narrow)
        self.log_title, log = titled("Log lines", self.log)
        for panel in (values, alive, log):
            self.addWidget(panel)
        self.setSizes([220, 260, 180])

    def set_session(self, session: Session | None) -> None:
        """Show what is so in a take at the moment that is selected."""
        self.session = session
        if session is not None:
            session.subscribe("selection", self.renew)
        self._shown = None
        self.renew()

    def renew(self) -> None:
        """Show values, lives and log lines as they were at the end of the selected frame, or of the take."""
        session = self.session
        line = self._line_of_moment()
        key = (id(session), line)
        if key == self._shown or not (self.isVisible() or self._shown is None):
            return
        self._shown = key
        if session is None:
            for tree in (self.values, self.alive, self.log):
                tree.clear()
            return
        take = session.take
        when = "now" if session.column < 0 else f"at frame {self._frame_text(line)}"
        values = moment.values_at(take, line)
        rows = [
            (
                (
                    value.o,
                    value.name,
                    value.text,
                    f"{value.since_ns / 1e9:.2f} s",
                    take.function_of_call(value.call) if value.call >= 0 else "outside any call",
                ),
                int(take.tables["watch"]["line"][value.row]),
            )
            for value in values[:MOST_ROWS]
        ]
        fill_tree(self.values, rows)
        self.values_title.setText(f"Watched values {when} · {len(values):,}")
        self._alive = moment.alive_at(take, line)
        self.alive_title.setText(f"Alive {when} · {len(self._alive):,}")
        self._fill_alive()
        says, table = moment.says_until(take, line, MOST_ROWS), take.tables["say"]
        fill_tree(
            self.log,
            [
                (
                    (self._frame_text(int(table["line"][row])), take.text(int(table["text"][row]))),
                    int(table["line"][row]),
                )
                for row in says.tolist()
            ],
        )
        self.log.scrollToBottom()
        self.log_title.setText(f"Log lines until {'now' if session.column < 0 else 'then'} · {len(says):,}")

    def _fill_alive(self) -> None:
        wanted = self.narrow.text().lower()
        shown = [row for row in self._alive if wanted in row[0].lower() or wanted in row[1].lower()]
        fill_tree(self.alive, [(row, None) for row in shown[:MOST_ROWS]])

    def _line_of_moment(self) -> int:
        session = self.session
        if session is None:
            return -1
        frames = session.take.frames
        row = session.axis.row_of_column(session.column) + 1 if session.column >= 0 else len(frames)
        if row < len(frames) and session.column + 1 < session.axis.columns:
            return int(frames.line[row]) - 1
        return moment.last_line(session.take)

    def _frame_text(self, line: int) -> str:
        assert self.session is not None
        row = moment.frame_at(self.session.take, self.session.peer, line)
        number = int(self.session.take.frames.number[row]) if row >= 0 else -1
        return str(number) if number >= 0 else "start-up"
