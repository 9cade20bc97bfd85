"""The games that play: heard by a receiver, read on as their stream grows. Owns no widget; says what happened by signals."""

from __future__ import annotations

import os
import time
from typing import TYPE_CHECKING, Any, NamedTuple

from PySide6.QtCore import QObject, QTimer, Signal

from opossum.words import tr
from opossum_desk.work import Work

if TYPE_CHECKING:
    from opossum.live.greeting import Held
    from opossum.live.receiver import PeerState, Receiver
    from opossum_desk.state.following import FollowedTake

CHECK_MS = 1000
LIVE_CHECK_MS = 120
"""How often a file that grows, and one that a game plays into, is looked at."""
GAMES_CHECK_MS = 200
"""How often the receiver is asked what has become of the games."""
REST = 0.25
"""Reading on rests at least this many times as long as it took, so that the game and the desk are served as well."""
MOST_READERS = 3
"""So many processes that read one stream may end in a row before that is given up."""


class HeldGame(NamedTuple):
    """A game that is held: its peer's name, where, and the text of the tripwire (empty: it was asked to)."""

    peer: str
    at: Held
    tripwire: str


class Games(QObject):
    """The receiver of one desk, while there is one, and the stream that grows, if one does."""

    listening = Signal(object)
    """The receiver that games can reach now."""
    listening_failed = Signal(str)
    stopped = Signal(bool)
    """Nobody listens any more; whether any game had come."""
    came = Signal(str)
    """A game has begun to play into this file."""
    offered = Signal()
    """The open stream is still being written: it could be read on as it grows."""
    grown = Signal(object)
    """The session of the stream as it has grown."""
    reading_failed = Signal(str)
    reader_ended = Signal(str)
    """What read the stream has ended (how, in a sentence); what is shown stays, and it is read on by another one."""
    held = Signal(object)
    """A game is held (`HeldGame`)."""
    went = Signal()
    ended = Signal(bool)
    """No game plays any more; whether all of them said so."""
    looked = Signal()
    """What has become of the games was asked: whoever shows it may show it anew."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.receiver: Receiver | None = None
        self.not_written = ""
        """Why nothing more could be written of what games sent last; empty where all was."""
        self.followed: FollowedTake | None = None
        """The stream that is read on as it grows, if one is."""
        self.number = 0
        """Which growth of it is shown, 0 while none is."""
        self.held_game: HeldGame | None = None
        self._steps = False
        """A step was asked for last: between its calls or frames a game is not held, yet holds again at once."""
        self.sieve = ""
        """What the next growth is sieved by."""
        self._path = ""
        self._size_seen = 0
        self._readers_ended = 0
        self._is_live = self._has_come = False
        self._began = self._rest_until = 0.0
        self._reading = Work(self)
        self._reading.finished.connect(self._take_over)
        self._reading.failed.connect(self._reading_failed)
        self._file_timer, self._games_timer = QTimer(self), QTimer(self)
        self._file_timer.timeout.connect(self.check_file)
        self._games_timer.timeout.connect(self.check_games)

    # --- the receiver --------------------------------------------------------------------------------

    @property
    def playing(self) -> bool:
        """Say whether a game is connected."""
        return any(peer.connected for peer in self.peers)

    @property
    def peers(self) -> list[PeerState]:
        """Return what is known of every game that came."""
        return self.receiver.peers if self.receiver is not None else []

    def records(self, path: str) -> bool:
        """Say whether games play into this file."""
        return self.receiver is not None and path == str(self.receiver.out)

    def listen(self, port: int | None = None) -> None:
        """Listen for games on this machine."""
        from opossum_desk.recordings import begin_receiving

        self.stop()
        try:
            self.receiver = begin_receiving(port)
        except OSError as error:
            self.listening_failed.emit(f"{error}.")
            return
        self._has_come = self._steps = False
        self.listening.emit(self.receiver)
        self._games_timer.start(GAMES_CHECK_MS)

    def stop(self) -> None:
        """Stop listening; what was recorded stays."""
        if self.receiver is None:
            return
        receiver, self.receiver = self.receiver, None
        self._games_timer.stop()
        receiver.stop()
        self.not_written = receiver.trouble
        if self.held_game is not None:
            self.held_game = None
            self.went.emit()
        came = bool(receiver.peers)
        if not came:
            receiver.out.unlink(missing_ok=True)
        self.stopped.emit(came)

    def check_games(self) -> None:
        """Find out what has become of the games: that one has come, is held, or goes on."""
        receiver = self.receiver
        if receiver is None:
            return
        peers = receiver.peers
        if not self._has_come and any(peer.records > 1 for peer in peers):
            self._has_come = True
            self.came.emit(str(receiver.out))
            return
        held = next(((peer.name, peer.held) for peer in peers if peer.held is not None), None)
        wire = receiver.tripwires.get(held[1].trip) if held is not None else None
        game = HeldGame(*held, wire.text if wire else "") if held is not None else None
        if game != self.held_game:
            self.held_game = game
            if game is None:
                self.went.emit()
            else:
                self.held.emit(game)
                self._rest_until = 0.0  # what led to it is wanted now
                self.check_file()
        self.looked.emit()

    def toggle_hold(self) -> None:
        """Hold the games, or let them go on."""
        if self.receiver is not None:
            if self._steps or any(peer.held is not None for peer in self.receiver.peers):
                self.go_on()
            else:
                self.hold()

    def hold(self) -> None:
        """Hold every game before its next call or frame."""
        self._steps = False
        if self.receiver is not None:
            self.receiver.hold()

    def go_on(self) -> None:
        """Let the games go on, held or just about to be."""
        self._steps = False
        if self.receiver is not None:
            self.receiver.go()

    def step(self, by: str) -> None:
        """Go one ``call`` or ``frame`` on."""
        if self.receiver is not None:
            self._steps = self._steps or any(peer.held is not None for peer in self.receiver.peers)
            self.receiver.step(by)

    # --- the stream that grows -------------------------------------------------------------------------

    def watch(self, path: str) -> None:
        """Look at a stream from now on, and offer to read on when it has grown."""
        self.forget()
        self._path, self._size_seen = path, size_of(path)
        self._file_timer.start(CHECK_MS)

    def follow_live(self, path: str) -> None:
        """Read a stream that a game plays into, and read on as it grows."""
        self.forget()
        self._path, self._is_live = path, True
        self._file_timer.start(LIVE_CHECK_MS)
        self.follow()

    def follow(self) -> None:
        """Read on whenever the stream grows."""
        from opossum_desk.state.following import FollowedTake

        self.followed = FollowedTake(self._path)
        self.number = 0
        self._read_on()

    def forget(self) -> None:
        """Follow nothing any more: another take is opened, or the desk closes."""
        self._file_timer.stop()
        self._reading.cancel()
        self.number, self._is_live, self._path, self._readers_ended = 0, False, "", 0
        self._let_reader_go()

    def _let_reader_go(self) -> None:
        if self.followed is not None:
            self.followed.close()
            self.followed = None

    def forget_ended(self) -> None:
        """Let go of who read the stream of a game that has ended, once all of it is shown and examined."""
        if self._is_live and self.receiver is None:
            self.forget()

    def check_file(self) -> None:
        """Offer to read on, or read on, when the stream has grown."""
        if not self._path or self._reading.running:
            return
        if self.followed is not None and time.monotonic() < self._rest_until:
            return
        self._look_for_the_end()
        size = size_of(self._path)
        if size == self._size_seen:
            return
        self._size_seen = size
        if self.followed is not None:
            self._read_on()
        elif self._is_live:
            self.follow()
        else:
            self.offered.emit()

    def _look_for_the_end(self) -> None:
        """Say that no game plays any more, once all that came has been read."""
        peers = self.peers
        if peers and not self.playing and size_of(str(self.receiver.out)) == self._size_seen:  # type: ignore[union-attr]
            self.stop()
            self.ended.emit(all(peer.closed for peer in peers))

    def _read_on(self) -> None:
        followed, sieve = self.followed, self.sieve
        assert followed is not None
        self._began = time.monotonic()

        def task(tell: Any) -> Any:
            from opossum_desk.state.following import ReaderEnded

            try:
                return followed.read_on(sieve)
            except ReaderEnded as ended:
                return ended

        self._reading.start(task)

    def _take_over(self, answer: Any) -> None:
        """Hand on the stream as it has grown, if it has."""
        self._rest_until = time.monotonic() + REST * (time.monotonic() - self._began)
        if isinstance(answer, Exception):
            self._read_anew()
            return
        self._readers_ended = 0
        if answer is not None:
            self.number, session = answer
            self.grown.emit(session)

    def _read_anew(self) -> None:
        """Have another process read the stream: the one that did was killed."""
        self._let_reader_go()
        self._readers_ended += 1
        if self._readers_ended >= MOST_READERS:
            self._file_timer.stop()
            self.reader_ended.emit(tr("What reads the stream has ended again and again; it goes on being recorded."))
            return
        self.reader_ended.emit(tr("What reads the stream has ended; it is read anew, and goes on being recorded."))
        self.follow()

    def _reading_failed(self, text: str) -> None:
        self.forget()
        self.reading_failed.emit(text)


def size_of(path: str) -> int:
    """Return a file's size, 0 where it cannot be told."""
    try:
        return os.path.getsize(path)
    except OSError:
        return 0
