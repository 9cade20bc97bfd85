"""What every kind of finding asks of a take, computed once: the scene of the crime."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from opossum.findings.finding import Evidence, Subject
from opossum.findings.thresholds import Thresholds
from opossum.stream.tables import Array
from opossum.take.flow import top_calls
from opossum.take.ids import factorised
from opossum.take.sieve import frame_budget_ns
from opossum.take.take import Take

MOST_EVIDENCE = 12
"""Records listed as proof of one finding: enough to check it, few enough to read."""


@dataclass(eq=False, repr=False)
class Scene:
    """A take under examination, with the arrays several kinds need."""

    take: Take
    thresholds: Thresholds

    # --- arrays over calls ---------------------------------------------------------------------

    @cached_property
    def counted(self) -> Array:
        """Boolean (calls,): the call is not part of loading."""
        return ~np.append(self.take.frames.loading, False)[self.take.calls.frame]

    @cached_property
    def owner(self) -> Array:
        """Owner's string code of each call."""
        return self._of_listener(self.take.listeners.owner)

    @cached_property
    def function(self) -> Array:
        """Function's string code of each call."""
        return self._of_listener(self.take.listeners.function)

    @cached_property
    def peer(self) -> Array:
        """Peer index of each call."""
        return np.asarray(self.take.tables["call"]["p"], np.int64)

    @cached_property
    def via(self) -> Array:
        """String code of how the send of each call came about; -1: direct or unknown."""
        via = self.take.tables["send"]["via"]
        return np.append(np.asarray(via, np.int64), -1)[self.take.calls.send]

    @cached_property
    def top(self) -> Array:
        """Outermost ancestor of each call."""
        return top_calls(self.take.calls.parent)

    @cached_property
    def class_groups(self) -> tuple[Array, Array]:
        """Number of (peer, class, function, event) of each *listener*, and one listener of each number."""
        listeners = self.take.listeners
        names = {code: self.take.class_of(int(code)) for code in np.unique(listeners.owner).tolist()}
        numbers = {name: number for number, name in enumerate(dict.fromkeys(names.values()))}
        classes = np.array([numbers[names[code]] for code in listeners.owner.tolist()], np.int64)
        return factorised(listeners.peer, classes, listeners.function, listeners.event)

    def _of_listener(self, values: Array) -> Array:
        if not len(self.take.listeners):
            return np.zeros(0, np.int64)
        return np.asarray(values, np.int64)[self.take.calls.listener]

    # --- frames and time -------------------------------------------------------------------------

    @cached_property
    def budgets_ns(self) -> list[float]:
        """Frame budget of each peer in ns."""
        return [frame_budget_ns(self.take, peer) for peer in range(len(self.take.peers))]

    @cached_property
    def played_ns(self) -> int:
        """Time of the take less time held."""
        return max(1, self.take.duration_ns - int(self.take.frames.held_ns.sum()))

    def shown_in(self, frame_rows: Array) -> tuple[Array, list[int]]:
        """Return (frame rows, the game's frame numbers) of where something shows, each once, ascending."""
        rows = np.unique(np.asarray(frame_rows, np.int64))
        return rows, self.take.frame_numbers(rows)

    def by_class(self, calls: Array) -> Iterable[Array]:
        """Yield `calls` (rows, ascending) split by (peer, class, function, event)."""
        if not len(calls):
            return
        groups = self.class_groups[0][self.take.calls.listener[calls]]
        order = np.argsort(groups, kind="stable")
        cuts = np.flatnonzero(np.diff(groups[order])) + 1
        yield from (calls[part] for part in np.split(order, cuts))

    # --- words -----------------------------------------------------------------------------------

    def subject_of_calls(self, calls: Array, **more: str) -> Subject:
        """Return the subject shared by calls of one class and function: the owner too, if it is but one."""
        take = self.take
        owners = np.unique(self.owner[calls])
        one = int(calls[0])
        events = np.unique(take.calls.event[calls])
        given = {
            "ev": take.text(int(events[0])) if len(events) == 1 else "",
            "o": take.text(int(owners[0])) if len(owners) == 1 else "",
            "cls": take.class_of(int(owners[0])),
            "fn": take.function_of_call(one),
            "peer": self.peer_name(int(self.peer[one])),
            "at": self.place_of_call(one),
        }
        return Subject(**(given | more))

    def peer_name(self, peer: int) -> str:
        """Return the peer's name where there are several, else nothing: a lone peer needs no name."""
        return self.take.peers[peer].name if len(self.take.peers) > 1 else ""

    def place_of_call(self, call: int) -> str:
        """Return the source place of a called function: as the call says, else as its bind says."""
        take = self.take
        at = take.text(int(take.tables["call"]["at"][call]))
        bind = int(take.calls.bind[call])
        return at or (take.text(int(take.tables["bind"]["at"][bind])) if bind >= 0 else "")

    def evidence(self, kind: str, rows: Iterable[int], note: str, most: int = MOST_EVIDENCE) -> list[Evidence]:
        """Return records of one table as proof."""
        lines = self.take.tables[kind]["line"]
        return [Evidence(kind, int(lines[row]), int(row), note) for row in list(rows)[:most]]

    def data_of_send(self, send: int) -> str:
        """Return the send's data as JSON text, empty where it has none."""
        return self.take.tables["send"].json("d")[send]


def plural(count: int, one: str, many: str = "") -> str:
    """Return ``1 loaf`` or ``3 loaves``, thousands apart."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def milliseconds(ns: float) -> str:
    """Return a time for a person: seconds from one up, else ms with a fitting number of places."""
    if ns >= 1e9:
        return f"{ns / 1e9:.2f} s"
    if ns >= 1e7:
        return f"{ns / 1e6:.0f} ms"
    if ns >= 1e6:
        return f"{ns / 1e6:.1f} ms"
    return f"{ns / 1e3:.0f} µs" if ns >= 1e3 else f"{ns:.0f} ns"


def listed(names: Sequence[str], most: int = 4) -> str:
    """Return names as ``a, b and c``; what goes beyond `most` is counted."""
    names = list(dict.fromkeys(names))
    if len(names) > most:
        return ", ".join(names[:most]) + f" and {len(names) - most} more"
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def at_place(place: str) -> str:
    """Return `` (file:line)`` or nothing."""
    return f" ({place})" if place else ""
