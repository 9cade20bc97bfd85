"""Marks of clips and tracks: where each was due in every round, and the send that came for it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import Runs, factorised
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.holds import HOLDS, Holds
from opossum.take.indexes.identities import PLAY_IDS
from opossum.take.indexes.plays import PLAYS, Plays
from opossum.take.json_values import json_values
from opossum.take.recording import Recording

MOST_MARKS = 1000
"""Marks of one clip that are looked at."""

SAME_PLACE_S = 0.0005
"""A send that tells a mark's place to this, in seconds into the clip, is that mark's, however far beside it it came."""

MOST_EMPTY_ROUNDS = 16
"""A clip that went round so much more often than marks came is not taken to go round at all."""

NOWHERE = np.iinfo(np.int64).max


LEAST_RATE = 1e-6
"""A clip that is said to play slower than this (or backwards) is taken to play as it is: nothing would ever be due."""
LEAST_LENGTH_S = 1e-6
"""A clip that is said to be shorter does not go round."""


class Marks(NamedTuple):
    """One row for every mark of every play and round, in order of (play, round, place).

    `name`: string code, or a number beyond the strings for a name that no record has (`text_of`); `seconds`: its place in
    the clip; `due_ns`: when its place was due, in game time (`Holds.game_times`); `send`: the send that came for it, -1
    where none did; `passed`: the clip went past its place; `round`: 0 for the first.  `begin_ns`, `end_ns`, `reached`:
    (plays,) when each play began and ended in game time, and the seconds into the clip at which it stopped.
    """

    play: Array
    name: Array
    seconds: Array
    due_ns: Array
    send: Array
    passed: Array
    round: Array
    begin_ns: Array
    end_ns: Array
    reached: Array
    more_names: list[str]
    strings: list[str]

    def text_of(self, name: int) -> str:
        """Return the name that a number of `name` stands for."""
        return self.strings[name] if name < len(self.strings) else self.more_names[name - len(self.strings)]

    def of_plays(self, plays: Array) -> Array:
        """Return the marks (rows) of the first round of plays (each once), ascending."""
        flags = np.zeros(len(self.begin_ns), bool)
        flags[plays] = True
        return np.flatnonzero(flags[self.play] & (self.round == 0))


def build_marks(recording: Recording, holds: Holds, plays: Plays, play_ids: IdIndex) -> Marks:
    """Join every play's marks with their sends. Cost: sorts of the marks and of the sends that come from clips."""
    table, sends = recording.tables["play"], recording.tables["send"]
    play, name, seconds, more_names = _planned(recording)
    begin = holds.game_times(table["p"], table["t"])
    end = holds.game_times(table["p"], plays.end_ns)
    rate, first, length = (np.asarray(table[field], np.float64) for field in ("rate", "from", "len"))
    rate, first = np.where(np.isfinite(rate) & (rate > LEAST_RATE), rate, 1.0), np.where(np.isfinite(first), first, 0.0)
    reached = _reached(recording, plays, begin, end, rate, first, length)
    fired = np.flatnonzero((np.asarray(sends["y"]) > 0) & (np.asarray(sends["mark"]) >= 0))
    of_play = play_ids.rows(np.asarray(sends["p"])[fired], np.asarray(sends["y"])[fired]).astype(np.int64)
    fired, of_play = fired[of_play >= 0], of_play[of_play >= 0]
    place = (holds.game_times(np.asarray(sends["p"])[fired], np.asarray(sends["t"])[fired]) - begin[of_play]) / 1e9
    place = place * rate[of_play] + first[of_play]
    told = np.asarray(sends["pos"], np.float64)[fired]
    entry, turn = _entries_of(play, name, seconds, of_play, np.asarray(sends["mark"])[fired], place, told, length)
    rounds = np.zeros(len(table), np.int64)
    np.maximum.at(rounds, of_play[entry >= 0], turn[entry >= 0])
    sizes = rounds[play] + 1
    row_of_entry = np.concatenate(([0], np.cumsum(sizes)))
    source = np.repeat(np.arange(len(play)), sizes)
    turns = np.arange(len(source)) - row_of_entry[source]
    send = np.full(len(source), -1, np.int64)
    known = np.flatnonzero(entry >= 0)[::-1]  # reversed: the first send counts
    send[row_of_entry[entry[known]] + turn[known]] = fired[known]
    at = play[source]
    # only what has a length goes round
    spare = np.where(turns > 0, length[at], 0.0) * turns
    due = begin[at] + np.clip((seconds[source] + spare - first[at]) / rate[at] * 1e9, -1e18, 1e18).astype(np.int64)
    passed = np.where(rounds[at] > 0, due < end[at], seconds[source] < reached[at])
    begun = (turns > 0) | (seconds[source] >= first[at])
    order = np.lexsort((due, at))
    order = order[begun[order]]
    return Marks(
        at[order],
        name[source][order],
        seconds[source][order],
        due[order],
        send[order],
        passed[order],
        turns[order],
        begin,
        end,
        reached,
        more_names,
        recording.strings,
    )


def _planned(recording: Recording) -> tuple[Array, Array, Array, list[str]]:
    """Return (play, name, seconds) of all marks that plays were started with, and the names no record has."""
    table = recording.tables["play"]
    fresh: dict[str, int] = {}

    def read(value: object) -> list[tuple[int, float]]:
        found = []
        for item in value[:MOST_MARKS] if isinstance(value, list) else []:
            if isinstance(item, list) and len(item) == 2 and isinstance(item[0], str):
                seconds = item[1]
                if isinstance(seconds, int | float) and not isinstance(seconds, bool) and abs(seconds) < 1e9:
                    known = recording.code(item[0])
                    number = known if known >= 0 else len(recording.strings) + fresh.setdefault(item[0], len(fresh))
                    found.append((number, float(seconds)))
        return found

    lists = json_values(table.json("marks"), np.arange(len(table)), read) if len(table) else []
    play = np.repeat(np.arange(len(table)), [len(marks) for marks in lists]).astype(np.int64)
    flat = [mark for marks in lists for mark in marks]
    name = np.array([number for number, _ in flat], np.int64)
    return play, name, np.array([seconds for _, seconds in flat], np.float64), list(fresh)


def _reached(
    recording: Recording, plays: Plays, begin: Array, end: Array, rate: Array, first: Array, length: Array
) -> Array:
    """Return float64 (plays,): the seconds into the clip at which each stopped, as its `stop` says or by the time."""
    told = np.append(np.asarray(recording.tables["stop"]["pos"], np.float64), np.nan)[plays.stop]
    by_time = first + (end - begin) / 1e9 * rate
    reached = np.where(np.isfinite(told), told, by_time)
    return np.where(np.isfinite(length) & ~np.isfinite(told), np.minimum(reached, length), reached)


def _entries_of(
    play: Array, name: Array, seconds: Array, of_play: Array, mark: Array, place: Array, told: Array, length: Array
) -> tuple[Array, Array]:
    """Return (entry of the planned marks or -1, round) of each send that a mark made.

    Of the marks of its name it is the one whose place it tells (`told`, NaN where it tells none), else the nearest in time.
    Where sends for several marks all tell one place, that tells nothing.
    """
    count = len(of_play)
    entry, turn = np.full(count, -1, np.int64), np.zeros(count, np.int64)
    if not count or not len(play):
        return entry, turn
    codes, _ = factorised(np.concatenate((play, of_play)), np.concatenate((name, mark)))
    planned, came = codes[: len(play)], codes[len(play) :]
    runs = Runs(planned, seconds)
    size = np.zeros(int(codes.max()) + 1, np.int64)
    start = np.zeros(len(size), np.int64)
    groups = planned[runs.order[runs.starts]]
    size[groups], start[groups] = runs.sizes, runs.starts
    known = np.flatnonzero(size[came] > 0)
    comes = np.bincount(came[known], minlength=len(size))
    told = np.where((_places_told(came, told, len(size)) >= np.minimum(size, comes))[came], told, np.nan)
    # a mark that comes more often than it stands in the clip shows that the clip goes round
    round_and_round = np.zeros(len(length), bool)
    round_and_round[of_play[known[comes[came[known]] > size[came[known]]]]] = True
    loops = round_and_round & np.isfinite(length) & (length > LEAST_LENGTH_S)
    best = np.full(count, np.inf)
    for rank in range(int(size[came[known]].max(initial=0))):
        mine = known[size[came[known]] > rank]
        other = runs.order[start[came[mine]] + rank]
        spare = np.where(loops[of_play[mine]], length[of_play[mine]], np.inf)
        rounds = np.maximum(np.rint((place[mine] - seconds[other]) / spare), 0).astype(np.int64)
        turned = np.where(rounds > 0, spare, 0.0) * rounds
        off = np.abs(place[mine] - seconds[other] - turned)
        off[np.abs(told[mine] - seconds[other]) <= SAME_PLACE_S] = -1.0
        nearer = off < best[mine]
        best[mine[nearer]], entry[mine[nearer]], turn[mine[nearer]] = off[nearer], other[nearer], rounds[nearer]
    many = np.bincount(of_play)
    turn[turn > 4 * many[of_play] + MOST_EMPTY_ROUNDS] = 0
    return entry, turn


def _places_told(came: Array, told: Array, groups: int) -> Array:
    """Return int64 (groups,): how many different places in the clip the sends (n,) of each group tell; none counts as one."""
    place = np.rint(np.clip(np.nan_to_num(told, nan=-1.0), -1.0, 1e9) / SAME_PLACE_S).astype(np.int64)
    _, some = factorised(came, place)
    return np.bincount(came[some], minlength=groups)


def mark_names(marks: Marks, rows: Array) -> list[str]:
    """Return the names of marks (rows), each once, in the order of their places in the clip."""
    in_place = marks.name[rows][np.argsort(marks.seconds[rows], kind="stable")]
    return [marks.text_of(name) for name in dict.fromkeys(in_place.tolist())]


MARKS = Index("marks", build_marks, (HOLDS, PLAYS, PLAY_IDS))
