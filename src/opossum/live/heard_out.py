"""Connections that are heard out: what a game has sent is read, also when its side of the connection is gone already.

Who ends with something unread (a ping, say) resets the connection: a game that was killed does, and one that ends in a
hurry.  What it sent before lies with the system still, but asyncio closes a connection at the first answer that cannot be
sent, and forgets what its reader holds.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import Awaitable, Callable

MOST_SALVAGED_BYTES = 64 << 20
"""More than a system keeps for one connection."""
PIECE_BYTES = 1 << 18

Meet = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


class _Reader(asyncio.StreamReader):
    """Reads all that has come before it says that no more will come."""

    def set_exception(self, exc: Exception) -> None:
        """Take a broken connection for one that has ended: what was held is read first."""
        self.feed_eof()


class _Connection(asyncio.StreamReaderProtocol):
    """Knows the connection by a second name, by which it is read when asyncio has given it up."""

    def __init__(self, reader: asyncio.StreamReader, meet: Meet) -> None:
        super().__init__(reader, meet, loop=asyncio.get_running_loop())
        self._reader_of_rest = reader
        self._again: socket.socket | None = None
        self._has_said_all = False

    def eof_received(self) -> bool | None:
        self._has_said_all = True
        return super().eof_received()

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        plain = transport.get_extra_info("socket")
        with contextlib.suppress(OSError):  # too many files are open: then it is not heard out
            self._again = socket.fromfd(plain.fileno(), plain.family, plain.type, plain.proto)
        super().connection_made(transport)

    def connection_lost(self, exc: Exception | None) -> None:
        again, self._again = self._again, None
        if again is not None:
            with again:
                if exc is not None and not self._has_said_all:
                    self._salvage(again)
        super().connection_lost(exc)

    def _salvage(self, again: socket.socket) -> None:
        """Read what the system still holds, without waiting for more."""
        salvaged = 0
        with contextlib.suppress(OSError):
            while salvaged < MOST_SALVAGED_BYTES and (piece := again.recv(PIECE_BYTES, socket.MSG_DONTWAIT)):
                self._reader_of_rest.feed_data(piece)
                salvaged += len(piece)


async def serve_heard_out(meet: Meet, host: str, port: int, limit: int) -> asyncio.Server:
    """Return a server, not yet serving, that gives `meet` a reader and a writer for each connection, as `asyncio.start_server`.

    `limit`: bytes that a line may have at most.

    Raises:
        OSError: the port cannot be had.
    """

    def connection() -> _Connection:
        return _Connection(_Reader(limit=limit, loop=asyncio.get_running_loop()), meet)

    return await asyncio.get_running_loop().create_server(connection, host, port, start_serving=False)
