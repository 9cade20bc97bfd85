"""The link: lines go by TCP to an Opossum that listens, from a thread of their own.

The game may begin before or after Opossum: until somebody listens, lines wait in a bounded store.  When the link
is slower than the game, lines are dropped and counted; the game itself never waits.
"""

from __future__ import annotations

import contextlib
import json
import select
import socket
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

MOST_WAITING_BYTES = 16 << 20
"""Lines waiting to be sent take at most this much; what comes then is dropped and counted."""

RETRY_S = 0.25
SILENT_S = 10.0
"""An Opossum that has pinged before and is silent for this long is taken to be gone."""
TURN_S = 0.02
"""How long the thread sleeps when there is nothing to send; a ping waits at most this long for its pong."""
CLOSING_S = 2.0
"""How long closing may take to send what is left."""


ASKED = ("hold", "go", "step", "trip", "untrip", "watch", "unwatch")
"""What Opossum may ask of a game that can be held."""


class LinkSink:
    """Sends whole lines; `write` only stores them. `trouble` says why nothing goes through, while it does not."""

    at_once = False
    """Lines may wait for the frame's end: where no thread of Python's can run, nothing is sent anyway."""

    def __init__(
        self,
        address: str,
        game_ns: Callable[[], int],
        heard: Callable[[dict[str, Any]], None] | None = None,
        left: Callable[[], None] | None = None,
    ) -> None:
        """Connect from now on. `heard` is given what Opossum asks for, `left` is called when it goes away."""
        host, _, port = address.rpartition(":")
        self.trouble = f"nobody listens at {address} yet"
        self._address = (host or "127.0.0.1", int(port) if port.isdigit() else 47533)
        self._game_ns = game_ns
        self._heard, self._left = heard, left
        self._last_ping: float | None = None
        self._waiting: deque[bytes] = deque()
        self._waiting_bytes = 0
        self._head = b""
        self._wake = threading.Event()
        self._closing = threading.Event()
        self._refused = False
        self._greeted = False
        self.unsent = 0
        """Lines that had been taken and could not be sent before closing."""
        self._thread = threading.Thread(target=self._run, name="opossum-link", daemon=True)
        self._thread.start()

    def write(self, data: bytes) -> bool:
        """Store lines to be sent; False when they were dropped."""
        if not self._head:
            # the first line is the head: whoever listens later must be told it too
            self._head, data = data[: data.find(b"\n") + 1], data[data.find(b"\n") + 1 :]
        if self._refused or self._waiting_bytes + len(data) > MOST_WAITING_BYTES:
            return False
        if data:
            self._waiting.append(data)
            self._waiting_bytes += len(data)
        self._wake.set()
        return True

    def close(self) -> None:
        """Send what is left, for a bounded time, and let go."""
        self._closing.set()
        self._wake.set()
        self._thread.join(CLOSING_S + 0.5)
        self.unsent = sum(data.count(b"\n") for data in tuple(self._waiting)) + (
            self._head != b"" and not self._greeted
        )
        if self.unsent and not self._refused:
            self.trouble = (
                f"{self.unsent:,} lines could not be sent before closing ({self.trouble or 'the link is slow'})"
            )

    def _run(self) -> None:
        deadline = float("inf")
        while not self._refused:
            if self._closing.is_set():
                deadline = min(deadline, time.monotonic() + CLOSING_S)
                if (self._greeted and not self._waiting) or time.monotonic() > deadline:
                    return
            if not self._head:
                self._wake.wait(TURN_S)
                continue
            try:
                with socket.create_connection(self._address, timeout=1.0) as connection:
                    connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                    try:
                        self._serve(connection)
                    finally:
                        self._last_ping = None
                        if self._left is not None:
                            self._left()
                    if self._closing.is_set():
                        return
            except OSError as error:
                self.trouble = self.trouble if self._refused else f"{self._address[0]}:{self._address[1]}: {error}"
                self._closing.wait(RETRY_S)

    def _serve(self, connection: socket.socket) -> None:
        """Send lines and answer pings until the connection or the game ends."""
        connection.sendall(self._head)
        self._greeted = True
        self.trouble = ""
        rest = b""
        while True:
            self._wake.wait(TURN_S)
            self._wake.clear()
            while self._waiting:
                data = self._waiting[0]
                connection.sendall(data)
                self._waiting.popleft()
                self._waiting_bytes -= len(data)
            while select.select([connection], [], [], 0)[0]:
                received = connection.recv(65536)
                if not received:
                    raise ConnectionError("Opossum went away")
                *lines, rest = (rest + received).split(b"\n")
                for line in lines:
                    self._answer(connection, line)
                if self._refused or len(rest) > 65536:
                    return
            if self._last_ping is not None and time.monotonic() - self._last_ping > SILENT_S:
                raise ConnectionError("Opossum has fallen silent")
            if self._closing.is_set() and not self._waiting:
                # hear the other side out: closing over unread answers would cut the last lines off
                with contextlib.suppress(OSError):
                    connection.shutdown(socket.SHUT_WR)
                    connection.settimeout(CLOSING_S / 2)
                    while connection.recv(65536):
                        pass
                return

    def _answer(self, connection: socket.socket, line: bytes) -> None:
        try:
            told = json.loads(line)
            kind = told.get("k")
        except (ValueError, AttributeError, RecursionError):
            return
        if kind == "ping":
            self._last_ping = time.monotonic()
            pong = {"k": "pong", "id": told.get("id"), "t": told.get("t"), "g": self._game_ns()}
            connection.sendall(json.dumps(pong).encode() + b"\n")
        elif kind == "refuse":
            self._refused = True
            self.trouble = f"Opossum refused: {str(told.get('why'))[:200]}"
        elif kind in ASKED and self._heard is not None:
            self._heard(told)
