"""The bar above the Pulse while a game plays: its state, hold and step, and the tripwires as small tags."""

from __future__ import annotations

import time

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from opossum.foreign_text import shown
from opossum.live.tripwires import TripwireError, parse_tripwire
from opossum.words import tr
from opossum_desk.now.layout.told import dropped_by_peer, met_by_wire, peers_told, state_told
from opossum_desk.playing import Games
from opossum_desk.state.session import Session
from opossum_desk.views.plain import plain_tooltip

LINE_PX = 300
MOST_TAGS = 8
RATE_EVERY_S = 1.0


class NowBar(QFrame):
    """Shown while somebody listens for games; says what they do, and lets them be held, stepped and let go."""

    said = Signal(str)

    def __init__(self, games: Games, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.games = games
        self.session: Session | None = None
        self._counted: tuple[float, dict[str, int]] = (0.0, {})
        self._rates: dict[str, float] = {}
        self._shown_wires: object = None
        self.tags: list[QPushButton] = []
        """The tripwires that are shown, oldest first."""
        self.setProperty("role", "now")
        self.setAccessibleName(tr("Now"))
        self.setWhatsThis(
            tr(
                "Now: the games that play to us. Hold stops a game before its next call; a tripwire holds it where it says: type one, or set it by the right button on a bead, a row or a bar. Click a tag to take its tripwire away."
            )
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 4, 8, 4)
        column.setSpacing(3)
        column.addLayout(self._make_controls())
        column.addLayout(self._make_wires())
        for signal in (games.listening, games.stopped, games.held, games.went, games.ended, games.looked):
            signal.connect(self.renew)
        self.renew()

    # --- making ------------------------------------------------------------------------------------

    def _make_controls(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.told = QLabel()
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.told.setAccessibleName(tr("State of the games"))
        row.addWidget(self.told, 1)
        games = self.games
        self.hold = _button(tr("Hold"), tr("Hold every game before its next call or frame (Space)"), row)
        self.go = _button(tr("Go on"), tr("Let the held games go on (Space)"), row)
        self.by_call = _button(tr("One call"), tr("Go on to the next call (C)"), row)
        self.by_frame = _button(tr("One frame"), tr("Go on to the next frame (Shift+C)"), row)
        self.stop = _button(tr("Stop listening"), tr("Games play on; what was recorded stays"), row)
        self.hold.clicked.connect(games.hold)
        self.go.clicked.connect(games.go_on)
        self.by_call.clicked.connect(lambda: games.step("call"))
        self.by_frame.clicked.connect(lambda: games.step("frame"))
        self.stop.clicked.connect(games.stop)
        return row

    def _make_wires(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Hold at:  ev:bread_ready o:counter#1"))
        self.line.setAccessibleName(tr("New tripwire"))
        self.line.setProperty("wrong", False)
        self.line.setMaximumWidth(LINE_PX)
        self.line.setToolTip(
            tr(
                "ev: o: cls: fn: via: narrow; gone, again, slow:20 (ms) are what only Opossum knows;\ncount:3 is the third time; send d.coins>10 looks at the data; peer: names one game."
            )
        )
        self.line.returnPressed.connect(self.add_typed)
        self.line.installEventFilter(self)
        self.wrong = QLabel()
        self.wrong.setProperty("role", "wrong")
        self.wrong.hide()
        row.addWidget(self.line, 2)
        row.addWidget(self.wrong)
        self._tags = QHBoxLayout()
        self._tags.setSpacing(4)
        row.addLayout(self._tags)
        self.earlier = QLabel()
        self.earlier.setProperty("role", "quiet")
        self.earlier.hide()
        row.addWidget(self.earlier)
        row.addStretch(1)
        return row

    def focusable(self) -> list[QWidget]:
        """Return what Tab goes to, as it stands."""
        return [self.hold, self.go, self.by_call, self.by_frame, self.stop, self.line]

    # --- showing -----------------------------------------------------------------------------------

    def set_session(self, session: Session | None) -> None:
        """Count what was dropped, and how often tripwires were met, in a session's take."""
        self.session = session
        self.renew()

    def renew(self, *told: object) -> None:
        """Show everything as it is now."""
        receiver = self.games.receiver
        self.setVisible(receiver is not None)
        if receiver is None:
            self._mark("")
            return
        peers = receiver.peers
        self._count_rates()
        held = any(peer.held is not None for peer in peers)
        self.hold.setEnabled(any(peer.connected and peer.holds for peer in peers) and not held)
        for button in (self.go, self.by_call, self.by_frame):
            button.setEnabled(held)
        text = state_told(receiver)
        if text != self.told.text():
            self.told.setText(shown(text))
        dropped = dropped_by_peer(self.session.take) if self.session is not None else {}
        lines = peers_told(peers, self._rates, dropped)
        self.told.setToolTip(plain_tooltip("\n".join(lines) or tr("No game has come yet.")))
        self.told.setAccessibleDescription("; ".join(lines))
        self._fill_tags()

    def _count_rates(self) -> None:
        now, counts = time.monotonic(), {peer.name: peer.records for peer in self.games.peers}
        before, known = self._counted
        if now - before >= RATE_EVERY_S:
            self._rates = {name: (count - known.get(name, count)) / (now - before) for name, count in counts.items()}
            self._counted = now, counts

    def _fill_tags(self) -> None:
        receiver = self.games.receiver
        wires = receiver.tripwires if receiver is not None else {}
        met = met_by_wire(self.session.take) if self.session is not None else {}
        shown = [
            (number, tr("{wire} · met {number:,}×", wire=wire.text, number=met.get(number, 0)), "tripwire")
            for number, wire in wires.items()
        ]
        watched = receiver.watched if receiver is not None else {}
        shown += [(number, tr("watching {o} {name}", o=o, name=name), "watch") for number, (o, name) in watched.items()]
        if shown == self._shown_wires:
            return
        self._shown_wires = shown
        for tag in self.tags:
            self._tags.removeWidget(tag)
            tag.hide()
            tag.deleteLater()
        self.tags = []
        for number, text, sort in shown[-MOST_TAGS:]:
            tag = QPushButton(text.replace("&", "&&"))
            tag.setProperty("role", "tag")
            tag.setToolTip(tr("Click, or press Delete, to take this {sort} away", sort=sort))
            tag.setAccessibleName(text if sort == "watch" else tr("Tripwire {text}", text=text))
            tag.clicked.connect(lambda _=False, number=number: self.take_away(number))
            tag.installEventFilter(self)
            tag.setProperty("number", number)
            self._tags.addWidget(tag)
            self.tags.append(tag)
        earlier = [text for _, text, _ in shown[:-MOST_TAGS]]
        self.earlier.setText(tr("and {earlier:,} earlier", earlier=len(earlier)))
        self.earlier.setToolTip(plain_tooltip("\n".join(earlier)))
        self.earlier.setAccessibleDescription("; ".join(earlier))
        self.earlier.setVisible(bool(earlier))

    # --- doing -------------------------------------------------------------------------------------

    def add_typed(self) -> None:
        """Set the tripwire that is written in the line; one that is not understood is said beside it, and stays there."""
        if self.add(self.line.text()):
            self.line.clear()

    def add(self, text: str) -> bool:
        """Set a tripwire; say whether it was understood."""
        receiver = self.games.receiver
        if receiver is None:
            return False
        try:
            wire = parse_tripwire(text)
        except TripwireError as error:
            self._mark(f"{error}.")
            return False
        receiver.trip(wire)
        self._mark("")
        self.said.emit(tr("The game will be held at “{wire}”.", wire=wire.text))
        self._fill_tags()
        return True

    def take_away(self, number: int) -> None:
        """Take a tripwire, or what is watched, away."""
        receiver = self.games.receiver
        if receiver is not None:
            if number in receiver.watched:
                receiver.unwatch(number)
            else:
                receiver.untrip(number)
            self._fill_tags()
            self.line.setFocus()

    def _mark(self, wrong: str) -> None:
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        if self.line.property("wrong") != bool(wrong):
            self.line.setProperty("wrong", bool(wrong))
            self.line.style().unpolish(self.line)
            self.line.style().polish(self.line)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Escape empties the line and gives the keys back; Delete takes the tag in focus away."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if watched is self.line and event.key() == Qt.Key.Key_Escape:
                self.line.clear()
                self._mark("")
                self.focusNextChild()
                return True
            if watched is not self.line and event.key() == Qt.Key.Key_Delete:
                self.take_away(int(watched.property("number")))
                return True
        return False


def _button(text: str, tip: str, row: QHBoxLayout) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    row.addWidget(button)
    return button
