"""What is said on a link, without any socket: heads are judged, lines are named, clocks are compared.

Fed lines, it answers lines; so one implementation serves the receiver, and tests need no network.
"""

from __future__ import annotations

import hmac
from dataclasses import dataclass, field
from typing import Any, NamedTuple, TypeGuard

import msgspec

from opossum.stream.damage import DamageLog
from opossum.stream.decoding import decode_each
from opossum.stream.kinds import KINDS, STREAM_VERSION
from opossum.stream.limits import MOST_RECORDS, WRITTEN_TIME

MOST_PINGS = 8
"""Questions for the clock whose answers are still waited for."""
CLOCK_SLACK_NS = 5_000_000_000
LONGEST_ON_THE_WAY_NS = 24 * 3_600_000_000_000
"""A record that was made so much later than it came, or longer before, shows that the game's clock is told wrongly."""

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


def _is_damage(line: bytes) -> bool:
    """Say whether whoever reads the stream finds no record in a line: kept as it is, it is told of with its place and reason."""
    return not decode_each([line], 1, DamageLog())[0]


def _is_count(value: object) -> TypeGuard[int]:
    return type(value) is int and 0 <= value <= MOST_RECORDS


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
        if not WRITTEN_TIME.hold(game_ns):
            return
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
    run: str = ""
    """What the game calls this run of its recorder; it comes back under it."""
    taken: int = 0
    """How many of its lines came, the head and what is no record of its own not counted."""
    missed: int = 0
    """How many never came, over links that broke."""
    latest_t: int = 0
    latest_came_ns: int = 0
    """The game's time of the latest record, and ours when it came."""
    _already: int = 0
    """How many of the lines that come next are here already."""
    _pinged: int = 0
    _pings: dict[int, int] = field(default_factory=dict)
    """Questions for the clock that are not answered: number → our time."""
    _wanted: str = ""
    """The name it gave itself, which may have been taken."""
    kept_before_refusal: list[bytes] = field(default_factory=list)

    def greeted(self, line: bytes) -> dict[str, Any]:
        """Return what a game says in its first line, without the token.

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
        return head

    def accept(self, line: bytes) -> bytes:
        """Return the head to keep; see `greeted` for whom is refused."""
        return self.begin(self.greeted(line))

    def begin(self, head: dict[str, Any]) -> bytes:
        """Begin with a new peer; return its head to keep, and what is to be said of what came before it."""
        run, first = head.pop("run", ""), head.pop("from", 0)
        self.run = run if isinstance(run, str) else ""
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
        before = b""
        if self.run and _is_count(first) and first:
            self.taken = first
            text = f"Opossum: the first {first:,} records of this game are not in this recording"
            before = self._said({"k": "say", "t": 0, "text": text, "level": "warning"})
        return msgspec.json.encode(head) + b"\n" + before

    def came_back(self, head: dict[str, Any]) -> bytes:
        """Go on with a peer whose link was made anew; return what is to be kept of that: how many of its lines never came."""
        said = head.get("from")
        first: int = said if _is_count(said) else self.taken
        missing, self._already = max(0, first - self.taken), max(0, self.taken - first)
        self.taken += missing
        self.held, self._pings = None, {}
        self.missed += missing
        return self._said({"k": "lost", "t": self.latest_t, "n": missing}) if missing else b""

    def _said(self, record: dict[str, Any]) -> bytes:
        return msgspec.json.encode(record | {"p": self.name}) + b"\n"

    def ping(self, now_ns: int) -> bytes:
        """Return the next question for the game's clock, which also says how many of its lines are kept."""
        self._pinged += 1
        self._pings[self._pinged] = now_ns
        self._pings.pop(self._pinged - MOST_PINGS, None)
        return msgspec.json.encode({"k": "ping", "id": self._pinged, "t": now_ns}) + b"\n"

    def kept_line(self) -> bytes:
        """Return the line that says how many of the game's lines are kept."""
        return msgspec.json.encode({"k": "kept", "n": self.taken}) + b"\n"

    def clock_is_believable(self) -> bool:
        """Say whether the game's clock, as it told it, agrees with the records it sent: none was made after it came, nor long before."""
        if self.clock.error_ns is None or not self.latest_came_ns:
            return self.clock.error_ns is not None
        made = self.latest_t - self.clock.offset_ns
        late = self.latest_came_ns - made
        return -CLOCK_SLACK_NS - self.clock.error_ns <= late <= LONGEST_ON_THE_WAY_NS

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
            if self._came_before():
                return None
            self._count_rubbish()
            return line + b"\n" if _is_damage(line) else None
        if record.k == "pong":
            # only what was asked is answered: whoever makes exchanges up sets no clock
            if record.g is not None and record.id in self._pings and self._pings[record.id] == record.t:
                self.clock.take(self._pings.pop(record.id), now_ns, record.g)
            return None
        if self._came_before():
            return None
        if record.k == "head" or record.p not in (None, self.name, self._wanted):
            self._count_rubbish()  # nobody speaks for another peer
            return None
        if record.k not in KINDS:
            self._count_rubbish()
            return line + b"\n" if _is_damage(line) else None
        self.records += 1
        if record.t is not None and WRITTEN_TIME.hold(record.t):
            self.latest_t, self.latest_came_ns = record.t, now_ns
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
        records, latest = 0, None
        for line in lines:
            try:
                record = None if self._already else decode(line)
            except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
                record = None
            if record is not None and record.k in plain and record.p is None and line[-1] == _CLOSING:
                records += 1
                latest = record.t
                kept.append(line[:-1] + suffix)
            elif (other := self.line(line, now_ns)) is not None:
                kept.append(other)
        self.records += records
        self.taken += records
        if latest is not None and WRITTEN_TIME.hold(latest):
            self.latest_t, self.latest_came_ns = latest, now_ns
        return kept

    def _came_before(self) -> bool:
        """Count one line; say whether it came already, over a link that broke."""
        if self._already:
            self._already -= 1
            return True
        self.taken += 1
        return False

    def _count_rubbish(self) -> None:
        self.rubbish += 1
        if self.rubbish > MOST_RUBBISH:
            raise Refused(f"more than {MOST_RUBBISH} lines were no records")
