"""Clips and their marks as several kinds ask of them: whose they are, what started them, what followed them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.finding import Evidence, Subject
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.take.spans import LineSpans

RESUMED_WITHIN = 4
"""Clips an owner may play in between before it goes on with one that was stopped."""

RESUMED_SECONDS = 0.05


class Clips:
    """Columns beside the `play` table, asked through `scene.once(clips)`; every one linear or a sort."""

    def __init__(self, scene: Scene) -> None:
        take = scene.take
        table = take.tables["play"]
        stops = np.append(np.asarray(take.tables["stop"]["line"], np.int64), 2**62)
        self._scene = scene
        self.peer: Array = np.asarray(table["p"], np.int64)
        self.owner: Array = np.asarray(table["o"], np.int64)
        self.clip: Array = np.asarray(table["clip"], np.int64)
        self.line: Array = np.asarray(table["line"], np.int64)
        self.track: Array = np.asarray(table["what"]) == take.code("track")
        """Boolean (plays,): an audio track, no animation."""
        self.stop_line: Array = stops[take.plays.stop]
        """Line of its `stop`, 2**62 where it was still playing."""
        self.stopped: Array = take.plays.stop >= 0
        self.begin_frame: Array = take.frames.rows_of_lines(table["p"], self.line).astype(np.int64)
        self.end_frame: Array = take.frames.rows_of_lines(table["p"], self.stop_line).astype(np.int64)
        self.cls: Array = np.asarray(scene.class_of_object[self.owner], np.int64)
        starter = take.plays.cause
        self.starter: Array = np.append(scene.function.astype(np.int64), -1)[starter]
        """String code of the function that started it, -1 where unknown."""
        self.by_tick: Array = np.append(scene.via == take.code("tick"), False)[starter]
        """Boolean (plays,): started from a function that runs on every frame, and picks among all there is."""
        self.following: Array = self._following()
        """The next play (row) of the same owner, -1 where there is none."""

    def _following(self) -> Array:
        following = np.full(len(self.line), -1, np.int64)
        if len(self.line):
            group, _ = factorised(self.peer, self.owner, self.track)
            runs = Runs(group)
            same = runs.group[1:] == runs.group[:-1]
            following[runs.order[:-1][same]] = runs.order[1:][same]
        return following

    def replaced(self) -> Array:
        """Return a boolean array (plays,): another clip of its owner began within one frame of its end.

        The one before it in time may have begun while this one still played, so both neighbours are looked at.
        """
        begins = np.append(self.begin_frame, -(10**9))
        lines = np.append(self.line, -1)
        found = np.zeros(len(self.line), bool)
        other = self.following
        for _ in range(4):
            near = (other >= 0) & (np.abs(begins[other] - self.end_frame) <= 1)
            found |= near & (lines[other] > self.line) & self.stopped
            other = np.append(self.following, -1)[other]
        return found

    def outlived(self) -> Array:
        """Return a boolean array (plays,): the take goes on so long after its end that another begun at once would be seen."""
        frames = self._scene.take.frames
        last = np.array([frames.of_peer(peer).stop - 1 for peer in range(len(self._scene.take.peers))], np.int64)
        return self.stopped & (self.end_frame + 1 < last[self.peer])

    def subject(self, plays: Array, **more: str) -> Subject:
        """Return the subject shared by plays of one class and clip: the owner too, if it is but one."""
        take = self._scene.take
        owners = distinct(self.owner[plays])
        return Subject(
            **(
                {
                    "o": take.text(int(owners[0])) if len(owners) == 1 else "",
                    "cls": take.class_of(int(owners[0])),
                    "clip": take.text(int(self.clip[plays[0]])),
                    "peer": self._scene.peer_name(int(self.peer[plays[0]])),
                }
                | more
            )
        )

    def evidence(self, plays: Array, note: str, most: int = 4) -> list[Evidence]:
        """Return the records of plays as proof."""
        return self._scene.evidence("play", plays[:most].tolist(), note)

    def counted(self) -> Array:
        """Return a boolean array (plays,): it is an animation with an owner."""
        return ~self.track & (self.owner >= 0)

    def timed(self) -> Array:
        """Return a boolean array (plays,): it began in play. One begun while the game loads runs when loading is over."""
        return self._scene.in_play(self.begin_frame)

    def resumed(self) -> Array:
        """Return a boolean array (plays,): it was stopped, and its owner went on with it later where it had stopped."""
        take = self._scene.take
        first = np.append(np.asarray(take.tables["play"]["from"], np.float64), np.nan)
        clip = np.append(self.clip, -1)
        reached, other = take.marks.reached, self.following
        found = np.zeros(len(self.line), bool)
        for _ in range(RESUMED_WITHIN):
            found |= (clip[other] == self.clip) & (np.abs(first[other] - reached) <= RESUMED_SECONDS)
            other = np.append(self.following, -1)[other]
        return found

    def by_class(self, plays: Array, *more: Array) -> Iterator[Array]:
        """Yield positions in `plays` (rows) split by (peer, owner's class, clip), and by `more`."""
        if len(plays):
            yield from parted(self.peer[plays], self.cls[plays], self.clip[plays], *more)


def clips(scene: Scene) -> Clips:
    """Return what is known of every play; asked through `scene.once`."""
    return Clips(scene)


class OpenWaits:
    """The waits of a take as spans of lines, by (peer, owner, event), asked through `scene.once(open_waits)`."""

    def __init__(self, scene: Scene) -> None:
        take = scene.take
        table, waits = take.tables["wait"], take.waits
        self._texts = len(take.strings) + 2
        self.key: Array = self.keys(table["p"], table["o"], table["ev"])
        self.begin: Array = np.asarray(table["line"], np.int64)
        self.end: Array = np.full(len(self.begin), np.iinfo(np.int64).max)
        for kind in ("met", "quit"):
            other = take.tables[kind]
            rows = take.wait_ids.rows(other["p"], other["w"])
            known = rows >= 0
            np.minimum.at(self.end, rows[known], np.asarray(other["line"], np.int64)[known])
        self.spans = LineSpans(self.key, self.begin, self.end)
        self.never: Array = (waits.met < 0) & ~waits.quit
        """Boolean (waits,): neither met nor given up in the take."""

    def keys(self, peers: Array, owners: Array, events: Array) -> Array:
        """Return int64 (n,): a number for each (peer, owner, event)."""
        number = np.asarray(peers, np.int64) * self._texts + np.asarray(owners, np.int64)
        return number * self._texts + np.asarray(events, np.int64)


def open_waits(scene: Scene) -> OpenWaits:
    """Return who waited for what; asked through `scene.once`."""
    return OpenWaits(scene)


def wanted(scene: Scene, peers: Array, owners: Array, names: Array, lines: Array) -> tuple[Array, Array]:
    """Return boolean arrays (n,): the owner waits for that name at that line; somebody is bound to it then."""
    waits, known = scene.once(open_waits), scene.once(listening)
    told = names < len(scene.take.strings)
    safe = np.where(told, names, -1)
    waiting = waits.spans.open_at(waits.keys(peers, owners, safe), lines) > 0
    bound = known.bound.open_at(known.keys(peers, safe), lines) > 0
    # where marks call functions of their own, being called for it is listening
    heard = np.zeros(len(scene.take.strings) + 1, bool)
    heard[scene.take.listeners.event] = True
    heard[-1] = False
    bound |= heard[safe]
    return waiting & told, bound & told
