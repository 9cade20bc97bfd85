"""A stream that is still being written: noticed, and read on in the background as it grows."""

from __future__ import annotations

import os
import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from opossum_desk.state.session import Session

if TYPE_CHECKING:
    from opossum_desk.state.following import FollowedTake
    from opossum_desk.window import DeskWindow

CHECK_MS = 1000
LIVE_CHECK_MS = 120
"""How often a file that grows, and one that a game plays into, is looked at."""
REST = 0.25
"""Reading on rests at least this many times as long as it took, so that the game and the desk are served as well."""


class Growth:
    """Follows the open stream of one desk."""

    def __init__(self, desk: DeskWindow) -> None:
        self._desk = desk
        self.followed: FollowedTake | None = None
        """The stream that is read on as it grows, if one is."""
        self.number = 0
        """Which growth of it is on the desk, 0 while none is."""
        self.size_seen = 0
        self._live = self._reading = False
        self._began = self._rest_until = 0.0
        self._gone_told = ""
        self._timer = QTimer(desk)
        self._timer.timeout.connect(self.check)

    def forget(self) -> None:
        """Follow nothing any more: another take is opened, or the desk closes."""
        self._timer.stop()
        self.number, self._live, self._reading = 0, False, False
        if self.followed is not None:
            self._desk.examining.cancel()
            self.followed.close()
            self.followed = None

    def forget_ended(self) -> None:
        """Let go of who read the stream of a game that has ended, once all of it is shown and examined."""
        if self._live and self._desk.listening.listener is None:
            self.forget()

    def begin(self, path: str) -> None:
        """Look at a stream from now on, and offer to read on when it has grown."""
        self.size_seen = size_of(path)
        self._timer.start(CHECK_MS)

    def begin_live(self, path: str) -> None:
        """Show a stream that a game plays into, and read it on as it grows."""
        self.forget()
        self._live = True
        self._timer.start(LIVE_CHECK_MS)
        self._follow(path)

    def hurry(self) -> None:
        """Look now, whatever rest is left."""
        self._rest_until = 0.0
        self.check()

    def check(self) -> None:
        """Offer to read on, or read on, when the open stream has grown."""
        desk = self._desk
        path = self.followed.path if self.followed is not None else desk.paths[0] if desk.paths else ""
        if self._reading or desk.opening.running or not path:
            return
        if self.followed is not None and time.monotonic() < self._rest_until:
            return
        desk.listening.tell_end()
        size = size_of(path)
        if size == self.size_seen:
            return
        self.size_seen = size
        if self.followed is None:
            desk.flow.warn("This stream is still being written.", "Read on as it grows", self.follow)
        else:
            self._read_on()

    def follow(self) -> None:
        """Read on whenever the stream grows: what the banner offers."""
        self._desk.flow.banner.hide()
        self._follow(self._desk.paths[0])

    def _follow(self, path: str) -> None:
        from opossum_desk.state.following import FollowedTake

        self.followed = FollowedTake(path)
        self.number = 0
        self._read_on()

    def _read_on(self) -> None:
        desk, followed = self._desk, self.followed
        assert followed is not None
        self._reading, self._began = True, time.monotonic()
        playing = desk.listening.playing
        sieve = desk.session.sieve_text if desk.session is not None else ""
        desk.opening.start(lambda tell: followed.read_on(playing, sieve))

    def take_over(self, grown: tuple[int, Session] | None) -> None:
        """Show the stream as it has grown, if it has, looking where its user looked."""
        desk, self._reading = self._desk, False
        self._rest_until = time.monotonic() + REST * (time.monotonic() - self._began)
        if grown is None:
            return
        self.number, session = grown
        if desk.session is None or desk.wanted != desk.paths:
            desk.show_opened(session)
            return
        session.carry_over(desk.session)
        desk.show_session(session, grown=True)
        desk.listening.show_held()
        self._tell_followed_object()

    def _tell_followed_object(self) -> None:
        """Say when the object that is being followed is gone."""
        desk = self._desk
        text = desk.flow.sieve.line.text().strip()
        name = text.removeprefix("o:")
        if desk.session is None or not text.startswith("o:") or " " in name or name == self._gone_told:
            return
        from opossum.take.moment import alive_at, last_line

        take = desk.session.take
        gone = take.tables["gone"]
        if take.code(name) in gone["o"] and name not in dict(alive_at(take, last_line(take))):
            self._gone_told = name
            desk.say(f"{name} is gone: it does not live any more.")


def size_of(path: str) -> int:
    """Return a file's size, 0 where it cannot be told."""
    try:
        return os.path.getsize(path)
    except OSError:
        return 0
