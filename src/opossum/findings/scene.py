"""What every kind of finding asks of a take, computed once: the scene of the crime."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

import numpy as np

from opossum.findings.finding import Evidence, Subject
from opossum.findings.settings import Settings, Threshold
from opossum.stream.strings import UNNAMED
from opossum.stream.tables import Array
from opossum.take.chains import top_calls
from opossum.take.grouping import Groups, distinct, factorised, parted
from opossum.take.sieve import frame_budget_ns
from opossum.take.take import Take
from opossum.take.whose import listeners_of_one

MOST_EVIDENCE = 12
"""Records listed as proof of one finding: enough to check it, few enough to read."""

Answer = TypeVar("Answer")


@dataclass(eq=False, repr=False)
class Scene:
    """A take under examination, with the arrays several kinds need.

    `playing`: the game still plays, so what has not returned yet may well return.
    """

    take: Take
    settings: Settings = field(default_factory=Settings)
    playing: bool = False
    _known: dict[Any, Any] = field(default_factory=dict)

    def once(self, ask: Callable[[Scene], Answer]) -> Answer:
        """Return `ask(scene)`, asked the first time only: what several causes of a kind need."""
        if ask not in self._known:
            self._known[ask] = ask(self)
        return self._known[ask]

    def __getitem__(self, threshold: Threshold) -> float:
        """Return what a threshold is set to."""
        return self.settings[threshold]

    def losses_before(self, peers: Array, lines: Array) -> Array:
        """Return int64 (n,): how often records of each peer (n,) were lost before each line (n,)."""
        found = np.zeros(len(lines), np.int64)
        lost = self.take.tables["lost"]
        for peer in distinct(lost["p"]).tolist():
            mine = np.asarray(peers) == peer
            known = np.asarray(lost["line"], np.int64)[self.take.recording.rows_of_peer("lost", peer)]
            found[mine] = np.searchsorted(known, np.asarray(lines, np.int64)[mine])
        return found

    # --- arrays over calls ---------------------------------------------------------------------

    @cached_property
    def counted(self) -> Array:
        """Boolean (calls,): the call is not part of loading."""
        return self.in_play(self.take.calls.frame)

    def in_play(self, frame_rows: Array) -> Array:
        """Return a boolean array (n,): which frame rows are not loading; -1, before any frame, counts as play."""
        return ~np.append(self.take.frames.loading, False)[frame_rows]

    @cached_property
    def owner(self) -> Array:
        """Owner's string code of each call; int32."""
        return self._of_listener(self.take.listeners.owner)

    @cached_property
    def function(self) -> Array:
        """Function's string code of each call; int32."""
        return self._of_listener(self.take.listeners.function)

    @cached_property
    def is_of_one(self) -> Array:
        """Boolean (calls,): one object's one function was called, as far as is told (see `listeners_of_one`)."""
        return np.append(listeners_of_one(self.take), False)[self.take.calls.listener]

    @cached_property
    def peer(self) -> Array:
        """Peer index of each call."""
        return np.asarray(self.take.tables["call"]["p"])

    @cached_property
    def line(self) -> Array:
        """Stream line of each call; int64."""
        return np.asarray(self.take.tables["call"]["line"], np.int64)

    @cached_property
    def via(self) -> Array:
        """String code of how the send of each call came about; -1: direct or unknown."""
        return self.of_send("via")

    @cached_property
    def edge(self) -> Array:
        """String code of the edge (`down`, `enter`, …) of each call's send, -1 where it has none."""
        return self.of_send("edge")

    @cached_property
    def top(self) -> Array:
        """Outermost ancestor of each call."""
        return top_calls(self.take.calls.parent)

    @cached_property
    def origin(self) -> Array:
        """Outermost ancestor of each call, but none beyond a call that a timer, a delay or a key brought about.

        A loop that takes such events from the engine's queue sends them on one after the other: they fell into one turn of
        it, but it is not their cause.
        """
        parent = self.take.calls.parent
        own = np.isin(self.via, [self.take.code(via) for via in ("timer", "delay", "input")]) & (self.via >= 0)
        if not (own & (parent >= 0)).any():
            return self.top
        return top_calls(np.where(own, np.int32(-1), parent))

    @cached_property
    def sent(self) -> Array:
        """Boolean (calls,): the call sent something."""
        cause = self.take.sends.cause
        flags = np.zeros(len(self.take.calls), bool)
        flags[cause[cause >= 0]] = True
        return flags

    @cached_property
    def calls_by_send(self) -> Groups:
        """Rows of calls by send row."""
        return Groups(self.take.calls.send, len(self.take.tables["send"]))

    def calls_of_sends(self, sends: Array) -> Array:
        """Return the calls (rows, ascending) that sends (rows, each once) made."""
        flags = np.zeros(len(self.take.tables["send"]) + 1, bool)
        flags[sends] = True
        flags[-1] = False
        return np.flatnonzero(flags[self.take.calls.send])

    def of_send(self, field_name: str) -> Array:
        """Return a text or id column of the calls' sends, int32 (calls,), -1 where the send is not known."""
        column = np.asarray(self.take.tables["send"][field_name])
        return np.append(column, np.int8(-1))[self.take.calls.send]

    def _of_listener(self, values: Array) -> Array:
        if not len(self.take.listeners):
            return np.zeros(0, np.int32)
        return np.asarray(values, np.int32)[self.take.calls.listener]

    # --- classes -----------------------------------------------------------------------------------

    @cached_property
    def class_of_object(self) -> Array:
        """A number (strings + 1,) for the class of the object each string code names; of code -1 at the end."""
        take = self.take
        classes = take.objects.class_of(np.arange(len(take.strings) + 1))
        classes[-1] = -1
        unnamed = np.flatnonzero(classes[:-1] < 0)
        # without a spawn it is the name before `#`; a name that is no text of the take gets a number of its own
        fresh: dict[str, int] = {}
        for code in unnamed.tolist():
            name = take.strings[code].partition("#")[0]
            known = take.code(name)
            classes[code] = known if known >= 0 else fresh.setdefault(name, len(take.strings) + len(fresh))
        return classes

    @cached_property
    def class_groups(self) -> Array:
        """Number of (peer, class, function, event) of each *listener*."""
        listeners = self.take.listeners
        classes = self.class_of_object[np.asarray(listeners.owner)]
        return factorised(listeners.peer, classes, listeners.function, listeners.event)[0]

    def by_class(self, calls: Array, *more: Array) -> Iterable[Array]:
        """Yield `calls` (rows, ascending) split by (peer, class, function, event), and by `more` (one value a call)."""
        if len(calls):
            groups = self.class_groups[self.take.calls.listener[calls]]
            yield from (calls[part] for part in parted(groups, *more))

    # --- frames and time -------------------------------------------------------------------------

    @cached_property
    def budgets_ns(self) -> list[float]:
        """Frame budget of each peer in ns."""
        return [frame_budget_ns(self.take, peer) for peer in range(len(self.take.peers))]

    @cached_property
    def played_ns(self) -> int:
        """Time of the take less the time for which the peer was held that was held the longest."""
        holds = zip(self.take.holds.starts, self.take.holds.ends, strict=True)
        held = max((int((ends - starts).sum()) for starts, ends in holds), default=0)
        return max(1, self.take.duration_ns - held)

    # --- words -----------------------------------------------------------------------------------

    def subject_of_calls(self, calls: Array, **more: str) -> Subject:
        """Return the subject shared by calls of one class and function: the owner too, if it is but one."""
        take = self.take
        owners = distinct(self.owner[calls])
        one = int(calls[0])
        events = distinct(take.calls.event[calls])
        given = {
            "ev": take.text(int(events[0])) if len(events) == 1 else "",
            "o": take.text(int(owners[0])) if len(owners) == 1 else "",
            "cls": take.class_of(int(owners[0])),
            "fn": take.text(int(self.function[one])),
            "peer": self.peer_name(int(self.peer[one])),
            "at": self.place_of_call(one),
        }
        return Subject(**(given | more))

    def owners_of_calls(self, calls: Array) -> list[str]:
        """Return the names of the calls' owners, each once."""
        return [self.take.text(int(code)) or UNNAMED for code in distinct(self.owner[calls])]

    def peer_name(self, peer: int) -> str:
        """Return the peer's name where there are several, else nothing: a lone peer needs no name."""
        return self.take.peers[peer].name if len(self.take.peers) > 1 else ""

    def place_of_call(self, call: int) -> str:
        """Return the source place of a called function: as the call says, else as its bind says."""
        take = self.take
        at = take.text(int(take.tables["call"]["at"][call]))
        bind = int(take.calls.bind[call])
        return at or (take.text(int(take.tables["bind"]["at"][bind])) if bind >= 0 else "")

    def place_of_sends(self, sends: Array) -> str:
        """Return the source place the first of the sends (rows) tells, or that of the call it was sent from; none for none."""
        if not len(sends):
            return ""
        at = self.take.text(int(self.take.tables["send"]["at"][sends[0]]))
        cause = int(self.take.sends.cause[sends[0]])
        return at or (self.place_of_call(cause) if cause >= 0 else "")

    def place_around(self, kind: str, rows: Array) -> str:
        """Return the source place of the call in which the first of some records (rows of one table) was made; none for none."""
        table = self.take.tables[kind]
        calls = self.take.call_ids.rows(np.asarray(table["p"])[rows[:1]], np.asarray(table["c"])[rows[:1]])
        return self.place_of_call(int(calls[0])) if len(calls) and calls[0] >= 0 else ""

    def evidence(self, kind: str, rows: Iterable[int], note: str, most: int = MOST_EVIDENCE) -> list[Evidence]:
        """Return records of one table as proof."""
        lines = self.take.tables[kind]["line"]
        return [Evidence(kind, int(lines[row]), int(row), note) for row in list(rows)[:most]]

    def cost_of(self, calls: Array) -> int:
        """Return how long calls took together, in ns."""
        return int(self.take.calls.duration_ns[calls].sum())
