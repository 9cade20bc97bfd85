"""The place Live: the games that play to us, where to hold them, and what is so at the moment that is looked at."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QTextBrowser,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from opossum.live.listener import Listener, PeerState
from opossum.live.tripwires import TripwireError, parse_tripwire
from opossum.take import moment
from opossum_desk.layout.held import held_html
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.views.panels import titled

MOST_ROWS = 500
"""Rows a list shows at most; the line above it narrows them."""

_KEY = Qt.ItemDataRole.UserRole


class LivePlace(QWidget):
    """Games, tripwires and the held call at the left and in the middle; values, lives and log lines at the right."""

    listen_wanted = Signal()
    stop_wanted = Signal()
    follow_wanted = Signal(str)
    line_wanted = Signal(int)
    call_wanted = Signal(int)
    said = Signal(str)

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.listener: Listener | None = None
        self.session: Session | None = None
        self._shown: object = None
        self.setWhatsThis(
            "Live: the games that are being recorded. A tripwire holds the game just before a listener runs; "
            "at the right is what is so at the selected frame, or at the end of the take."
        )
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._make_controls())
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setHandleWidth(3)
        split.setChildrenCollapsible(False)
        split.addWidget(self._make_left())
        self.page = QTextBrowser()
        self.page.setAccessibleName("Where the game is held")
        self.page.setOpenLinks(False)
        self.page.document().setDocumentMargin(12)
        self.page.anchorClicked.connect(self._follow_link)
        split.addWidget(titled("Where it is held", self.page)[1])
        split.addWidget(self._make_right())
        split.setSizes([330, 400, 500])
        whole.addWidget(split, 1)
        self.renew()

    # --- making ------------------------------------------------------------------------------------

    def _make_controls(self) -> QWidget:
        bar = QWidget()
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 8, 10, 8)
        self.told = QLabel()
        self.told.setAccessibleName("State of the games")
        row.addWidget(self.told, 1)
        self.hold = _button("Hold", "Hold every game at its next call or frame (Space)", row)
        self.go = _button("Go on", "Let the held games go on (Space)", row)
        self.by_call = _button("One call on", "Go on to the next call (C)", row)
        self.by_frame = _button("One frame on", "Go on to the next frame (Shift+C)", row)
        self.listening = _button("Listen for a game", "", row)
        self.hold.clicked.connect(self._hold)
        self.go.clicked.connect(self._go_on)
        self.by_call.clicked.connect(lambda: self.step("call"))
        self.by_frame.clicked.connect(lambda: self.step("frame"))
        self.listening.clicked.connect(self._toggle_listening)
        return bar

    def _make_left(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.games = _tree("Games", ["game", "records", "clock"], [112, 62])
        column.addWidget(titled("Games", self.games)[1], 2)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Hold at:  ev:bread_ready o:counter#1")
        self.line.setAccessibleName("New tripwire")
        self.line.setProperty("wrong", False)
        self.line.setToolTip(
            "ev: o: cls: fn: via: narrow; gone, twice, slow:20 (ms) are what only Opossum knows;\n"
            "count:3 is the third time; send d.coins>10 looks at the data; peer: names one game."
        )
        self.line.returnPressed.connect(self.add_tripwire)
        self.wrong = QLabel()
        self.wrong.setProperty("role", "wrong")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.wires = _tree("Tripwires", ["hold at"], [])
        self.wires.setToolTip("Delete takes a tripwire away")
        self.remove = QPushButton("Take it away")
        self.remove.clicked.connect(self.remove_tripwire)
        box = QVBoxLayout()
        box.setContentsMargins(10, 4, 10, 8)
        box.addWidget(self.line)
        box.addWidget(self.wrong)
        box.addWidget(self.wires, 1)
        box.addWidget(self.remove)
        holder = QWidget()
        holder.setLayout(box)
        column.addWidget(titled("Tripwires", holder)[1], 3)
        return left

    def _make_right(self) -> QWidget:
        right = QSplitter(Qt.Orientation.Vertical)
        right.setHandleWidth(3)
        right.setChildrenCollapsible(False)
        self.values = _tree("Watched values", ["object", "value", "is", "since", "set by"], [110, 80, 70, 70])
        self.values.itemActivated.connect(lambda item, _: self.line_wanted.emit(item.data(0, _KEY)))
        self.alive = _tree("Alive", ["object", "class"], [170])
        self.alive.itemActivated.connect(lambda item, _: self.follow_wanted.emit(item.text(0)))
        self.alive.setToolTip("Enter or double-click follows an object: all else fades in Flow")
        self.narrow = QLineEdit()
        self.narrow.setPlaceholderText("Only those whose name holds …")
        self.narrow.setAccessibleName("Narrow what is alive")
        self.narrow.textChanged.connect(self._fill_alive)
        self.log = _tree("Log lines", ["frame", "said"], [70])
        self.log.itemActivated.connect(lambda item, _: self.line_wanted.emit(item.data(0, _KEY)))
        narrow = QWidget()
        row = QHBoxLayout(narrow)
        row.setContentsMargins(10, 2, 10, 4)
        row.addWidget(self.narrow)
        self.values_title, values = titled("Watched values", self.values)
        self.alive_title, alive = titled("Alive", self.alive, above=narrow)
        self.log_title, log = titled("Log lines", self.log)
        for panel in (values, alive, log):
            right.addWidget(panel)
        right.setSizes([220, 260, 180])
        return right

    # --- showing -----------------------------------------------------------------------------------

    def set_session(self, session: Session | None) -> None:
        """Show what is so in a take at the moment that is selected."""
        self.session = session
        if session is not None:
            session.subscribe("selection", self.renew_moment)
        self._shown = None
        self.renew()

    def set_listener(self, listener: Listener | None) -> None:
        """Show the games of a listener."""
        self.listener = listener
        self.renew()

    def held_peer(self) -> PeerState | None:
        """Return the first game that is being held."""
        peers = self.listener.peers if self.listener is not None else []
        return next((peer for peer in peers if peer.held is not None), None)

    def renew(self) -> None:
        """Show everything as it is now."""
        self._fill_games()
        self._fill_wires()
        self._tell_held()
        self.renew_moment()

    def _fill_games(self) -> None:
        listener = self.listener
        peers = listener.peers if listener is not None else []
        playing = [peer for peer in peers if peer.connected]
        held = [peer for peer in peers if peer.held is not None]
        holdable = any(peer.holds for peer in playing)
        self.hold.setEnabled(holdable and not held)
        for button in (self.go, self.by_call, self.by_frame):
            button.setEnabled(bool(held))
        self.listening.setText("Stop listening" if listener is not None else "Listen for a game")
        if listener is None:
            told = "No game is being listened for."
        elif held:
            told = f"Held: {', '.join(peer.name for peer in held)}."
        elif playing:
            told = f"Playing: {', '.join(f'{peer.game} ({peer.name})' for peer in playing)}."
        else:
            told = f"Listening on {listener.host}:{listener.port}; no game plays."
        if playing and not holdable:
            told += " Its recorder cannot hold it."
        self.told.setText(told)
        one_game = len({peer.game for peer in peers}) == 1  # then its peers' names tell them apart
        names = [peer.name if one_game and len(peers) > 1 else f"{peer.name} – {peer.game}" for peer in peers]
        rows = [(name, f"{peer.records:,}", _clock(peer, peers)) for name, peer in zip(names, peers, strict=True)]
        _fill(self.games, [(row, None) for row in rows])

    def _fill_wires(self) -> None:
        wires = self.listener.tripwires if self.listener is not None else {}
        _fill(self.wires, [((wire.text,), number) for number, wire in wires.items()])
        self.line.setEnabled(self.listener is not None)
        self.remove.setEnabled(bool(wires))

    def _tell_held(self) -> None:
        colours, session, peer = self.look.colours, self.session, self.held_peer()
        if peer is None or peer.held is None:
            text = (
                f'<p style="color:{colours.quiet}">Nothing is held. Write a tripwire at the left, or press Hold; '
                "the game stops just before the listener runs, and the time it stands counts for nothing.</p>"
            )
        else:
            wires = self.listener.tripwires if self.listener is not None else {}
            wire = wires.get(peer.held.trip)
            call = -1
            if session is not None and peer.held.call:
                call = moment.held_call(session.take, peer.name, peer.held.call)
            if session is None or (peer.held.call and call < 0):
                text = f'<p style="color:{colours.quiet}">Held. Reading up to there …</p>'
            else:
                text = held_html(session, call, wire.text if wire else "", colours.quiet, colours.rose)
        if text != self.page.property("told"):
            self.page.setProperty("told", text)
            self.page.setHtml(text)

    def renew_moment(self) -> None:
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
        _fill(self.values, rows)
        self.values_title.setText(f"Watched values {when} · {len(values):,}")
        self._alive = moment.alive_at(take, line)
        self.alive_title.setText(f"Alive {when} · {len(self._alive):,}")
        self._fill_alive()
        says, table = moment.says_until(take, line, MOST_ROWS), take.tables["say"]
        _fill(
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
        living = getattr(self, "_alive", [])
        shown = [row for row in living if wanted in row[0].lower() or wanted in row[1].lower()]
        _fill(self.alive, [(row, None) for row in shown[:MOST_ROWS]])

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

    # --- doing -------------------------------------------------------------------------------------

    def _toggle_listening(self) -> None:
        (self.stop_wanted if self.listener is not None else self.listen_wanted).emit()

    def toggle_hold(self) -> None:
        """Hold the games, or let them go on."""
        if self.held_peer() is not None:
            self._go_on()
        else:
            self._hold()

    def _hold(self) -> None:
        if self.listener is not None:
            self.listener.hold()

    def _go_on(self) -> None:
        if self.listener is not None:
            self.listener.go()

    def step(self, by: str) -> None:
        """Go one call or frame on."""
        if self.listener is not None:
            self.listener.step(by)

    def add_tripwire(self, text: str = "") -> None:
        """Set the tripwire that is written in the line."""
        if self.listener is None:
            return
        try:
            self.listener.trip(parse_tripwire(text or self.line.text()))
        except TripwireError as error:
            self._mark(f"{error}.")
            return
        self._mark("")
        self.line.clear()
        self.renew()

    def _mark(self, wrong: str) -> None:
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        self.line.setProperty("wrong", bool(wrong))
        self.line.style().unpolish(self.line)
        self.line.style().polish(self.line)

    def remove_tripwire(self) -> None:
        """Take the chosen tripwire away, or the last."""
        if self.listener is None or not self.listener.tripwires:
            return
        item = self.wires.currentItem()
        number = item.data(0, _KEY) if item is not None else max(self.listener.tripwires)
        self.listener.untrip(number)
        self._fill_wires()

    def keyPressEvent(self, event: object) -> None:
        key = event.key()  # type: ignore[attr-defined]
        if key == Qt.Key.Key_Delete and self.wires.hasFocus():
            self.remove_tripwire()
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]

    def _follow_link(self, url: QUrl) -> None:
        kind, _, number = url.toString().partition(":")
        if kind == "call" and number.isdigit():
            self.call_wanted.emit(int(number))


def _clock(peer: PeerState, peers: list[PeerState]) -> str:
    """Return how a peer's clock stands to the first one's."""
    first = peers[0]
    if peer is first:
        return "sets the time"
    if peer.error_ns is None or first.error_ns is None:
        return "not known yet"
    offset_ms, error_ms = (peer.offset_ns - first.offset_ns) / 1e6, (peer.error_ns + first.error_ns) / 1e6
    told = f"{offset_ms / 1000:+.3f} s" if abs(offset_ms) >= 1000 else f"{offset_ms:+.1f}"
    return f"{told} ± {error_ms:.1f} ms".replace("-", "−")


def _button(text: str, tip: str, row: QHBoxLayout) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    row.addWidget(button)
    return button


def _tree(name: str, columns: list[str], widths: list[int]) -> QTreeWidget:
    tree = QTreeWidget()
    tree.setAccessibleName(name)
    tree.setHeaderLabels(columns)
    tree.setRootIsDecorated(False)
    tree.setUniformRowHeights(True)
    tree.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    tree.header().setStretchLastSection(False)  # it would never be narrower than it began
    tree.header().setSectionResizeMode(len(columns) - 1, QHeaderView.ResizeMode.Stretch)
    for number, width in enumerate(widths):
        tree.setColumnWidth(number, width)
    return tree


def _fill(tree: QTreeWidget, rows: Sequence[tuple[tuple[str, ...], object]]) -> None:
    """Show rows, keeping the items, and with them scroll and choice, where the number of rows allows."""
    while tree.topLevelItemCount() > len(rows):
        tree.takeTopLevelItem(tree.topLevelItemCount() - 1)
    for number, (texts, key) in enumerate(rows):
        item = tree.topLevelItem(number)
        if item is None:
            item = QTreeWidgetItem()
            tree.addTopLevelItem(item)
        for column, text in enumerate(texts):
            if item.text(column) != text:
                item.setText(column, text)
                item.setToolTip(column, text)
        item.setData(0, _KEY, key)
