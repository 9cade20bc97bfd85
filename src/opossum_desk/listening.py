"""Listening for games from the desk: one that comes is shown, one that is held is said, one that ends is let go."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from opossum_desk.growth import size_of

if TYPE_CHECKING:
    from opossum.live.greeting import Held
    from opossum.live.listener import Listener
    from opossum_desk.window import DeskWindow

CHECK_MS = 200


class Listening:
    """The listener of one desk, while there is one."""

    def __init__(self, desk: DeskWindow) -> None:
        self._desk = desk
        self.listener: Listener | None = None
        self._held: tuple[str, Held | None] | None = None
        self._held_shown = False
        self._arrived = False
        self._timer = QTimer(desk)
        self._timer.setInterval(CHECK_MS)
        self._timer.timeout.connect(self.check)

    @property
    def playing(self) -> bool:
        """Say whether a game is connected."""
        return self.listener is not None and any(peer.connected for peer in self.listener.peers)

    def records(self, path: str) -> bool:
        """Say whether games play into this file."""
        return self.listener is not None and path == str(self.listener.out)

    def begin(self, port: int | None) -> None:
        """Listen for a game on this machine, and show what it records while it plays."""
        from opossum_desk.live import DEFAULT_PORT, begin_listening

        desk = self._desk
        self.stop()
        try:
            self.listener = begin_listening(DEFAULT_PORT if port is None else port)
        except OSError as error:
            desk.fail(f"{error}.")
            return
        self._arrived = False
        desk.show_listening(self.listener)
        self._timer.start()

    def stop(self) -> None:
        """Stop listening; what was recorded stays."""
        if self.listener is None:
            return
        desk = self._desk
        listener, self.listener = self.listener, None
        self._timer.stop()
        listener.stop()
        if self._held is not None:
            self._held = None
            desk.flow.banner.hide()
        if not listener.peers:
            listener.out.unlink(missing_ok=True)
        desk.show_listening_ended(nobody_came=not listener.peers)

    def check(self) -> None:
        """Show what has become of the games: that one has come, is held, or goes on."""
        if self.listener is None:
            return
        desk, peers = self._desk, self.listener.peers
        if not self._arrived and any(peer.records > 1 for peer in peers):
            self._arrived = True
            desk.show_game(str(self.listener.out))
            return
        held = next((peer for peer in peers if peer.held is not None), None)
        place = (held.name, held.held) if held is not None else None
        if place != self._held:
            self._held = place
            if held is None:
                desk.flow.banner.hide()
                desk.say("The game goes on.")
            else:
                self._held_shown = False
                wire = self.listener.tripwires.get(held.held.trip) if held.held is not None else None
                why = f"at “{wire.text}”" if wire else "as asked"
                desk.flow.warn(
                    f"{held.name} is held {why}. Space lets it go on, C goes one call on.", "Go on", self.listener.go
                )
                desk.growth.hurry()
        self.show_held()
        desk.renew_live()

    def show_held(self) -> None:
        """Select the call the game is held at, once it has been read."""
        from opossum.take.moment import held_call

        session = self._desk.session
        if self._held is None or self._held_shown or session is None:
            return
        name, held = self._held
        call = held_call(session.take, name, held.call) if held is not None and held.call else -1
        if call >= 0:
            self._held_shown = True
            session.select_call(call)

    def tell_end(self) -> None:
        """Say when the game has gone silent, or has ended."""
        from opossum_desk.live import silence

        if self.listener is None:
            return
        desk, peers = self._desk, self.listener.peers
        if peers and not self.playing and size_of(str(self.listener.out)) == desk.growth.size_seen:
            closed = all(peer.closed for peer in peers)
            self.stop()
            desk.examine_ended()
            desk.say("The game has ended." if closed else "The game has gone without ending its recording.")
            return
        silent = silence(peers, desk.session)
        if silent:
            desk.say(silent)
