"""The receiver: takes games' streams by TCP and puts every line on disk at once.

All peers go into one stream file, each line with its peer's name, so that whatever reads streams can read it,
also while it grows.  Runs on a thread of its own; every bound has a refusal that says why.
"""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress
import os
import threading
import time
from collections.abc import Callable
from pathlib import Path

import msgspec

from opossum.live.greeting import PeerLink, Refused
from opossum.live.heard_out import serve_heard_out
from opossum.live.peers import Peer, PeerState, ping, refuse
from opossum.live.stream_file import StreamFile
from opossum.live.tripwires import Tripwire
from opossum.stream.kinds import STREAM_VERSION

DEFAULT_PORT = 47533
LONGEST_LINE = 1 << 20
CHUNK_BYTES = 1 << 18
MOST_PEERS = 16
MOST_BYTES_A_SECOND = 256 << 20
HEAD_WITHIN_S = 10.0
SILENT_S = 30.0
"""Who has said nothing for so long, and answered no ping, gives its place to another game that wants one."""
MOST_STRANGERS = 64
"""Connections that have not said who they are."""
KEPT_TOLD_BYTES = 1 << 20
"""How often, at least, a game is told how many of its lines are kept."""
HEARING_OUT_S, QUIET_S = 0.4, 0.05
"""How long stopping may take to read what has been sent, and how long nothing must come for it to be all."""


class ReceiveError(OSError):
    """Listening cannot begin; the message says why and what to do."""


def is_loopback(host: str) -> bool:
    """Say whether only this machine can reach a host's address."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


class Receiver:
    """Listens from `start` to `stop`; `peers` may be asked from any thread."""

    def __init__(
        self, out: str | os.PathLike[str], host: str = "127.0.0.1", port: int = DEFAULT_PORT, token: str = ""
    ) -> None:
        """Prepare to write to the stream file `out`.

        Raises:
            ReceiveError: `host` can be reached from other machines and no token was given.
        """
        if not is_loopback(host) and not token:
            raise ReceiveError(f"other machines can reach {host}, so a token is needed; give one with --token-file")
        self.out = Path(out)
        self._file = StreamFile(self.out)
        self.host, self.port = host, port
        self._token = token
        self._peers: list[Peer] = []
        self._names: set[str] = set()
        self._wires: dict[int, Tripwire] = {}
        self._next_wire = 1
        self._watched: dict[int, tuple[str, str]] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._stopping: asyncio.Event | None = None
        self._ready = threading.Event()
        self._failed = ""
        self._strangers = 0
        self.refusals: list[str] = []
        """Why peers were refused, in order (the last hundred)."""

    def start(self) -> None:
        """Begin to listen; returns when peers can connect.

        Raises:
            ReceiveError: the port is taken, or the file cannot be written.
        """
        self._thread = threading.Thread(target=self._run, name="opossum-receiver", daemon=True)
        self._thread.start()
        self._ready.wait(10)
        if self._failed:
            self._thread.join(1)
            raise ReceiveError(self._failed)

    def stop(self) -> None:
        """Stop listening, close all connections and the file."""
        if self._loop is not None and self._stopping is not None:
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._stopping.set)
        self._thread.join(5)

    @property
    def peers(self) -> list[PeerState]:
        """Return what is known of every peer so far, gone ones too."""
        now = time.monotonic()
        return [peer.state(now) for peer in list(self._peers)]

    def shifts(self) -> dict[str, tuple[int, int]]:
        """Return what sets each peer's clock against the first one's: name → (ns to add, error in ns; -1: not known)."""
        peers = [peer for peer in self.peers if peer.error_ns is not None and peer.clock_is_believable]
        if len(peers) < 2:
            return {}
        first = peers[0]
        return {
            peer.name: (first.offset_ns - peer.offset_ns, (peer.error_ns or 0) + (first.error_ns or 0))
            for peer in peers[1:]
        }

    @property
    def trouble(self) -> str:
        """Return why nothing more can be written; empty while all is well."""
        return self._file.trouble

    # --- holding ---------------------------------------------------------------------------------

    @property
    def tripwires(self) -> dict[int, Tripwire]:
        """Return the tripwires that are set, by number."""
        return dict(self._wires)

    def trip(self, wire: Tripwire) -> int:
        """Set a tripwire in every game that can be held, now or once it comes; return its number."""
        number, self._next_wire = self._next_wire, self._next_wire + 1
        self._wires = self._wires | {number: wire}

        def say() -> None:
            for peer in self._peers:
                self._tell_wire(peer, number, wire)

        self._soon(say)
        return number

    def untrip(self, number: int) -> None:
        """Take a tripwire away."""
        self._wires = {other: wire for other, wire in self._wires.items() if other != number}
        self.tell({"k": "untrip", "id": number})

    @property
    def watched(self) -> dict[int, tuple[str, str]]:
        """Return the (object, attribute) that games are asked to tell of at each frame's end, by number."""
        return dict(self._watched)

    def watch(self, o: str, name: str) -> int:
        """Ask every game that can be held for an attribute of an object, now or once it comes; return its number."""
        number, self._next_wire = self._next_wire, self._next_wire + 1
        self._watched = self._watched | {number: (o, name)}
        self.tell({"k": "watch", "id": number, "o": o, "name": name})
        return number

    def unwatch(self, number: int) -> None:
        """Ask for an attribute no more."""
        self._watched = {other: asked for other, asked in self._watched.items() if other != number}
        self.tell({"k": "unwatch", "id": number})

    def hold(self) -> None:
        """Hold every game at its next call or frame."""
        self.tell({"k": "hold"})

    def go(self) -> None:
        """Let every held game go on."""
        self.tell({"k": "go"})

    def step(self, by: str) -> None:
        """Let held games go on to their next ``call`` or ``frame``."""
        self.tell({"k": "step", "by": by}, held_only=True)

    def tell(self, message: dict[str, object], held_only: bool = False) -> None:
        """Say something to every connected game that can be held."""

        def say() -> None:
            for peer in self._peers:
                if not held_only or peer.link.held is not None:
                    peer.tell(message)

        self._soon(say)

    def _tell_wire(self, peer: Peer, number: int, wire: Tripwire) -> None:
        if wire.peer in ("", peer.link.name):
            peer.tell({"k": "trip", "id": number, "when": wire.when})

    def _soon(self, action: Callable[[], object]) -> None:
        """Do something on the receiver's thread."""
        if self._loop is not None:
            with contextlib.suppress(RuntimeError):  # it has stopped
                self._loop.call_soon_threadsafe(action)

    # --- on the receiver's thread ------------------------------------------------------------------

    def _run(self) -> None:
        try:
            asyncio.run(self._serve())
        except OSError as error:
            self._failed = f"{self.host}:{self.port}: cannot listen ({error.strerror or error}); is another Opossum listening there?"
        finally:
            self._file.close()
            self._ready.set()

    async def _serve(self) -> None:
        self._loop, self._stopping = asyncio.get_running_loop(), asyncio.Event()
        # the port first: a receiver that cannot begin leaves no file behind
        server = await serve_heard_out(self._meet, self.host, self.port, LONGEST_LINE)
        async with server:
            try:
                self._file.open()
            except OSError as error:
                self._failed = f"{self.out}: cannot be written ({error.strerror or error})"
                return
            await server.start_serving()
            self.port = server.sockets[0].getsockname()[1]
            self._ready.set()
            await self._stopping.wait()
            await self._hear_out()
            # before the server is left: newer Pythons wait there until every connection has ended
            for task in asyncio.all_tasks() - {asyncio.current_task()}:
                task.cancel()

    async def _hear_out(self) -> None:
        """Read what games have sent already, for a bounded time: they think that it has arrived."""
        deadline, seen = time.monotonic() + HEARING_OUT_S, -1
        while seen != self._file.bytes and time.monotonic() < deadline:
            seen = self._file.bytes
            await asyncio.sleep(QUIET_S)

    async def _meet(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        peer: Peer | None = None
        pinging: asyncio.Task[None] | None = None
        self._strangers += 1
        try:
            try:
                peer = await self._welcomed(reader, writer)
            finally:
                self._strangers -= 1
            pinging = asyncio.create_task(ping(peer))
            await self._listen_to(peer, reader, writer)
        except Refused as refused:
            self.refusals = [*self.refusals[-99:], refused.why]
            await refuse(reader, writer, refused.why)
        except asyncio.IncompleteReadError:
            if peer is not None and peer.writer is writer:  # it has said all; it may want to hear that we have it
                writer.write(peer.link.kept_line())
        except (OSError, TimeoutError, asyncio.CancelledError):
            pass  # it went away, or we did; what it said so far is kept
        except Exception as error:  # what nobody foresaw ends one connection, and nothing else
            why = f"what it said could not be taken in ({type(error).__name__}): please report this"
            self.refusals = [*self.refusals[-99:], why]
            await refuse(reader, writer, why)
        finally:
            if pinging is not None:
                pinging.cancel()
            if peer is not None and peer.writer is writer:
                peer.connected = False
            with contextlib.suppress(OSError, TimeoutError, asyncio.CancelledError):
                await asyncio.wait_for(writer.drain(), 1)
            writer.close()

    async def _welcomed(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> Peer:
        """Return the peer that a connection's first line is of: a new one, or one that comes back.

        Raises:
            Refused: it may not come in.
        """
        if self._strangers > MOST_STRANGERS:
            raise Refused(f"{MOST_STRANGERS} others have connected and not said who they are")
        link = PeerLink(self._token, self._names)
        try:
            head = link.greeted(await asyncio.wait_for(self._line(reader), HEAD_WITHIN_S))
        except TimeoutError:
            raise Refused(f"no `head` came within {HEAD_WITHIN_S:g} s") from None
        run = head.get("run")
        peer = next((other for other in self._peers if run and other.link.run == run), None)
        if peer is not None:
            if peer.connected:  # over a link that is dead, and does not know it yet
                peer.writer.transport.abort()
            else:
                await self._make_room()
            self._file.keep(peer.link.came_back(head))
            peer.writer, peer.connected, peer.last_line = writer, True, time.monotonic()
        else:
            await self._make_room()
            self._file.keep(link.begin(head))
            peer = Peer(link, writer)
            self._peers.append(peer)
        writer.write(msgspec.json.encode({"k": "welcome", "opossum": STREAM_VERSION, "kept": peer.link.taken}) + b"\n")
        for number, wire in self._wires.items():
            self._tell_wire(peer, number, wire)
        for number, (o, name) in self._watched.items():
            peer.tell({"k": "watch", "id": number, "o": o, "name": name})
        return peer

    async def _make_room(self) -> None:
        """See that one more may connect: of too many, the one that has been silent for longest gives its place back.

        Raises:
            Refused: all of them are at play.
        """
        connected = [other for other in self._peers if other.connected]
        if len(connected) < MOST_PEERS:
            return
        silent = min(connected, key=lambda other: other.last_line)
        if time.monotonic() - silent.last_line < SILENT_S:
            raise Refused(f"{MOST_PEERS} games are connected already")
        silent.connected = False
        why = f"it was silent for {SILENT_S:g} s, and another game wanted its place"
        self.refusals = [*self.refusals[-99:], f"{silent.link.name}: {why}"]
        silent.writer.write(msgspec.json.encode({"k": "refuse", "why": why, "again": True}) + b"\n")
        silent.writer.close()

    async def _line(self, reader: asyncio.StreamReader) -> bytes:
        try:
            line = await reader.readuntil(b"\n")
        except asyncio.LimitOverrunError:
            raise Refused(f"a line is longer than {LONGEST_LINE >> 20} MiB") from None
        return line

    async def _listen_to(self, peer: Peer, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        second, taken, rest, untold = time.monotonic(), 0, b"", 0
        while peer.writer is writer:
            data = await reader.read(CHUNK_BYTES)
            if not data:
                raise asyncio.IncompleteReadError(rest, None)
            peer.last_line = now = time.monotonic()
            taken += len(data)
            if now - second >= 1:
                second, taken = now, len(data)
            if taken > MOST_BYTES_A_SECOND:
                raise Refused(f"more than {MOST_BYTES_A_SECOND >> 20} MiB came in a second")
            *lines, rest = (rest + data).split(b"\n")
            if len(rest) > LONGEST_LINE or any(len(line) > LONGEST_LINE for line in lines):
                raise Refused(f"a line is longer than {LONGEST_LINE >> 20} MiB")
            try:
                kept = peer.link.chunk(lines, time.monotonic_ns())
            except Refused:
                self._file.keep(b"".join(peer.link.kept_before_refusal))
                raise
            self._file.keep(b"".join(kept))
            untold += len(data)
            if untold >= KEPT_TOLD_BYTES and peer.link.run:
                untold = 0
                writer.write(peer.link.kept_line())
