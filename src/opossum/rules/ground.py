"""A take as rules ask it: which moments occurred when, found once for each way of writing them."""

from __future__ import annotations

import json
from collections.abc import Callable, Hashable
from functools import cached_property
from typing import TypeVar

import numpy as np

from opossum.findings.settings import Settings
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Moment, Names, Same
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.json_values import json_values
from opossum.take.take import Take

Answer = TypeVar("Answer")


class Ground:
    """A take with what several rules need, computed once."""

    def __init__(self, take: Take, settings: Settings | None = None) -> None:
        self.take = take
        self.settings = settings or Settings()
        self._moments: dict[tuple[object, ...], Occurrences] = {}
        self._codes: dict[tuple[str, Names], Array] = {}
        self._kept: dict[Hashable, object] = {}

    def once(self, ask: Callable[[Ground], Answer]) -> Answer:
        """Return `ask(ground)`, asked the first time only."""
        return self.kept(ask, lambda: ask(self))

    def kept(self, key: Hashable, make: Callable[[], Answer]) -> Answer:
        """Return what `make` makes, made the first time only that it is asked for under a key."""
        if key not in self._kept:
            self._kept[key] = make()
        return self._kept[key]  # type: ignore[return-value]

    # --- names -----------------------------------------------------------------------------------------

    def codes(self, names: Names) -> Array:
        """Return the string codes that any of the names means; `*` stands for any letters."""
        key = ("text", names)
        if key not in self._codes:
            if any("*" in name for name in names):
                found = [code for code, text in enumerate(self.take.strings) if means(names, text)]
            else:
                found = sorted(code for name in {*names} if name and (code := self.take.code(name)) >= 0)
            self._codes[key] = np.array(found, np.int64)
        return self._codes[key]

    def objects(self, names: Names) -> Array:
        """Return the codes of objects that any of the names means: by their own name or by their class."""
        key = ("object", names)
        if key not in self._codes:
            take = self.take
            found = [
                code
                for code, text in enumerate(take.strings)
                if means(names, text) or means(names, take.class_of(code))
            ]
            self._codes[key] = np.array(found, np.int64)
        return self._codes[key]

    def is_named(self, column: Array, names: Names, *, objects: bool = False) -> Array:
        """Return a boolean array (n,): which codes any of the names means; all where there are no names."""
        if not names:
            return np.ones(len(column), bool)
        flags = np.zeros(len(self.take.strings) + 1, bool)
        flags[self.objects(names) if objects else self.codes(names)] = True
        flags[-1] = False
        return flags[np.asarray(column, np.int64)]

    # --- moments ---------------------------------------------------------------------------------------

    def found(self, moment: Moment, find: Callable[[Ground, Moment], Occurrences]) -> Occurrences:
        """Return what `find` finds of a moment; asked once however often it is asked for."""
        key = (moment.sort, moment.of, moment.by, moment.more)
        if key not in self._moments:
            self._moments[key] = find(self, moment)
        return self._moments[key]

    def occurrences(
        self,
        kind: str,
        rows: Array,
        owners: Array | None = None,
        sends: Array | None = None,
        calls: Array | None = None,
    ) -> Occurrences:
        """Make occurrences of rows (ascending) of a table."""
        take, table = self.take, self.take.tables[kind]
        rows = np.asarray(rows, np.int64)
        peers, lines = np.asarray(table["p"], np.int64)[rows], np.asarray(table["line"], np.int64)[rows]
        none = np.full(len(rows), -1, np.int64)
        return Occurrences(
            kind,
            rows,
            peers,
            lines,
            take.frames.rows_of_lines(peers, lines).astype(np.int64),
            self.told(peers, np.asarray(table["t"], np.int64)[rows]),
            none if owners is None else np.asarray(owners, np.int64),
            none if sends is None else np.asarray(sends, np.int64),
            none if calls is None else np.asarray(calls, np.int64),
        )

    def told(self, peers: Array, times_ns: Array) -> Array:
        """Return int64 (n,): moments as the game was told of time, which stands still while it is held or stalls."""
        return self.take.told_time.at(peers, self.take.holds.game_times(peers, times_ns))

    # --- what two moments share --------------------------------------------------------------------------

    def shared(self, same: Same | None, *several: Occurrences) -> list[Array]:
        """Return a number for each occurrence, equal where `same` is shared; 0 for all where nothing is asked."""
        peers = [item.peers for item in several]
        columns = [np.concatenate(peers)]
        if same is not None and same.owner:
            columns.append(np.concatenate([item.owners for item in several]))
        for name in same.data if same is not None else ():
            columns.append(self._data(name, several))
        codes, _ = factorised(*columns) if len(columns[0]) else (np.zeros(0, np.int64), None)
        return np.split(codes.astype(np.int64), np.cumsum([len(item) for item in several])[:-1])

    def _data(self, name: str, several: tuple[Occurrences, ...]) -> Array:
        """Return a number for a part of the data of what was sent, -1 where it has none."""
        column = self.take.tables["send"].json("d")
        texts: dict[str, int] = {}

        def number(value: object) -> int:
            if not isinstance(value, dict) or name not in value:
                return -1
            return texts.setdefault(json.dumps(value[name], sort_keys=True), len(texts))

        sends = np.concatenate([item.sends for item in several])
        found = np.full(len(sends), -1, np.int64)
        known = np.flatnonzero(sends >= 0)
        if len(known):
            found[known] = json_values(column, sends[known], number)
        return found

    # --- frames and phases -------------------------------------------------------------------------------

    @cached_property
    def frame_peer(self) -> Array:
        """Peer of each frame row."""
        return np.asarray(self.take.frames.peer, np.int64)

    @cached_property
    def last_frame(self) -> Array:
        """The last frame row of each peer."""
        return np.asarray(self.take.frames.peer_starts, np.int64)[1:] - 1

    @cached_property
    def end_ns(self) -> Array:
        """When each peer's recording ends, as the game was told of time."""
        peers = np.arange(max(1, len(self.take.peers)))
        return self.told(peers, self.take.recording.end_of_peers(peers))

    def phase_at(self, peers: Array, lines: Array) -> Array:
        """Return int64 (n,): the code of the phase in which lines were written, -1 outside any."""
        take, table = self.take, self.take.tables["phase"]
        found = np.full(len(lines), -1, np.int64)
        frames = take.frames.rows_of_lines(peers, lines)
        for peer in range(len(take.peers)):
            rows, mine = take.recording.rows_of_peer("phase", peer), np.flatnonzero(np.asarray(peers) == peer)
            if not len(rows) or not len(mine):
                continue
            phase_lines = np.asarray(table["line"], np.int64)[rows]
            place = np.searchsorted(phase_lines, lines[mine], "right") - 1
            begun = take.frames.rows_of_lines(np.full(len(mine), peer), phase_lines[np.maximum(place, 0)])
            known = (place >= 0) & (begun == frames[mine])
            found[mine[known]] = np.asarray(table["name"], np.int64)[rows[place[known]]]
        return found

    def frame_number(self, frame: int) -> int:
        """Return the game's number of a frame row, -1 where there is none."""
        return int(self.take.frames.number[frame]) if frame >= 0 else -1


def means(names: Names, text: str) -> bool:
    """Say whether any of the names means a text."""
    return any(_matches(name, text) for name in names) if text else False


def _matches(name: str, text: str) -> bool:
    """Compare without case differences forgiven; `*` stands for any letters. Never backtracks."""
    if "*" not in name:
        return name == text
    first, *middle, last = name.split("*")
    if not text.startswith(first) or not text.endswith(last) or len(text) < len(first) + len(last):
        return False
    place, end = len(first), len(text) - len(last)
    for part in middle:
        place = text.find(part, place, end)
        if place < 0:
            return False
        place += len(part)
    return True
