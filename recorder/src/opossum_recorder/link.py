"""The link: lines go by TCP to an Opossum that listens, from a thread of their own.

The game may begin before or after Opossum: until somebody listens, lines wait in a bounded store.  When the link
is slower than the game, lines are dropped and counted; the game itself never waits.  Lines stay in the store until Opossum
says that it has kept them: a link that breaks is made anew, and goes on from there, as the same peer.
"""

from __future__ import annotations

import contextlib
import json
import os
import queue
import select
import socket
import threading
import time
from collections.abc import Callable
from typing import Any

from opossum_recorder.unkept_lines import UnkeptLines

RETRY_S = 0.25
SILENT_S = 10.0
"""An Opossum that has pinged before and is silent for this long is taken to be gone."""
TURN_S = 0.02
"""How long the thread sleeps when there is nothing to send; a ping waits at most this long for its pong."""
CLOSING_S = 2.0
"""How long closing may take to send what is left."""
LONGEST_HEARD = 65536
LARGEST_NUMBER = 1 << 62
DEFAULT_PORT = 47533

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
        self._address = (host or "127.0.0.1", int(port) if port.isdigit() else DEFAULT_PORT)
        self._game_ns = game_ns
        self._heard, self._left = heard, left
        self._last_ping: float | None = None
        self._lines = UnkeptLines()
        self._head = b""
        self._run_id = os.urandom(16).hex()
        self._wake: queue.SimpleQueue[None] = queue.SimpleQueue()  # may be put into while it is being put into
        self._closing = False
        self._refused = False
        self._greeted = False
        self._welcomed = False
        """Whether it is an Opossum that answered last."""
        self._connection: socket.socket | None = None
        self.unsent = 0
        """Lines that had been taken and could not be sent before closing, or are not known to have arrived."""
        self._thread = threading.Thread(target=self._run, name="opossum-link", daemon=True)
        try:
            self._thread.start()
        except RuntimeError as error:  # the interpreter ends, or has too many
            self.trouble = str(error)

    def write(self, data: bytes) -> bool:
        """Store lines to be sent; False when they were dropped."""
        if not self._head:
            # the first line is the head: whoever listens later must be told it too
            self._head, data = data[: data.find(b"\n") + 1], data[data.find(b"\n") + 1 :]
        if self._refused or (data and not self._lines.add(data)):
            return False
        if self._wake.empty():
            self._wake.put(None)
        return True

    def close(self) -> None:
        """Send what is left, for a bounded time, and let go."""
        self._closing = True
        self._wake.put(None)
        with contextlib.suppress(RuntimeError):  # it never ran, or the interpreter ends
            self._thread.join(CLOSING_S + 0.5)
        self.unsent = self._lines.lines() + (self._head != b"" and not self._greeted)
        if self.unsent and not self._refused:
            self.trouble = (
                f"{self.unsent:,} lines could not be sent before closing ({self.trouble or 'the link is slow'})"
            )

    def forked(self) -> None:
        """In a process that was forked off: the connection is its parent's."""
        self._refused = True
        self._lines.forget()
        if self._connection is not None:
            with contextlib.suppress(OSError):
                self._connection.close()

    def _sleep(self, seconds: float) -> None:
        """Sleep until there is something to send, or for so long."""
        with contextlib.suppress(queue.Empty):
            self._wake.get(timeout=seconds)
            while not self._wake.empty():
                self._wake.get_nowait()

    def _run(self) -> None:
        deadline = float("inf")
        while not self._refused:
            if self._closing:
                deadline = min(deadline, time.monotonic() + CLOSING_S)
                if (self._greeted and not self._lines.lines()) or time.monotonic() > deadline:
                    return
            if not self._head:
                self._sleep(TURN_S)
                continue
            self._welcomed = False
            try:
                with socket.create_connection(self._address, timeout=1.0) as connection:
                    connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                    self._connection = connection
                    try:
                        self._serve(connection, deadline)
                    finally:
                        self._connection = None
                        self._last_ping = None
                        if self._left is not None:
                            self._left()
                    if self._closing:
                        return
            except Exception as error:  # mostly the network's; whatever it is, the link is made anew
                self.trouble = self.trouble if self._refused else f"{self._address[0]}:{self._address[1]}: {error}"
                # one that broke at once; where nobody listens, or something else does, is asked now and then
                time.sleep(TURN_S if self._closing or self._welcomed else RETRY_S)

    def _greeting(self) -> bytes:
        """Return the head for a new connection: which run of the game this is, and after how many lines it goes on."""
        return b'%b,"run":"%b","from":%d}\n' % (
            self._head.rstrip()[:-1],
            self._run_id.encode(),
            self._lines.begin_again(),
        )

    def _serve(self, connection: socket.socket, deadline: float) -> None:
        """Send lines and answer pings until the connection or the game ends."""
        connection.sendall(self._greeting())
        connection.setblocking(False)
        self._greeted = True
        self.trouble = ""
        answers, rest = b"", b""
        shut = False
        while True:
            self._sleep(TURN_S)
            while True:
                unsent = bool(answers) or self._lines.waiting
                readable, writable, _ = select.select([connection], [connection] if unsent and not shut else [], [], 0)
                if readable:
                    received = connection.recv(LONGEST_HEARD)
                    if not received:
                        if self._closing:
                            return
                        raise ConnectionError("Opossum went away")
                    *lines, rest = (rest + received).split(b"\n")
                    for line in lines:
                        answer = self._answer(line)
                        if len(answers) < LONGEST_HEARD:  # who asks and does not read gets no more answers
                            answers += answer
                    if self._refused or len(rest) > LONGEST_HEARD:
                        return
                if not writable:
                    if not readable:
                        break
                    continue
                answers = self._send(connection, answers)
            if self._last_ping is not None and time.monotonic() - self._last_ping > SILENT_S:
                raise ConnectionError("Opossum has fallen silent")
            if self._closing:
                deadline = min(deadline, time.monotonic() + CLOSING_S)
                if not shut and not answers and not self._lines.waiting:
                    # hear the other side out: it says how much it has kept, and closing over that would cut lines off
                    connection.shutdown(socket.SHUT_WR)
                    shut = True
                if time.monotonic() > deadline:
                    return

    def _send(self, connection: socket.socket, answers: bytes) -> bytes:
        """Send a piece of what waits, answers first where no block is half sent; return the answers that are left."""
        if answers and self._lines.between_blocks:
            return answers[connection.send(answers) :]
        self._lines.sent(connection.send(self._lines.next_bytes()))
        return answers

    def _answer(self, line: bytes) -> bytes:
        """Take in a line of Opossum's, whatever it is; return what is to be answered."""
        try:
            told = json.loads(line)
            kind = told.get("k")
            if kind == "ping":
                self._last_ping = time.monotonic()
                number, sent = told.get("id"), told.get("t")
                if not (_is_number(number) and _is_number(sent)):
                    return b""
                return b'{"k":"pong","id":%d,"t":%d,"g":%d}\n' % (number, sent, self._game_ns())
            if kind == "welcome":
                self._welcomed = True
                if not _is_number(told.get("kept")):
                    self._lines.counts = False
            elif kind == "kept":
                if _is_number(told.get("n")):
                    self._lines.kept(told["n"])
            elif kind == "refuse":
                self._refused = told.get("again") is not True
                self.trouble = f"Opossum refused: {_one_line(told.get('why'))}"
                if not self._refused:
                    raise ConnectionError(self.trouble)
            elif kind in ASKED and self._heard is not None:
                self._heard(told)
        except ConnectionError:
            raise
        except Exception:  # whatever it says, the link lives on
            return b""
        return b""


def _is_number(value: Any) -> bool:
    return type(value) is int and 0 <= value <= LARGEST_NUMBER


def _one_line(text: Any) -> str:
    """Return a text from outside as it may be shown in a terminal."""
    return "".join(character if character.isprintable() else "?" for character in str(text)[:200])
