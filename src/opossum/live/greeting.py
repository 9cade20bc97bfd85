"""What is said on a link, without any socket: heads are judged, lines are named, clocks are compared.

Fed lines, it answers lines; so one implementation serves the receiver, and tests need no network.
"""

from __future__ import annotations

import hmac
from dataclasses import dataclass, field
from typing import NamedTuple

import msgspec

from opossum.stream.kinds import KINDS, STREAM_VERSION

MOST_RUBBISH = 200
"""Lines that are no records before a peer is shown the door."""


class _Line(msgspec.Struct):
    k: str
    p: str | None = None
    id: int | None = None
    t: int | None = None
    g: int | None = None
    trip: int | None = None
    c: int | None = None


_decoder = msgspec.json.Decoder(_Line)
_PLAIN_KINDS = frozenset(KINDS) - {"head", "held", "went", "bye"}
_CLOSING = ord("}")


class Held(NamedTuple):
    """A game is held: at which tripwire (0: none, it was asked to) and in which call (0: between calls)."""

    trip: int
    call: int


class Refused(ConnectionError):  # noqa: N818 - said of the one who is
    """The other side may not go on; `why` is one sentence for its log."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


@dataclass
class ClockOffset:
    """How a game's clock stands to ours: game = ours + `offset_ns`, give or take `error_ns`.

    Of all exchanges the one that came back soonest counts: its error is half its way there and back (Cristian,
    "Probabilistic clock synchronization", 1989).
    """

    offset_ns: int = 0
    error_ns: int | None = None

    def take(self, sent_ns: int, received_ns: int, game_ns: int) -> None:
        """Take in one exchange: when our ping left, when its pong came, and the game's clock in between."""
        error = (received_ns - sent_ns) // 2
        if error >= 0 and (self.error_ns is None or error <= self.error_ns):
            self.offset_ns, self.error_ns = game_ns - (sent_ns + received_ns) // 2, error


@dataclass
class PeerLink:
    """One game's side of the talk: first its head, then its lines.

    `name` is set once its head was accepted; lines it returns are whole records that say their peer.
    """

    token: str = ""
    taken_names: set[str] = field(default_factory=set)
    name: str = ""
    game: str = ""
    records: int = 0
    rubbish: int = 0
    closed: bool = False
    holds: bool = False
    held: Held | None = None
    clock: ClockOffset = field(default_factory=ClockOffset)
    _wanted: str = ""
    """The name it gave itself, which may have been taken."""
    kept_before_refusal: list[bytes] = field(default_factory=list)

    def accept(self, line: bytes) -> bytes:
        """Return the head to keep (without its token).

        Raises:
            Refused: it is no head of ours, or the token is not the one that is demanded.
        """
        try:
            head = msgspec.json.decode(line)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
            head = None
        if not isinstance(head, dict) or head.get("k") != "head":
            raise Refused("the first line must be a `head` of an event-flow stream")
        if head.get("opossum") != STREAM_VERSION:
            raise Refused(f"this Opossum speaks version {STREAM_VERSION} of the stream")
        given = head.pop("token", "")
        if self.token and not hmac.compare_digest(str(given).encode(), self.token.encode()):
            raise Refused("the token is missing or wrong; start the game with the token `opossum listen` was given")
        wanted = str(head.get("peer") or "main")[:80]
        name, number = wanted, 2
        while name in self.taken_names:
            name, number = f"{wanted} ({number})", number + 1
        self.taken_names.add(name)
        self._wanted = wanted
        self.name, self.game = name, str(head.get("game") or "")[:200]
        head["peer"] = head["p"] = name
        self.holds = head.get("holds") is True
        self.records = 1
        return msgspec.json.encode(head) + b"\n"

    def line(self, line: bytes, now_ns: int) -> bytes | None:
        """Return a record's line to keep, or None for what is only talk or rubbish.

        Raises:
            Refused: too much of it was rubbish.
        """
        line = line.strip()
        if not line:
            return None
        try:
            record = _decoder.decode(line)
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
            self._count_rubbish()
            return None
        if record.k == "pong":
            if record.t is not None and record.g is not None:
                self.clock.take(record.t, now_ns, record.g)
            return None
        if record.k not in KINDS or record.k == "head" or record.p not in (None, self.name, self._wanted):
            self._count_rubbish()  # nobody speaks for another peer
            return None
        self.records += 1
        if record.k == "held":
            self.held = Held(record.trip or 0, record.c or 0)
        elif record.k == "went":
            self.held = None
        self.closed |= record.k == "bye"
        if record.p == self.name:
            return line + b"\n"
        # what comes last counts, also where the record says its peer already, or says it twice
        return line[:-1] + b',"p":' + msgspec.json.encode(self.name) + b"}\n"

    def chunk(self, lines: list[bytes], now_ns: int) -> list[bytes]:
        """Return what is to be kept of many lines at once, as `line` would one by one.

        Raises:
            Refused: too much of them was rubbish; what was good before that is kept in `kept_before_refusal`.
        """
        kept: list[bytes] = []
        self.kept_before_refusal = kept
        decode, plain = _decoder.decode, _PLAIN_KINDS
        suffix = b',"p":' + msgspec.json.encode(self.name) + b"}\n"
        records = 0
        for line in lines:
            try:
                record = decode(line)
            except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
                record = None
            if record is not None and record.k in plain and record.p is None and line[-1] == _CLOSING:
                records += 1
                kept.append(line[:-1] + suffix)
            elif (other := self.line(line, now_ns)) is not None:
                kept.append(other)
        self.records += records
        return kept

    def _count_rubbish(self) -> None:
        self.rubbish += 1
        if self.rubbish > MOST_RUBBISH:
            raise Refused(f"more than {MOST_RUBBISH} lines were no records")
