"""A take: one recording of a game's run, in columns, with the indexes everything else asks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from opossum.stream.contents import PeerSpan, StreamContents
from opossum.stream.damage import Damage
from opossum.stream.strings import ABSENT_TEXT
from opossum.stream.tables import Array, Table
from opossum.take import flow, frames, lives, spans
from opossum.take.ids import Groups, IdIndex


@dataclass(eq=False)
class Take:
    """Tables by kind of record, and what can be derived from them.

    Everything derived is computed when first asked for and kept; `index()` asks for what every view needs.
    A take never changes once made, so its arrays may be shared between threads for reading.
    """

    tables: dict[str, Table]
    strings: list[str]
    peers: list[PeerSpan]
    damage: list[Damage] = field(default_factory=list)
    sources: list[tuple[str, int]] = field(default_factory=list)
    name: str = "take"
    growing: bool = False
    """The game still plays: what has not returned yet may well return."""

    @classmethod
    def from_contents(cls, contents: StreamContents, name: str) -> Take:
        """Make a take of what a stream reader read."""
        return cls(contents.tables, contents.strings, contents.peers, contents.damage, contents.sources, name)

    def index(self) -> None:
        """Compute the indexes that findings and views begin with. Cost: about 0.15 µs a record."""
        _ = self.sends, self.calls, self.objects, self.binds, self.calls_by_listener, self.calls_by_frame, self.children

    # --- words ---------------------------------------------------------------------------------

    def text(self, code: int) -> str:
        """Return the text of a string code, or an empty text where absent."""
        return self.strings[code] if 0 <= code < len(self.strings) else ""

    @cached_property
    def _codes(self) -> dict[str, int]:
        return {text: code for code, text in enumerate(self.strings)}

    def code(self, text: str) -> int:
        """Return the code of a text; one that no record has gives a code that none matches (-2)."""
        return self._codes.get(text, -2)

    # --- what the head says --------------------------------------------------------------------

    @cached_property
    def _head_rows(self) -> dict[int, int]:
        return {int(peer): row for row, peer in reversed(list(enumerate(self.tables["head"]["p"])))}

    def head_text(self, peer: int, field_name: str) -> str:
        """Return a text field of a peer's head, or an empty text."""
        row = self._head_rows.get(peer)
        return "" if row is None else self.text(int(self.tables["head"][field_name][row]))

    def head_list(self, peer: int, field_name: str) -> list[str]:
        """Return a list of names (`phases`, `waits`) of a peer's head."""
        row = self._head_rows.get(peer)
        return [] if row is None else frames.parsed_list(self.tables["head"].json(field_name)[row])

    def head_hz(self, peer: int) -> float | None:
        """Return the nominal frames a second of a peer, or None."""
        row = self._head_rows.get(peer)
        value = float("nan") if row is None else float(self.tables["head"]["hz"][row])
        return value if value > 0 else None

    @property
    def game(self) -> str:
        """Return the game's name as the first head gives it, or the take's name."""
        table = self.tables["head"]
        return (self.text(int(table["game"][0])) if len(table) else "") or self.name

    # --- sums ------------------------------------------------------------------------------------

    @property
    def records(self) -> int:
        """Return how many records there are."""
        return sum(len(table) for table in self.tables.values())

    @property
    def game_frames(self) -> int:
        """Return how many frames the game counted (start-up is none of them)."""
        return int((self.frames.number != frames.STARTUP).sum())

    @property
    def duration_ns(self) -> int:
        """Return the time from the first to the last record of any peer."""
        if not self.peers:
            return 0
        return max(span.last_t for span in self.peers) - min(span.first_t for span in self.peers)

    @property
    def nbytes(self) -> int:
        """Return the bytes of all columns and of the indexes computed so far (without strings)."""
        total = sum(table.nbytes for table in self.tables.values())
        for name in ("frames", "sends", "calls", "binds", "calls_by_listener", "calls_by_frame", "children"):
            held = self.__dict__.get(name)
            if held is not None:
                columns = held if isinstance(held, tuple) else vars(held).values()
                total += sum(value.nbytes for value in columns if isinstance(value, np.ndarray))
        return total

    def held_at_end(self, peer: int) -> bool:
        """Say whether a peer's stream ends while its game is held at a tripwire."""
        times = []
        for kind in ("held", "went"):
            table = self.tables[kind]
            times.append(np.asarray(table["line"], np.int64)[np.asarray(table["p"]) == peer])
        held, went = times
        return bool(len(held)) and (not len(went) or int(held.max()) > int(went.max()))

    def closed(self, peer: int) -> bool:
        """Say whether the peer's recorder was closed on purpose (`bye`)."""
        return bool((np.asarray(self.tables["bye"]["p"]) == peer).any())

    def line_in_source(self, line: int) -> tuple[str, int]:
        """Return (file, line within it) of a line number of the take."""
        name, first = self.sources[0] if self.sources else (self.name, 1)
        for other, start in self.sources:
            if start <= line:
                name, first = other, start
        return name, line - first + 1

    # --- ids -------------------------------------------------------------------------------------

    @cached_property
    def send_ids(self) -> IdIndex:
        """Rows of the `send` table by (peer, s)."""
        return flow.make_id_index(self, "send", "s")

    @cached_property
    def call_ids(self) -> IdIndex:
        """Rows of the `call` table by (peer, c)."""
        return flow.make_id_index(self, "call", "c")

    @cached_property
    def bind_ids(self) -> IdIndex:
        """Rows of the `bind` table by (peer, b)."""
        return flow.make_id_index(self, "bind", "b")

    @cached_property
    def arm_ids(self) -> IdIndex:
        """Rows of the `arm` table by (peer, a)."""
        return flow.make_id_index(self, "arm", "a")

    @cached_property
    def play_ids(self) -> IdIndex:
        """Rows of the `play` table by (peer, y)."""
        return flow.make_id_index(self, "play", "y")

    @cached_property
    def wait_ids(self) -> IdIndex:
        """Rows of the `wait` table by (peer, w)."""
        return flow.make_id_index(self, "wait", "w")

    # --- indexes ---------------------------------------------------------------------------------

    @cached_property
    def frames(self) -> frames.Frames:
        """The frames of all peers."""
        return frames.make_frames(self)

    @cached_property
    def sends(self) -> flow.Sends:
        """Frame and cause of every send."""
        return flow.make_sends(self)

    @cached_property
    def _calls_and_listeners(self) -> tuple[flow.Calls, flow.Listeners]:
        return flow.make_calls(self)

    @cached_property
    def calls(self) -> flow.Calls:
        """Every call joined with its send, bind, return, frame and cause."""
        return self._calls_and_listeners[0]

    @cached_property
    def listeners(self) -> flow.Listeners:
        """Every distinct (peer, owner, function, event) that was called."""
        return self._calls_and_listeners[1]

    @cached_property
    def calls_by_listener(self) -> Groups:
        """Rows of calls by listener number."""
        return Groups(self.calls.listener, len(self.listeners))

    @cached_property
    def calls_by_frame(self) -> Groups:
        """Rows of calls by frame row."""
        return Groups(self.calls.frame, len(self.frames))

    @cached_property
    def children(self) -> Groups:
        """Rows of calls by the call that caused them."""
        return flow.make_children(self)

    @cached_property
    def objects(self) -> lives.ObjectLives:
        """Lives of objects."""
        return lives.ObjectLives(self)

    @cached_property
    def binds(self) -> lives.Binds:
        """Lives of listeners."""
        return lives.make_binds(self)

    @cached_property
    def arms(self) -> spans.Arms:
        """Ends and firings of timers and delays."""
        return spans.make_arms(self)

    @cached_property
    def plays(self) -> spans.Plays:
        """Ends and marks of clips."""
        return spans.make_plays(self)

    @cached_property
    def waits(self) -> spans.Waits:
        """Ends of waits."""
        return spans.make_waits(self)

    @cached_property
    def queues(self) -> spans.Queues:
        """What went through queues."""
        return spans.make_queues(self)

    @cached_property
    def owner_gone(self) -> Array:
        """Boolean (calls,): the call's owner was gone when it ran (known from `spawn` and `gone`)."""
        table = self.tables["call"]
        owners = np.asarray(self.listeners.owner)[self.calls.listener] if len(table) else np.zeros(0, np.int64)
        flags = np.zeros(len(table), bool)
        mortal = np.zeros(len(self.strings) + 1, bool)
        mortal[np.asarray(self.tables["gone"]["o"], np.int64)] = True
        asked = np.flatnonzero(mortal[owners] & (owners >= 0))
        if len(asked):
            state = self.objects.state_at(
                np.asarray(table["p"])[asked], owners[asked], np.asarray(table["line"])[asked]
            )
            flags[asked] = state == lives.GONE
        return flags

    # --- small questions ---------------------------------------------------------------------------

    def class_of(self, owner: int) -> str:
        """Return the class of an object code: as its spawn said, else the name before ``#``."""
        if owner < 0:
            return ""
        known = int(self.objects.class_of(np.array([owner]))[0])
        return self.text(known) if known != ABSENT_TEXT else self.text(owner).partition("#")[0]

    def event_of_call(self, call: int) -> str:
        """Return the event that made a call."""
        return self.text(int(self.calls.event[call]))

    def owner_of_call(self, call: int) -> str:
        """Return the owner of the listener that was called."""
        return self.text(int(self.listeners.owner[self.calls.listener[call]]))

    def function_of_call(self, call: int) -> str:
        """Return the function that was called."""
        return self.text(int(self.listeners.function[self.calls.listener[call]]))

    def frame_numbers(self, rows: Sequence[int] | Array) -> list[int]:
        """Return the game's own numbers of frame rows, ascending and without repetition; start-up has none."""
        rows = np.unique(np.asarray(rows, np.int64))
        numbers = np.unique(self.frames.number[rows[rows >= 0]])
        return numbers[numbers != frames.STARTUP].tolist()

    def via_of_send(self, send: int) -> str:
        """Return how a send came about; `direct` where the record does not say."""
        return (self.text(int(self.tables["send"]["via"][send])) if send >= 0 else "") or "direct"
