"""The rows of the Loom: one a listener, or one a class when folded, in the order they run."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised
from opossum.take.take import Take
from opossum_desk.state.axis import Axis
from opossum_desk.state.peer_prefix import peer_prefix
from opossum_desk.state.row_level import PIECE, Level

ORDER_FRAMES = 48
"""How many frames of what is visible are asked for the order of rows: enough for a median, bounded."""
MANY_SUMMED = 200_000
"""The sums of a flag of so many calls are worth a thread of their own."""


class Row(NamedTuple):
    """One row on screen: a listener by number, or a folded class of them."""

    folded: bool
    number: int


class Flag(NamedTuple):
    """A flag of all calls (boolean, (calls,)) with its sums by listener and by class."""

    flags: Array
    single: Array
    folded: Array


class RowTold(NamedTuple):
    """What is said of a row: owner or class, function and event, how many listeners it stands for, its phase (string code)."""

    owner: str
    function: str
    members: int
    phase: int


class RowIndex:
    """All rows of a take over an axis. Building is linear in the calls; asking is not."""

    FLAGS = ("wasted", "twin", "gone", "matched", "slow")

    def __init__(self, take: Take, axis: Axis) -> None:
        self._begin(take)
        calls, listeners = take.calls, take.listeners
        if len(take.peers) > 1:
            columns = axis.columns_of_times(calls.start_ns)
        else:
            columns = (calls.frame - axis.first_row).astype(np.int32)
        self.column: Array = columns
        """Axis column of every call."""
        names = {code: take.class_of(int(code)) for code in distinct(listeners.owner).tolist()}
        numbers = {name: i for i, name in enumerate(dict.fromkeys(names.values()))}
        classes = np.array([numbers[names[code]] for code in listeners.owner.tolist()], np.int64)
        self.class_of_listener, self.first_of_class = factorised(
            listeners.peer, classes, listeners.function, listeners.event
        )
        self.listeners_of_class = Groups(self.class_of_listener, len(self.first_of_class))
        self.single = Level.gathered(take.calls_by_listener, columns)
        class_of_call = self.class_of_listener[calls.listener] if len(calls) else np.zeros(0, np.int32)
        self.folded = Level.gathered(Groups(class_of_call, len(self.first_of_class)), columns)
        if len(take.peers) > 1:
            for level in (self.single, self.folded):
                _sort_within(level)
        self.set_flag("wasted", calls.effect == 0)
        self.set_flag("gone", take.owner_gone)
        self.flags["slow"] = np.zeros(len(calls), bool)
        self.set_flag("twin", np.zeros(len(calls), bool))
        self.set_flag("matched", np.ones(len(calls), bool))

    @cached_property
    def flags(self) -> dict[str, Array]:
        """Boolean arrays (calls,) by flag."""
        return {}

    def _begin(self, take: Take) -> None:
        self.take = take
        self._told: dict[Row, RowTold] = {}

    def counted(self, flags: Array) -> Flag:
        """Return a flag of all calls with its sums; linear in the calls, and fit for any thread."""
        return self._summed(flags, lambda: self.single.summed(flags), lambda: self.folded.summed(flags))

    @staticmethod
    def _summed(flags: Array, single: Callable[[], Array], folded: Callable[[], Array]) -> Flag:
        """Return a flag with both its sums, worked out side by side where there are many calls: NumPy lets others run."""
        if len(flags) < MANY_SUMMED:
            return Flag(flags, single(), folded())
        from concurrent.futures import ThreadPoolExecutor  # loads much that a take of usual length does not need

        with ThreadPoolExecutor(1, "opossum-sums") as other:
            asked = other.submit(folded)
            return Flag(flags, single(), asked.result())

    def counted_by_listener(self, listeners: Array) -> Flag:
        """Return a flag that all calls of a listener share (boolean, (listeners,)), with its sums."""
        flags = listeners.take(self.take.calls.listener) if len(self.take.calls) else np.zeros(0, bool)
        agree = np.zeros(len(self.first_of_class), bool)
        agree[self.class_of_listener] = listeners
        # members of a class may differ (by their own names): then its calls have to be gathered
        alike = bool((agree[self.class_of_listener] == listeners).all())
        first = listeners[self.first_of_class] if len(self.first_of_class) else agree
        alike = alike and bool((first[self.class_of_listener] == listeners).all())
        return self._summed(
            flags,
            lambda: self.single.summed_by_group(listeners),
            lambda: self.folded.summed_by_group(first) if alike else self.folded.summed(flags),
        )

    def set_flag(self, name: str, flags: Array | Flag) -> None:
        """Set a flag of all calls, counted already or not."""
        flag = flags if isinstance(flags, Flag) else self.counted(flags)
        self.flags[name] = flag.flags
        self.single.set_sums(name, flag.single)
        self.folded.set_sums(name, flag.folded)

    def set_flag_by_row(self, name: str, flags: Array) -> None:
        """Set a flag of all calls, counted by row: a level's `fill` counts within those that are looked into."""
        self.flags[name] = flags
        count, listener = len(self.class_of_listener), self.take.calls.listener
        # both kinds are counted, for choosing one of them costs more than counting
        counts = np.zeros(2 * count, np.int64)
        for begin in range(0, len(flags), piece := max(PIECE, count)):
            counts += np.bincount(
                listener[begin : begin + piece] * 2 + flags[begin : begin + piece], minlength=2 * count
            )
        single = counts[1::2]
        folded = np.zeros(len(self.first_of_class), np.int64)
        np.add.at(folded, self.class_of_listener, single)
        self.single.set_counts(name, flags, single)
        self.folded.set_counts(name, flags, folded)

    def as_values(self) -> dict[str, Any]:
        """Return all that was counted, for `from_values` in another process."""
        for level in (self.single, self.folded):
            for name in level.sums:
                level.fill(name, range(len(level.groups.starts) - 1))
        levels = [[level.groups, level.columns, level.sums] for level in (self.single, self.folded)]
        groups = [self.class_of_listener, self.first_of_class, self.listeners_of_class]
        return {
            "column": self.column,
            "classes": groups,
            "levels": levels,
            "flags": self.flags,
            "whole_places": self._whole_places,
        }

    @classmethod
    def from_values(cls, take: Take, values: dict[str, Any]) -> RowIndex:
        """Return the rows of a take that were counted elsewhere."""
        index = cls.__new__(cls)
        index._begin(take)
        index.column = values["column"]
        index.class_of_listener, index.first_of_class, index.listeners_of_class = values["classes"]
        index.single, index.folded = (Level(*kept) for kept in values["levels"])
        index.__dict__.update(flags=values["flags"], _whole_places=values["whole_places"])
        return index

    def level(self, row: Row) -> Level:
        """Return where a row's calls are gathered."""
        return self.folded if row.folded else self.single

    def calls_of(self, row: Row) -> Array:
        """Return a row's calls (rows of the call table), in order of columns."""
        return self.level(row).groups.rows(row.number)

    def listeners_of(self, row: Row) -> Array:
        """Return the listeners a row stands for."""
        return self.listeners_of_class.rows(row.number) if row.folded else np.array([row.number])

    def nearest_of_event(self, event: int, column: int, step: int) -> int:
        """Return the first call of an event in the nearest column after (`step` 1) or before (-1) one, or -1.

        Two binary searches for each listener of the event, whatever the take's length.
        """
        level = self.single
        best: tuple[int, int] | None = None
        for listener in np.flatnonzero(self.take.listeners.event == event).tolist():
            start, stop = int(level.groups.starts[listener]), int(level.groups.starts[listener + 1])
            if step > 0:
                place = int(level.places(listener, np.array([column + 1]))[0])
            else:
                before = int(level.places(listener, np.array([column]))[0]) - 1
                place = int(level.places(listener, level.columns[before : before + 1])[0]) if before >= start else stop
            if place < stop:
                found = (step * int(level.columns[place]), int(level.groups.order[place]))
                best = found if best is None else min(best, found)
        return -1 if best is None else best[1]

    def row_of_call(self, call: int, unfolded: set[int]) -> Row:
        """Return the row a call is drawn on."""
        listener = int(self.take.calls.listener[call])
        group = int(self.class_of_listener[listener])
        starts = self.listeners_of_class.starts
        if group in unfolded or starts[group + 1] - starts[group] == 1:
            return Row(False, listener)
        return Row(True, group)

    def rows(self, unfolded: set[int], only_matched: bool = False) -> list[Row]:
        """Return the rows to show: folded classes, and the listeners of the unfolded ones."""
        sizes = self.listeners_of_class.sizes()
        rows: list[Row] = []
        for group in range(len(sizes)):
            if group in unfolded or sizes[group] == 1:
                rows += [Row(False, int(listener)) for listener in self.listeners_of_class.rows(group)]
            else:
                rows.append(Row(True, group))
        if only_matched:
            rows = [row for row in rows if self._matched(row)]
        return rows

    def _matched(self, row: Row) -> bool:
        level = self.level(row)
        start, stop = level.groups.starts[row.number], level.groups.starts[row.number + 1]
        return bool(level.sums["matched"][stop] > level.sums["matched"][start])

    @cached_property
    def _phase_order(self) -> Array:
        """Float64 (strings + 1,): which of the phases a string code names; -1 where none, as at the end, for code -1."""
        places = np.full(len(self.take.strings) + 1, -1.0)
        for place, name in enumerate(self.take.recording.head_list(0, "phases")):
            if (code := self.take.code(name)) >= 0:
                places[code] = place
        return places

    def phase_of_row(self, row: Row) -> int:
        """Return the string code of the phase a row's first call ran in, -1 outside any."""
        calls = self.calls_of(row)
        return int(self.take.phase_of_call[calls[0]]) if len(calls) else -1

    def in_order(self, rows: list[Row], first_column: int, last_column: int) -> list[Row]:
        """Return rows sorted by where they run in a frame: the median place over what is visible.

        At most `ORDER_FRAMES` frames are asked, spread evenly.  Rows that ran in none of those keep the place
        they have in the whole take; rows that rest throughout the window come last.
        """
        place = self._places(first_column, last_column)
        whole = self._whole_places
        unseen = np.isnan(place)
        place = np.where(unseen, whole, place)
        listener_place = place

        window = np.array([first_column, last_column + 1])

        def key(row: Row) -> tuple[bool, float, int]:
            own = listener_place[self.listeners_of(row)]
            return (self.rests(row, window), float(np.sort(own)[len(own) // 2]), row.number)

        return sorted(rows, key=key)

    def rests(self, row: Row, window: Array) -> bool:
        """Say whether a row has no call from column window[0] up to (not with) window[1]."""
        start, stop = self.level(row).places(row.number, window)
        return bool(start == stop)

    @cached_property
    def _whole_places(self) -> Array:
        columns = int(self.column.max()) if len(self.column) else 0
        places = self._places(0, columns)
        missing = np.flatnonzero(np.isnan(places))
        if len(missing):
            # rows that no asked frame ran: by their own first call
            groups, frames = self.take.calls_by_listener, self.take.calls_by_frame
            for listener in missing.tolist():
                call = int(groups.order[groups.starts[listener]])
                row = int(self.take.calls.frame[call])
                places[listener] = self._place_in_frame(call, call - int(frames.rows(row)[0]), len(frames.rows(row)))
        return places

    def _place_in_frame(self, call: int, index: int, count: int) -> float:
        phase = float(self._phase_order[self.take.phase_of_call[call]])
        return phase * 1000.0 + 999.0 * index / max(1, count)

    def _places(self, first_column: int, last_column: int) -> Array:
        """Return float64 (listeners,): median place over frames of the window, NaN where not run in them."""
        take = self.take
        found: list[Array] = []
        places: list[Array] = []
        asked = distinct(np.linspace(first_column, last_column, ORDER_FRAMES).astype(np.int64))
        base = int(take.calls.frame[0]) - int(self.column[0]) if len(self.column) else 0
        for column in asked.tolist():
            row = base + column
            if not 0 <= row < len(take.frames):
                continue
            calls = take.calls_by_frame.rows(row)
            if not len(calls):
                continue
            phases = self._phase_order[take.phase_of_call[calls]]
            found.append(take.calls.listener[calls])
            places.append(phases * 1000.0 + 999.0 * np.arange(len(calls)) / len(calls))
        result = np.full(len(take.listeners), np.nan)
        if not found:
            return result
        listener, place = np.concatenate(found), np.concatenate(places)
        order = np.lexsort((place, listener))
        listener, place = listener[order], place[order]
        heads = np.flatnonzero(np.concatenate(([True], np.diff(listener) != 0)))
        sizes = np.diff(np.append(heads, len(listener)))
        result[listener[heads]] = place[heads + sizes // 2]
        return result

    def class_key(self, group: int) -> tuple[str, str, str, str]:
        """Return what names a folded class in another take of the game: peer, class, function, event."""
        take, listeners = self.take, self.take.listeners
        listener = int(self.first_of_class[group])
        owner = take.class_of(int(listeners.owner[listener]))
        function, event = take.text(int(listeners.function[listener])), take.text(int(listeners.event[listener]))
        return take.peers[int(listeners.peer[listener])].name, owner, function, event

    def told(self, row: Row) -> RowTold:
        """Return what is said of a row at its left; remembered, for every painting asks."""
        if row not in self._told:
            self._told[row] = RowTold(*self._label(row), len(self.listeners_of(row)), self.phase_of_row(row))
        return self._told[row]

    def label(self, row: Row) -> tuple[str, str]:
        """Return (owner or class, function and event) of a row for its label."""
        return self.told(row)[:2]

    def _label(self, row: Row) -> tuple[str, str]:
        take, listeners = self.take, self.take.listeners
        listener = int(self.listeners_of(row)[0])
        owner = take.text(int(listeners.owner[listener]))
        function = take.text(int(listeners.function[listener]))
        if owner:  # else the class that the function names is all that tells the row from others
            function = function.rpartition(".")[2]
        function = function or take.text(int(listeners.event[listener]))
        if row.folded:
            owner = take.class_of(int(listeners.owner[listener])) or owner
        owner = peer_prefix(take, int(listeners.peer[listener])) + owner
        if int(listeners.function[listener]) in self._ambiguous:
            function = f"{function} · {take.text(int(listeners.event[listener]))}"
        return owner, function

    @cached_property
    def _ambiguous(self) -> set[int]:
        """Functions that listen to more than one event: their labels name the event too."""
        listeners = self.take.listeners
        _, first = factorised(listeners.function, listeners.event)
        functions = listeners.function[first]
        return set(np.flatnonzero(np.bincount(functions[functions >= 0]) > 1).tolist())


def _sort_within(level: Level) -> None:
    """Sort each group's calls by column (needed when peers' calls interleave)."""
    groups = level.groups
    number = np.repeat(np.arange(len(groups.sizes())), groups.sizes())
    order = np.lexsort((level.columns, number))
    groups.order = groups.order[order]
    level.columns = level.columns[order]
