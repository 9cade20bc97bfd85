"""What the desk does when games come, play on, are held, and end."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from opossum.words import tr
from opossum_desk.playing import HeldGame
from opossum_desk.state.session import Session
from opossum_desk.takes_on_desk import TakesOnDesk

if TYPE_CHECKING:
    from opossum.live.receiver import Receiver
    from opossum_desk.area import Desk


class GamesOnDesk(QObject):
    """The game that is shown while it plays."""

    def __init__(self, desk: Desk, takes: TakesOnDesk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk, self._takes = desk, takes
        self._held_shown = False
        games = desk.games
        games.listening.connect(self._listening_begun)
        games.listening_failed.connect(desk.fail)
        games.stopped.connect(self._listening_ended)
        games.came.connect(self._came)
        games.offered.connect(self._offer)
        games.grown.connect(self._grown)
        games.reading_failed.connect(desk.fail)
        games.reader_ended.connect(self._reader_ended)
        games.held.connect(self._held)
        games.went.connect(self._went)
        games.ended.connect(self._ended)
        games.looked.connect(self._looked)

    def _listening_begun(self, receiver: Receiver) -> None:
        self._desk.page("listening").tell(receiver.host, receiver.port)
        self._desk.show_page("listening")

    def _listening_ended(self, came: bool) -> None:
        if not came and self._desk.is_on_page("listening"):
            self._desk.go_to("start")

    def _came(self, path: str) -> None:
        desk = self._desk
        desk.opening.paths = [path]
        desk.opening.stop_examining()
        desk.games.follow_live(path)

    def _offer(self) -> None:
        area = self._desk.view("take")

        def follow() -> None:
            area.banner.hide()
            self._desk.games.follow()

        area.warn(tr("This stream is still being written."), tr("Read on as it grows"), follow)

    def _grown(self, session: Session) -> None:
        desk, before = self._desk, self._desk.session
        if before is None or desk.opening.paths != self._takes.paths:
            session.hold_at, session.watch_of = self._hold_at, self._desk.asking.attribute
            self._takes.show_opened(session)
            return
        from opossum_desk.state.carrying_over import carry_over

        session.playing = desk.games.playing
        session.hold_at, session.watch_of = self._hold_at, self._desk.asking.attribute
        carry_over(session, before)
        self._takes.show(session, grown=True)
        self._select_held()
        desk.view("take").tell_followed_object()

    def _reader_ended(self, text: str) -> None:
        self._desk.opening.stop_examining()
        self._desk.say(text)

    def _hold_at(self, text: str) -> None:
        """Set a tripwire, as menus ask."""
        self._desk.view("take").now.add(text)

    def _held(self, game: HeldGame) -> None:
        self._held_shown = False
        why = tr("at “{tripwire}”", tripwire=game.tripwire) if game.tripwire else tr("as asked")
        self._desk.say(tr("{peer} is held {why}. Space lets it go on, C goes one call on.", peer=game.peer, why=why))
        self._desk.view("take").story.show_held(game)
        self._select_held()

    def _select_held(self) -> None:
        """Select the call the game is held at, once it has been read."""
        from opossum.take.moment import held_call

        game, session = self._desk.games.held_game, self._desk.session
        if game is None or session is None or self._held_shown:
            return
        call = held_call(session.take, game.peer, game.at.call) if game.at.call else -1
        if call >= 0:
            self._held_shown = True
            session.select_call(call)

    def _went(self) -> None:
        self._desk.view("take").story.show_held(None)
        self._desk.say(tr("The game goes on."))

    def _ended(self, closed: bool) -> None:
        desk, session = self._desk, self._desk.session
        if session is not None and session.playing:
            session.playing = False
            desk.opening.examine(session, desk.games.followed)
        elif session is not None and session.examined and not desk.opening.is_examining:
            desk.games.forget_ended()
        if desk.games.not_written:
            desk.say(tr("Nothing more is recorded: {not_written}.", not_written=desk.games.not_written))
            return
        desk.say(tr("The game has ended.") if closed else tr("The game has gone without ending its recording."))

    def _looked(self) -> None:
        from opossum_desk.now.layout.told import silence

        if silent := silence(self._desk.games.peers, self._desk.session):
            self._desk.say(silent)
