"""A stream that is still being written: noticed, and read on in the background as it grows."""

from __future__ import annotations

import os
import time
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer

from opossum_desk.state.session import Session
from opossum_desk.state.tasks import Tell

if TYPE_CHECKING:
    from opossum_desk.window import DeskWindow

CHECK_MS = 1000
LIVE_CHECK_MS = 120
"""How often a file that grows, and one that a game plays into, is looked at."""
AFTER_FIRST_PICTURE_MS = 250
"""Reading on begins when the first picture of a game is made: the two would share one interpreter."""
REST = 1
"""Reading on rests at least this many times as long as it took, so that the desk stays free for its user."""


class Growth:
    """Follows the open stream of one desk."""

    def __init__(self, desk: DeskWindow) -> None:
        self._desk = desk
        self.followed: Any = None
        """The stream that is read on as it grows, if one is."""
        self.size_seen = 0
        self._began = self._rest_until = 0.0
        self._gone_told = ""
        self._timer = QTimer(desk)
        self._timer.timeout.connect(self.check)
        self._first = QTimer(desk)
        self._first.setSingleShot(True)
        self._first.timeout.connect(self._begin_live)

    def forget(self) -> None:
        """Follow nothing any more: another take is opened."""
        self.stop()
        self.followed = None

    def stop(self) -> None:
        """Look at the file no more."""
        self._timer.stop()
        self._first.stop()

    def begin(self, path: str, live: bool) -> None:
        """Look at a stream from now on; one that a game plays into is followed at once."""
        self.size_seen = size_of(path)
        if live:
            self._first.start(AFTER_FIRST_PICTURE_MS)
        else:
            self._timer.start(CHECK_MS)

    def _begin_live(self) -> None:
        self._timer.start(LIVE_CHECK_MS)
        self._begin_following()

    def hurry(self) -> None:
        """Look now, whatever rest is left."""
        self._rest_until = 0.0
        self.check()

    def check(self) -> None:
        """Offer to read on, or read on, when the open stream has grown."""
        desk = self._desk
        if desk.session is None or desk.opening.running or not desk.paths:
            return
        if self.followed is None and desk.listening.records(desk.paths[0]):
            return  # it will be followed in a moment
        if self.followed is not None and time.monotonic() < self._rest_until:
            return
        desk.listening.tell_end()
        size = size_of(desk.paths[0])
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
        self._begin_following()

    def _begin_following(self) -> None:
        from opossum.stream.following import FollowedStream

        self.followed = FollowedStream(self._desk.paths[0])
        self._read_on()

    def _read_on(self) -> None:
        desk, followed = self._desk, self.followed
        self._began = time.monotonic()
        playing = desk.listening.playing
        name = desk.session.take.name if desk.session else ""

        def task(tell: Tell) -> Session | None:
            from opossum.take.take import Take

            if not followed.read_more():
                return None
            tell("Reading on", 0.5)
            take = Take.from_contents(followed.contents(), name)
            take.growing = playing
            return Session(take)

        desk.opening.start(task)

    def take_over(self, session: Session | None) -> None:
        """Show the stream as it has grown, if it has, looking where its user looked."""
        desk = self._desk
        self._rest_until = time.monotonic() + REST * (time.monotonic() - self._began)
        if session is None or desk.session is None:
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
