"""The plays of each clip of a class, laid over each other: gathered once a take, linear in plays, marks, delays and waits."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from opossum.findings.clips import clips, open_waits
from opossum.findings.delay_off_mark.pairing import landings
from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised
from opossum.take.spans import LineSpans
from opossum.take.take import Take
from opossum.words import tr

CUT_SHORT = ("cut", "blend")
"""How a clip is said to have stopped before its end."""
FEW_SECONDS = 1e-3


class Landed(NamedTuple):
    """Delays that landed while a clip played, by place in the clip (seconds): where set, where landed, by which send (row)."""

    play: Array
    event: Array
    set_at: Array
    landed_at: Array
    send: Array


class Waited(NamedTuple):
    """Waits that began while a clip of the waiter played, by place in the clip (seconds); `met`: they were."""

    play: Array
    event: Array
    begin: Array
    end: Array
    met: Array


class OverlaidClip(NamedTuple):
    """One clip of one class: its plays (rows), its length, its planned marks by name, and the rows that belong to it.

    `planned`: (number of the name, seconds) in order; `marks`: rows of `take.marks`; `landed`, `waited`: rows of those.
    """

    peer: int
    cls: str
    clip: str
    is_track: bool
    plays: Array
    seconds: float
    planned: list[tuple[int, float]]
    marks: Array
    landed: Array
    waited: Array


class Overlaid:
    """All clips of a take, with arrays over plays, marks, delays and waits."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.scene = Scene(take)
        self.remarks: dict[tuple[int, tuple[tuple[str, int], ...]], tuple[str, str]] = {}
        """By clip and what is found of it, what is said of it (`clip_remark`)."""
        self.pixels: dict[int, tuple[Any, Any]] = {}
        """By clip, at which scale what stands on which pixel: kept for the next painting (`pixels_of_clip`)."""
        table, marks = take.tables["play"], take.marks
        known = self.scene.once(clips)
        rate, first = (np.asarray(table[name], np.float64) for name in ("rate", "from"))
        self._rate: Array = np.where(np.isfinite(rate) & (rate > 0), rate, 1.0)
        self._first: Array = np.where(np.isfinite(first), first, 0.0)
        self.begins_ns: Array = np.asarray(table["t"], np.float64)
        """(plays,): when each began, by the clock of the stream."""
        self.came_at: Array = self._came_at()
        """(marks,): the place in the clip, in seconds, at which each mark really came; NaN where it did not."""
        how = np.append(np.asarray(take.tables["stop"]["how"], np.int64), -1)[take.plays.stop]
        codes = [take.code(word) for word in CUT_SHORT]
        self.cut: Array = np.isin(how, [code for code in codes if code >= 0]) & (take.plays.stop >= 0)
        """(plays,): it was stopped before its end."""
        self.lost: Array = self.cut & self._lost_a_mark()
        """(plays,): it was stopped before its end, and a mark was still to come."""
        self.landed = self._landed()
        self.waited = self._waited()
        self.group, first_play = factorised(known.peer, known.cls, known.clip)
        count = len(first_play)
        plays = Groups(self.group, count)
        of_marks = Groups(self.group[marks.play], count)
        of_landed, of_waited = (
            Groups(self.group[part.play] if count else part.play, count) for part in (self.landed, self.waited)
        )
        self.clips: list[OverlaidClip] = []
        for number in range(count):
            rows = plays.rows(number).astype(np.int64)
            own = of_marks.rows(number).astype(np.int64)
            play = int(rows[0])
            self.clips.append(
                OverlaidClip(
                    int(known.peer[play]),
                    take.class_of(int(known.owner[play])),
                    take.text(int(known.clip[play])),
                    bool(known.track[play]),
                    rows,
                    self._length(rows, own),
                    self._planned(own),
                    own,
                    of_landed.rows(number),
                    of_waited.rows(number),
                )
            )

    def place_in_clip(self, plays: Array, times_ns: Array) -> Array:
        """Return float64 (n,): the seconds into each play's clip at moments in game time."""
        return self._first[plays] + (times_ns - self.take.marks.begin_ns[plays]) / 1e9 * self._rate[plays]

    def _came_at(self) -> Array:
        marks = self.take.marks
        came = np.full(len(marks.play), np.nan)
        rows = np.flatnonzero(marks.send >= 0)
        if len(rows):
            off = self.scene.once(frame_times).beside("send", marks.send[rows], rows)
            came[rows] = marks.seconds[rows] + off / 1e9 * self._rate[marks.play[rows]]
        return came

    def _lost_a_mark(self) -> Array:
        marks = self.take.marks
        lost = np.zeros(len(marks.begin_ns), bool)
        ahead = (marks.send < 0) & ~marks.passed & (marks.seconds >= marks.reached[marks.play] - FEW_SECONDS)
        lost[marks.play[ahead]] = True
        return lost

    def _landed(self) -> Landed:
        take, pairs = self.take, self.scene.once(landings)
        arms = take.tables["arm"]
        armed = take.holds.game_times(np.asarray(arms["p"])[pairs.arm], np.asarray(arms["t"], np.int64)[pairs.arm])
        return Landed(
            pairs.play,
            take.arms.event[pairs.arm],
            self.place_in_clip(pairs.play, armed),
            self.place_in_clip(pairs.play, pairs.at_ns),
            pairs.send,
        )

    def _waited(self) -> Waited:
        take, known = self.take, self.scene.once(clips)
        table = take.tables["wait"]
        nothing = np.zeros(0, np.int64)
        if not len(table) or not len(known.line):
            return Waited(nothing, nothing, np.zeros(0), np.zeros(0), np.zeros(0, bool))
        texts = len(take.strings) + 2
        spans = LineSpans(known.peer * texts + known.owner, known.line, known.stop_line)
        peers, owners = np.asarray(table["p"], np.int64), np.asarray(table["o"], np.int64)
        lines = np.asarray(table["line"], np.int64)
        play = spans.last_begun(peers * texts + owners, lines)
        mine = np.flatnonzero((play >= 0) & (owners >= 0))
        mine = mine[known.stop_line[play[mine]] > lines[mine]]
        play = play[mine]
        begin = take.holds.game_times(peers[mine], np.asarray(table["t"], np.int64)[mine])
        end = take.holds.game_times(peers[mine], take.waits.end_ns[mine])
        ends = np.minimum(self.place_in_clip(play, end), np.maximum(take.marks.reached[play], 0.0))
        vain = self.scene.once(open_waits).never[mine]
        return Waited(play, np.asarray(table["ev"], np.int64)[mine], self.place_in_clip(play, begin), ends, ~vain)

    def _length(self, plays: Array, marks: Array) -> float:
        told = np.asarray(self.take.tables["play"]["len"], np.float64)[plays]
        told = told[np.isfinite(told) & (told > 0)]
        if len(told):
            return float(np.median(told))
        reached = self.take.marks.reached[plays]
        latest = self.take.marks.seconds[marks]
        return float(max(reached.max(initial=0.0), latest.max(initial=0.0), FEW_SECONDS))

    def _planned(self, rows: Array) -> list[tuple[int, float]]:
        marks = self.take.marks
        rows = rows[marks.round[rows] == 0]
        if not len(rows):
            return []
        places = np.round(marks.seconds[rows] * 1000).astype(np.int64)
        _, first = factorised(marks.name[rows], places)
        found = [(int(marks.name[row]), float(marks.seconds[row])) for row in rows[first].tolist()]
        return sorted(found, key=lambda item: item[1])

    def name_of(self, number: int) -> str:
        """Return the name of a mark."""
        return self.take.marks.text_of(number)


def marks_of_class(known: Overlaid, mine: list[OverlaidClip]) -> list[int]:
    """Return the names (numbers) of all marks that clips of one class have, in order of their place."""
    found: dict[int, float] = {}
    for clip in mine:
        for name, seconds in clip.planned:
            found[name] = min(seconds, found.get(name, seconds))
    return sorted(found, key=lambda name: found[name])


def owners_told(known: Overlaid, clip: OverlaidClip) -> str:
    """Return whose clip it is: the one owner, or the class and how many."""
    owners = distinct(np.asarray(known.take.tables["play"]["o"])[clip.plays])
    if len(owners) == 1:
        return known.take.text(int(owners[0])) or tr("the game")
    return f"{clip.cls} ×{len(owners):,}"
