"""A take: one recording of a game's run, in columns, with the indexes everything else asks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from opossum.stream.contents import PeerSpan, StreamContents
from opossum.stream.damage import Damage
from opossum.stream.strings import ABSENT_TEXT, UNNAMED
from opossum.stream.tables import Array, JsonColumn, Table
from opossum.take.grouping import distinct
from opossum.take.index import Index
from opossum.take.indexes.arms import ARMS
from opossum.take.indexes.binds import BINDS
from opossum.take.indexes.callers import callers
from opossum.take.indexes.calls import CALLS, CALLS_BY_FRAME, CALLS_BY_LISTENER, CHILDREN, LISTENERS
from opossum.take.indexes.causes import CAUSES
from opossum.take.indexes.clocks import CLOCKS
from opossum.take.indexes.frames import FRAMES, STARTUP
from opossum.take.indexes.holds import HOLDS
from opossum.take.indexes.identities import ARM_IDS, BIND_IDS, CALL_IDS, PLAY_IDS, SEND_IDS, WAIT_IDS
from opossum.take.indexes.marks import MARKS
from opossum.take.indexes.objects import OBJECTS
from opossum.take.indexes.owner_gone import OWNER_GONE
from opossum.take.indexes.phases import PHASE_OF_CALL
from opossum.take.indexes.plays import PLAYS
from opossum.take.indexes.queue_waits import QUEUE_WAITS
from opossum.take.indexes.queues import QUEUES
from opossum.take.indexes.sends import SENDS
from opossum.take.indexes.told_time import TOLD_TIME
from opossum.take.indexes.waits import WAITS
from opossum.take.indexes.zones import VISITOR_OF_SEND
from opossum.take.recording import Recording


class Take:
    """A recording and what can be derived from it.

    Everything derived is computed when first asked for and kept; `index()` asks for what every view needs.
    A take never changes once made, so its arrays may be shared between threads for reading.
    """

    # one line an index; see `Index` for what follows from it
    send_ids = SEND_IDS
    call_ids = CALL_IDS
    bind_ids = BIND_IDS
    arm_ids = ARM_IDS
    play_ids = PLAY_IDS
    wait_ids = WAIT_IDS
    holds = HOLDS
    frames = FRAMES
    sends = SENDS
    calls = CALLS
    listeners = LISTENERS
    calls_by_listener = CALLS_BY_LISTENER
    calls_by_frame = CALLS_BY_FRAME
    children = CHILDREN
    objects = OBJECTS
    binds = BINDS
    arms = ARMS
    plays = PLAYS
    waits = WAITS
    queues = QUEUES
    queue_waits = QUEUE_WAITS
    marks = MARKS
    told_time = TOLD_TIME
    clocks = CLOCKS
    causes = CAUSES
    owner_gone = OWNER_GONE
    phase_of_call = PHASE_OF_CALL
    visitor_of_send = VISITOR_OF_SEND

    def __init__(self, recording: Recording, name: str = "take") -> None:
        self.recording = recording
        self.name = name
        # asked for all the time, so each is one look-up
        self.tables: dict[str, Table] = recording.tables
        self.strings: list[str] = recording.strings
        self.peers: list[PeerSpan] = recording.peers
        self.text = recording.text
        self.code = recording.code

    @classmethod
    def from_contents(cls, contents: StreamContents, name: str) -> Take:
        """Make a take of what a stream reader read."""
        return cls(
            Recording(contents.tables, contents.strings, contents.peers, contents.damage, contents.sources), name
        )

    @classmethod
    def indexes(cls) -> list[Index[Any]]:
        """Return all indexes that are registered, those that others need before them."""
        return [index for index in vars(cls).values() if isinstance(index, Index)]

    def index(self) -> None:
        """Compute the indexes that findings and views begin with. Cost: about 0.15 µs a record."""
        for index in self.indexes():
            if index.first:
                getattr(self, index.name)

    def built(self) -> dict[str, Any]:
        """Return the indexes computed so far, by name."""
        return {index.name: self.__dict__[index.name] for index in self.indexes() if index.name in self.__dict__}

    # --- what was recorded ---------------------------------------------------------------------

    @property
    def damage(self) -> list[Damage]:
        """Return what was wrong with the stream."""
        return self.recording.damage

    @property
    def sources(self) -> list[tuple[str, int]]:
        """Return the files it was read from, each with its first line."""
        return self.recording.sources

    @property
    def game(self) -> str:
        """Return the game's name as the first head gives it, or the take's name."""
        table = self.tables["head"]
        return (self.text(int(table["game"][0])) if len(table) else "") or self.name

    def line_in_source(self, line: int) -> tuple[str, int]:
        """Return (file, line within it) of a line number of the take."""
        name, first = self.sources[0] if self.sources else (self.name, 1)
        for other, start in self.sources:
            if start <= line:
                name, first = other, start
        return name, line - first + 1

    # --- sums ------------------------------------------------------------------------------------

    @property
    def records(self) -> int:
        """Return how many records there are."""
        return self.recording.records

    @property
    def game_frames(self) -> int:
        """Return how many frames the game counted, all peers of it (start-up is none of them)."""
        return sum(map(self.frames_of_peer, range(len(self.peers))))

    def frames_of_peer(self, peer: int) -> int:
        """Return how many frames a peer counted."""
        return int((self.frames.number[self.frames.of_peer(peer)] != STARTUP).sum())

    def callers_of(self, kind: str) -> Array:
        """Return int32 (records,): the call that each record of a kind was written in, -1 where in none; see `callers`."""
        return callers(self.recording, kind, self.frames, self.call_ids, self.calls.ret)

    @property
    def duration_ns(self) -> int:
        """Return the time from the first to the last record of any peer."""
        if not self.peers:
            return 0
        return max(span.last_t for span in self.peers) - min(span.first_t for span in self.peers)

    @property
    def nbytes(self) -> int:
        """Return the bytes of all columns and of the indexes computed so far, each once (without strings)."""
        counted: dict[int, int] = {}
        for held in (*(table.columns for table in self.tables.values()), self.built()):
            for memory, size in _memory_of(held):
                counted[memory] = max(counted.get(memory, 0), size)
        return sum(counted.values())

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
        """Return the owner of the listener that was called, in a word also where no record tells it."""
        return self.text(int(self.listeners.owner[self.calls.listener[call]])) or UNNAMED

    def function_of_call(self, call: int) -> str:
        """Return the function that was called, in a word also where no record tells it."""
        return self.function_of_listener(int(self.calls.listener[call]))

    def function_of_listener(self, listener: int) -> str:
        """Return a listener's function, in a word also where no record tells it."""
        return self.text(int(self.listeners.function[listener])) or UNNAMED

    def owner_of_bind(self, bind: int) -> str:
        """Return the owner of a bind (row), in a word also where no record tells it."""
        return self.text(int(self.tables["bind"]["o"][bind])) or UNNAMED

    def function_of_bind(self, bind: int) -> str:
        """Return the function of a bind (row), in a word also where no record tells it."""
        return self.text(int(self.tables["bind"]["fn"][bind])) or UNNAMED

    def frame_numbers(self, rows: Sequence[int] | Array) -> list[int]:
        """Return the game's own numbers of frame rows, ascending and without repetition; start-up has none."""
        rows = distinct(np.asarray(rows, np.int64))
        numbers = distinct(self.frames.number[rows[rows >= 0]])
        return numbers[numbers != STARTUP].tolist()

    def via_of_send(self, send: int) -> str:
        """Return how a send came about; `direct` where the record does not say."""
        return (self.text(int(self.tables["send"]["via"][send])) if send >= 0 else "") or "direct"


def _memory_of(held: Any) -> Iterator[tuple[int, int]]:
    """Yield (place in memory, bytes) of every array within a value, however deep; a view stands for what it shows."""
    if isinstance(held, np.ndarray):
        whole = held
        while isinstance(whole.base, np.ndarray):
            whole = whole.base
        if held.strides != (0,):
            yield whole.__array_interface__["data"][0], whole.nbytes
    elif isinstance(held, JsonColumn):
        if held.data:
            yield id(held.data), len(held.data)
            yield from _memory_of(held.offsets)
    elif isinstance(held, dict):
        for item in held.values():
            yield from _memory_of(item)
    elif isinstance(held, list | tuple):
        for item in held:
            yield from _memory_of(item)
    elif hasattr(held, "__dict__"):
        yield from _memory_of(vars(held))
