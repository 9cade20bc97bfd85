"""Everything that listened or was called, by event and class, with the binds and sends of each: gathered once a take.

Linear in binds, sends and listeners, and a sort of the sends by event.
"""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

import numpy as np

from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import unheard_sends
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised, joined
from opossum.take.indexes.objects import NEVER
from opossum.take.spans import LineSpans
from opossum.take.take import Take
from opossum_desk.layout.row_picture import Label
from opossum_desk.state.axis import Axis
from opossum_desk.state.row_index import Level

MOST_LANES = 3
"""Binds of one listener that lie upon each other and are told apart."""


class Pile(NamedTuple):
    """When binds of one group began, ended, outlived their owners and ended after having done so; ns, ascending."""

    begun: Array
    ended: Array
    outlived: Array
    outlived_ended: Array

    def bound_at(self, moments: Array) -> Array:
        """Return int64 (n,): how many were bound at each moment (int64 ns, (n,))."""
        return self.begun.searchsorted(moments, "right") - self.ended.searchsorted(moments, "right")

    def outlived_at(self, moments: Array) -> Array:
        """Return int64 (n,): how many of them had outlived their owners."""
        return self.outlived.searchsorted(moments, "right") - self.outlived_ended.searchsorted(moments, "right")


class RosterListeners:
    """Arrays by listener (L,), by group of one class (G,), by event (E,), and by row of the `bind` table (B,).

    A listener is a (peer, event, owner, function) that was bound or called; a group is the same by the owner's class; an
    event is a (peer, event).  `called`: (L,) its number among `take.listeners`, -1: never called.
    """

    def __init__(self, take: Take) -> None:
        self.take = take
        self.labels: dict[tuple[object, bool], Label] = {}
        """What is said of rows that were seen; see `label_of`."""
        listeners, table = take.listeners, take.tables["bind"]
        names = (listeners.peer, listeners.event, listeners.owner, listeners.function)
        bound = tuple(np.asarray(table[field], np.int64) for field in ("p", "ev", "o", "fn"))
        of_called, self.of_bind = joined(names, bound)
        count = int(max(of_called.max(initial=-1), self.of_bind.max(initial=-1))) + 1
        self.called: Array = np.full(count, -1, np.int64)
        self.called[of_called] = np.arange(len(listeners))
        self.peer, self.event, self.owner, self.function = (np.zeros(count, np.int64) for _ in range(4))
        for own, from_calls, from_binds in zip(
            (self.peer, self.event, self.owner, self.function), names, bound, strict=True
        ):
            own[of_called] = from_calls
            own[self.of_bind] = from_binds
        self.cls: Array = _class_numbers(take, self.owner)
        self.group, self.first_of_group = factorised(self.peer, self.event, self.cls, self.function)
        self.members = Groups(self.group, len(self.first_of_group))
        self._gather_binds()
        self._gather_sends()

    def __len__(self) -> int:
        return len(self.owner)

    def _gather_binds(self) -> None:
        take = self.take
        table, binds, unbinds = take.tables["bind"], take.binds, take.tables["unbind"]
        self.binds = Groups(self.of_bind, len(self))
        self.begin_ns: Array = np.asarray(table["t"], np.int64)
        self.end_ns: Array = take.recording.end_of_peers(table["p"])
        rows = take.bind_ids.rows(unbinds["p"], unbinds["b"])[::-1]  # reversed: the first unbind counts
        times = np.asarray(unbinds["t"], np.int64)[::-1]
        self.end_ns[rows[rows >= 0]] = times[rows >= 0]
        self.unbound: Array = binds.unbind_line != NEVER
        gone_line, self.gone_ns = take.objects.next_gone(table["p"], table["o"], table["line"])
        frames = take.frames
        gone_frame = frames.rows_of_lines(table["p"], np.minimum(gone_line, NEVER - 1))
        unbind_frame = frames.rows_of_lines(table["p"], np.minimum(binds.unbind_line, NEVER - 1))
        self.stale: Array = (gone_line < binds.unbind_line) & ~(self.unbound & (gone_frame == unbind_frame))
        """Boolean (B,): bound beyond the frame in which its owner went."""
        lines = np.asarray(table["line"], np.int64)
        lanes = LineSpans(binds.same, lines, binds.unbind_line).open_at(binds.same, lines)
        self.lane: Array = np.minimum(lanes, MOST_LANES).astype(np.int8)
        """(B,): how many binds of the same listener were in force when it was bound."""
        self.lanes: Array = np.zeros(len(self), np.int8)
        np.maximum.at(self.lanes, self.of_bind, self.lane)
        stale_calls = np.bincount(take.calls.listener[take.owner_gone], minlength=len(take.listeners))
        self.stale_calls: Array = np.append(stale_calls, 0)[self.called]
        """(L,): how often it was called after its owner had gone."""
        self.stale_binds: Array = np.bincount(self.of_bind[self.stale], minlength=len(self))

    def _gather_sends(self) -> None:
        take = self.take
        table = take.tables["send"]
        peers, events = np.asarray(table["p"], np.int64), np.asarray(table["ev"], np.int64)
        self.event_of, event_of_send = joined((self.peer, self.event), (peers, events))
        count = int(max(self.event_of.max(initial=-1), event_of_send.max(initial=-1))) + 1
        self.sends = Groups(event_of_send, count)
        self.sends.sort_within(table["t"])
        self.send_times: Array = np.asarray(table["t"], np.int64)[self.sends.order]
        """When the sends were sent, in the order of `sends`."""
        unheard = Scene(take).once(unheard_sends)
        flags = np.zeros(len(table), bool)
        flags[unheard.sent] = flags[unheard.queued] = True
        self.unheard: Array = flags
        """Boolean (sends,): nobody heard it."""
        self._sends_by_column: tuple[int, Level] | None = None
        self.unheard_before: Array = np.concatenate(([0], np.cumsum(flags[self.sends.order], dtype=np.int32)))
        """How many of the sends before each place of `sends.order` nobody heard."""
        self.code_of_event: Array = np.full(count, -1, np.int64)
        self.peer_of_event: Array = np.zeros(count, np.int64)
        for own, of_send, of_listener in (
            (self.code_of_event, events, self.event),
            (self.peer_of_event, peers, self.peer),
        ):
            own[event_of_send] = of_send
            own[self.event_of] = of_listener
        self.groups_of_event = Groups(self.event_of[self.first_of_group], count)
        first = np.full(count, NEVER, np.int64)
        np.minimum.at(first, event_of_send, np.asarray(table["line"], np.int64))
        np.minimum.at(first, self.event_of[self.of_bind], np.asarray(take.tables["bind"]["line"], np.int64))
        ticks = np.zeros(count, bool)
        ticks[event_of_send[np.asarray(table["via"]) == take.code("tick")]] = take.code("tick") >= 0
        self.order: Array = np.lexsort((first, ticks))
        """The events as they are listed: as they first appear, what comes with every frame last."""

    def unheard_count(self, event: int) -> int:
        """Return how many sends of an event nobody heard."""
        starts = self.sends.starts
        return int(self.unheard_before[starts[event + 1]] - self.unheard_before[starts[event]])

    def sends_by_column(self, axis: Axis) -> Level:
        """Return the sends by event and column of an axis; linear in the sends when an axis is first asked for."""
        if self._sends_by_column is None or self._sends_by_column[0] != axis.peer:  # by time, its frames are the same
            # its columns stand in the order of `sends` already, as `send_times` does
            level = Level(self.sends, axis.columns_of_times(self.send_times), {})
            self._sends_by_column = axis.peer, level
        return self._sends_by_column[1]

    def binds_of(self, listener: int, lane: int) -> Array:
        """Return the binds (rows) of a listener in one lane, in order."""
        rows = self.binds.rows(listener)
        return rows[self.lane[rows] == lane]

    def binds_of_group(self, group: int) -> Array:
        """Return the binds (rows) of all members of a group."""
        return self.binds.rows_of_all(self.members.rows(group))

    def pile(self, group: int) -> Pile:
        """Return what a pile of a group is drawn of; its binds are put in order when it is first asked for."""
        if group not in self._piles:
            binds = self.binds_of_group(group)
            ends = np.where(self.unbound[binds], self.end_ns[binds], np.iinfo(np.int64).max)
            stale = self.stale[binds]
            moments = self.begin_ns[binds], ends, self.gone_ns[binds][stale], ends[stale]
            self._piles[group] = Pile(*(np.sort(each) for each in moments))
        return self._piles[group]

    @cached_property
    def _piles(self) -> dict[int, Pile]:
        return {}

    @cached_property
    def vain(self) -> list[Array]:
        """Waits (rows) that were neither met nor given up, in groups of one peer, class and event."""
        waits, table = self.take.waits, self.take.tables["wait"]
        rows = np.flatnonzero((waits.met < 0) & ~waits.quit)
        if not len(rows):
            return []
        codes, first = factorised(
            np.asarray(table["p"])[rows],
            _class_numbers(self.take, np.asarray(table["o"], np.int64)[rows]),
            np.asarray(table["ev"])[rows],
        )
        groups = Groups(codes, len(first))
        return [rows[groups.rows(group)] for group in range(len(first))]

    def key_of_group(self, group: int) -> tuple[str, str, str, str]:
        """Return what names a group in another take of the game: peer, event, class, function."""
        listener, take = int(self.first_of_group[group]), self.take
        return (
            take.peers[int(self.peer[listener])].name,
            take.text(int(self.event[listener])),
            take.class_of(int(self.owner[listener])),
            take.text(int(self.function[listener])),
        )


def _class_numbers(take: Take, owners: Array) -> Array:
    """Return int64 (n,): a number for the class of each owner (code)."""
    codes = distinct(owners)
    names = [take.class_of(int(code)) for code in codes.tolist()]
    numbers = {name: number for number, name in enumerate(dict.fromkeys(names))}
    return np.array([numbers[name] for name in names], np.int64)[np.searchsorted(codes, owners)]
