"""The games that are connected, or were, and what is said to them."""

from __future__ import annotations

import asyncio
import contextlib
import time
from dataclasses import dataclass

import msgspec

from opossum.live.greeting import Held, PeerLink

PING_EVERY_S = 1.0
REFUSING_S = 1.0
"""How long saying a refusal, and having it heard, may take each."""
READ_BYTES = 1 << 16


@dataclass(frozen=True, slots=True)
class PeerState:
    """What is known of one peer: `silent_s` since its last line; the clock's offset and error in ns (None: unknown), and
    whether it agrees with the records (else it is not used);
    `holds`: it can be held; `held`: where it is being held, if it is."""

    name: str
    game: str
    records: int
    rubbish: int
    connected: bool
    closed: bool
    silent_s: float
    offset_ns: int
    error_ns: int | None
    clock_is_believable: bool
    holds: bool
    held: Held | None


class Peer:
    """One connection, as the receiver keeps it; a game that comes back takes it over with a new `writer`."""

    def __init__(self, link: PeerLink, writer: asyncio.StreamWriter) -> None:
        self.link = link
        self.writer = writer
        self.connected = True
        self.last_line = time.monotonic()

    def state(self, now: float) -> PeerState:
        """Return what is known of it."""
        link = self.link
        return PeerState(
            link.name,
            link.game,
            link.records,
            link.rubbish,
            self.connected,
            link.closed,
            now - self.last_line,
            link.clock.offset_ns,
            link.clock.error_ns,
            link.clock_is_believable(),
            link.holds,
            link.held if self.connected else None,
        )

    def tell(self, message: dict[str, object]) -> None:
        """Say something to a game that can be held."""
        if self.link.holds and self.connected and not self.writer.is_closing():
            self.writer.write(msgspec.json.encode(message) + b"\n")


async def ping(peer: Peer) -> None:
    """Ask for the game's clock, again and again, and say how much is kept."""
    writer, number = peer.writer, 0
    while True:
        number += 1
        writer.write(peer.link.ping(time.monotonic_ns()) + (peer.link.kept_line() if peer.link.run else b""))
        await writer.drain()
        await asyncio.sleep(PING_EVERY_S if number > 3 else 0.1)


async def refuse(reader: asyncio.StreamReader, writer: asyncio.StreamWriter, why: str) -> None:
    """Say why somebody may not go on, and wait for a bounded time until it has been heard.

    Closing while something lies unread would reset the connection, and the reason would be lost on the way.
    """
    with contextlib.suppress(OSError, TimeoutError, asyncio.CancelledError):
        writer.write(msgspec.json.encode({"k": "refuse", "why": why}) + b"\n")
        await asyncio.wait_for(writer.drain(), REFUSING_S)
        writer.write_eof()
        async with asyncio.timeout(REFUSING_S):
            while await reader.read(READ_BYTES):
                pass
