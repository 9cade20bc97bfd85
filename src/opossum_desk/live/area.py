"""The area Live: the games that play to us, where to hold them, and what is so at the moment that is looked at."""

from __future__ import annotations

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from opossum.live.receiver import PeerState, Receiver
from opossum.live.tripwires import TripwireError, parse_tripwire
from opossum.take import moment
from opossum_desk.area import AreaView, Desk
from opossum_desk.live.layout.held import held_html
from opossum_desk.live.moment_lists import MomentLists
from opossum_desk.live.trees import KEY_ROLE, fill_tree, make_tree
from opossum_desk.playing import Games
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.views.panels import titled


def make(desk: Desk) -> LiveArea:
    """Return the area Live of a desk."""
    area = LiveArea(desk.look, desk.games)
    area.moment.follow_wanted.connect(lambda name: _follow(desk, name))
    area.moment.line_wanted.connect(lambda line: _show_line(desk, line))
    area.call_wanted.connect(lambda call: _show_call(desk, call))
    return area


def _follow(desk: Desk, name: str) -> None:
    desk.go_to("take")
    desk.view("take").follow_object(name)


def _show_line(desk: Desk, line: int) -> None:
    """Go to the frame in which a line of the stream was written."""
    desk.go_to("take")
    session = desk.session
    row = moment.frame_at(session.take, session.peer, line) if session is not None else -1
    if session is not None and row >= 0:
        session.select_column(row - session.axis.first_row)


def _show_call(desk: Desk, call: int) -> None:
    desk.go_to("take")
    if desk.session is not None:
        desk.session.select_call(call)


class LiveArea(AreaView):
    """Games, tripwires and the held call at the left and in the middle; values, lives and log lines at the right."""

    call_wanted = Signal(int)

    def __init__(self, look: Look, games: Games, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.games = games
        self.session: Session | None = None
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
        self.moment = MomentLists()
        split.addWidget(self.moment)
        split.setSizes([330, 400, 500])
        whole.addWidget(split, 1)
        self._split = split
        look.changed.connect(self.renew)
        for signal in (games.listening, games.stopped, games.held, games.went, games.ended, games.looked):
            signal.connect(self._renew_if_seen)
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
        self.by_call.clicked.connect(lambda: self.games.step("call"))
        self.by_frame.clicked.connect(lambda: self.games.step("frame"))
        self.listening.clicked.connect(self._toggle_listening)
        return bar

    def _make_left(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.games_list = make_tree("Games", ["game", "records", "clock"], [112, 62])
        column.addWidget(titled("Games", self.games_list)[1], 2)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Hold at:  ev:bread_ready o:counter#1")
        self.line.setAccessibleName("New tripwire")
        self.line.setProperty("wrong", False)
        self.line.setToolTip(
            "ev: o: cls: fn: via: narrow; gone, again, slow:20 (ms) are what only Opossum knows;\n"
            "count:3 is the third time; send d.coins>10 looks at the data; peer: names one game."
        )
        self.line.returnPressed.connect(self.add_tripwire)
        self.wrong = QLabel()
        self.wrong.setProperty("role", "wrong")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.wires = make_tree("Tripwires", ["hold at"], [])
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

    # --- showing -----------------------------------------------------------------------------------

    def set_session(self, session: Session | None) -> None:
        """Show what is so in a take at the moment that is selected."""
        self.session = session
        self.moment.set_session(session)
        self.renew()

    def enter(self) -> None:
        """Be gone to: show everything as it is now."""
        self.renew()
        (self.line if self.receiver is not None else self.listening).setFocus()

    def splits(self) -> dict[str, QSplitter]:
        """Return the splitters whose sizes are remembered, by name."""
        return {"live": self._split, "live moment": self.moment}

    @property
    def receiver(self) -> Receiver | None:
        """Return what listens for games, if anything does."""
        return self.games.receiver

    def _renew_if_seen(self, *told: object) -> None:
        if self.isVisible():
            self.renew()

    def held_peer(self) -> PeerState | None:
        """Return the first game that is being held."""
        peers = self.receiver.peers if self.receiver is not None else []
        return next((peer for peer in peers if peer.held is not None), None)

    def renew(self) -> None:
        """Show everything as it is now."""
        self._fill_games()
        self._fill_wires()
        self._tell_held()
        self.moment.renew()

    def _fill_games(self) -> None:
        receiver = self.receiver
        peers = receiver.peers if receiver is not None else []
        playing = [peer for peer in peers if peer.connected]
        held = [peer for peer in peers if peer.held is not None]
        holdable = any(peer.holds for peer in playing)
        self.hold.setEnabled(holdable and not held)
        for button in (self.go, self.by_call, self.by_frame):
            button.setEnabled(bool(held))
        self.listening.setText("Stop listening" if receiver is not None else "Listen for a game")
        if receiver is None:
            told = "No game is being listened for."
        elif held:
            told = f"Held: {', '.join(peer.name for peer in held)}."
        elif playing:
            told = f"Playing: {', '.join(f'{peer.game} ({peer.name})' for peer in playing)}."
        else:
            told = f"Listening on {receiver.host}:{receiver.port}; no game plays."
        if playing and not holdable:
            told += " Its recorder cannot hold it."
        self.told.setText(told)
        one_game = len({peer.game for peer in peers}) == 1  # then its peers' names tell them apart
        names = [peer.name if one_game and len(peers) > 1 else f"{peer.name} – {peer.game}" for peer in peers]
        rows = [(name, f"{peer.records:,}", _clock(peer, peers)) for name, peer in zip(names, peers, strict=True)]
        fill_tree(self.games_list, [(row, None) for row in rows])

    def _fill_wires(self) -> None:
        wires = self.receiver.tripwires if self.receiver is not None else {}
        fill_tree(self.wires, [((wire.text,), number) for number, wire in wires.items()])
        self.line.setEnabled(self.receiver is not None)
        self.remove.setEnabled(bool(wires))

    def _tell_held(self) -> None:
        colours, session, peer = self.look.colours, self.session, self.held_peer()
        if peer is None or peer.held is None:
            text = (
                f'<p style="color:{colours.quiet}">Nothing is held. Write a tripwire at the left, or press Hold; '
                "the game stops just before the listener runs, and the time it stands counts for nothing.</p>"
            )
        else:
            wires = self.receiver.tripwires if self.receiver is not None else {}
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

    # --- doing -------------------------------------------------------------------------------------

    def _toggle_listening(self) -> None:
        self.games.stop() if self.receiver is not None else self.games.listen()

    def _hold(self) -> None:
        if self.receiver is not None:
            self.receiver.hold()

    def _go_on(self) -> None:
        if self.receiver is not None:
            self.receiver.go()

    def add_tripwire(self, text: str = "") -> None:
        """Set the tripwire that is written in the line."""
        if self.receiver is None:
            return
        try:
            self.receiver.trip(parse_tripwire(text or self.line.text()))
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
        if self.receiver is None or not self.receiver.tripwires:
            return
        item = self.wires.currentItem()
        number = item.data(0, KEY_ROLE) if item is not None else max(self.receiver.tripwires)
        self.receiver.untrip(number)
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
