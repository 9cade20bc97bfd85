"""The first differences of two runs, each with what follows from it folded under it."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

import numpy as np

from opossum.compare.matching import Matching
from opossum.compare.nodes import Nodes, What
from opossum.compare.side import Side
from opossum.compare.telling import Told, phrase, sentence, told
from opossum.stream.tables import Array
from opossum.take.chains import top_calls
from opossum.words import tr

END_SECONDS = 0.05
"""What comes so short before the other run ends, might have come there too."""

OUTSIDE_WAYS = ("input", "zone", "net")
"""Sends without a cause that come from outside the code: who plays, what bumps into what, another machine."""


class Sort(Enum):
    """Why two runs differ, those that a programmer can change first."""

    CODE = "code"
    CHANCE = "chance"
    OUTSIDE = "outside"
    TAIL = "end of take"


@dataclass(eq=False, repr=False)
class Difference:
    """One thing that only one run has, and what follows from it.

    `side`: 0 or 1, the run that has it (more often); `first_side`, `node`: the first such node, `frame`: the game's number
    of its frame there, `seconds`: its time on the second run's clock; `more`: how many of it have no counterpart on each side; `follows`: how many
    further records there are because of it, by sort; `instead`: the other clip, where it is
    chance; `listeners`: labels of the calls and stretches that are it or follow from it.
    """

    sort: Sort
    side: int
    first_side: int
    node: int
    frame: int
    seconds: float
    told: Told
    more: list[int]
    alone: bool
    follows: dict[str, int] = field(default_factory=dict)
    instead: str = ""
    listeners: set[int] = field(default_factory=set)

    @property
    def following(self) -> int:
        """Return how many records follow."""
        return sum(self.follows.values())

    def sentence(self, labels: tuple[str, str]) -> str:
        """Say what it is."""
        if self.sort is Sort.CHANCE:
            return tr(
                "chosen differently (`{clip}` / `{instead}`): may be chance", clip=self.told.clip, instead=self.instead
            )
        if min(self.more):
            # as often, or nearly: what is told is not how many more there are, but that they are no counterparts
            counts = tr(" and ").join(
                tr("{more:,} in {label}", more=more, label=label) for more, label in zip(self.more, labels, strict=True)
            )
            return tr("{phrase} otherwise: {counts} without a counterpart", phrase=phrase(self.told), counts=counts)
        return sentence(self.told, self.more[self.side], labels[self.side], alone=self.alone)


def first_differences(sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching) -> list[Difference]:
    """Return what differs first, in the order of time, the code's before chance, outside and the end of a take.

    Cost: linear in the nodes, and a pass over those without a counterpart.
    """
    return _Folding(sides, nodes, matching).differences()


class _Folding:
    def __init__(self, sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching) -> None:
        self.sides, self.nodes, self.matching = sides, nodes, matching
        self.lone = [partner < 0 for partner in matching.partner]
        # on one clock, the second's
        self.seconds = (matching.time.there(nodes[0].seconds), nodes[1].seconds)
        self.last = (float(matching.time.there(np.array([sides[0].end_s]))[0]), sides[1].end_s)
        self.root = [self._roots(side) for side in (0, 1)]
        self.ended = [self._lone_ends(side) for side in (0, 1)]
        self.plays = [self._lone_plays(side) for side in (0, 1)]
        self.counts = [np.bincount(side.label, minlength=1) for side in nodes]

    def _roots(self, side: int) -> Array:
        """Return int32 (n,): the first node without a counterpart that each such node hangs on, -1 for the others."""
        nodes, lone = self.nodes[side], np.append(self.lone[side], False)
        parent = np.where(
            lone[nodes.cause],
            nodes.cause,
            np.where(lone[nodes.life], nodes.life, np.where(lone[nodes.second], nodes.second, -1)),
        ).astype(np.int32)
        parent[~self.lone[side]] = -1
        return np.where(self.lone[side], top_calls(parent), -1)

    def _lone_ends(self, side: int) -> dict[int, int]:
        """Return the end (node) of each thing that ended on this side alone."""
        nodes = self.nodes[side]
        ends = np.flatnonzero(self.lone[side] & (nodes.what >= What.SPAWN_END) & (nodes.second >= 0))
        kept = ends[~np.append(self.lone[side], False)[nodes.second[ends]]]
        return dict(zip(nodes.second[kept].tolist(), kept.tolist(), strict=True))

    def _lone_plays(self, side: int) -> dict[tuple[int, int], int]:
        """Return the first clip (node) without a counterpart by what started it and whose it is."""
        nodes = self.nodes[side]
        lone = np.flatnonzero(self.lone[side] & (nodes.what == What.PLAY))[::-1]
        return dict(
            zip(zip(nodes.cause[lone].tolist(), nodes.life[lone].tolist(), strict=True), lone.tolist(), strict=True)
        )

    # --- stories ---------------------------------------------------------------------------------------

    def differences(self) -> list[Difference]:
        firsts = []
        for side in (0, 1):
            for node in np.unique(self.root[side][self.root[side] >= 0]).tolist():
                firsts.append((float(self.seconds[side][node]), side, node))
        firsts.sort()
        members = [self._members(side) for side in (0, 1)]
        by_label: dict[tuple[int | frozenset[str], Sort], Difference] = {}
        of_node: dict[tuple[int, int], Difference] = {}
        by_event: dict[str, Difference] = {}
        by_life: dict[int, Difference] = {}
        found: list[Difference] = []
        later: list[tuple[int, int, int, int]] = []
        for seconds, side, node in firsts:
            because = self._ended_elsewhere(side, node)
            if because is not None:
                later.append((side, node, *because))
                continue
            instead = self._played_otherwise(side, node)
            sort = self._sort(side, node, instead)
            names = told(self.sides[side], self.nodes[side], node)
            label = frozenset((names.clip, instead)) if sort is Sort.CHANCE else int(self.nodes[side].label[node])
            known = by_label.get((label, sort))
            if known is None and sort is Sort.CODE:
                life = self._shared_life(side, node)
                known = by_event.get(names.event) or by_life.get(life)
                if known is not None:
                    self._follow(known, side, node, members[side])
                    of_node[side, node] = known
                    continue
            if known is None:
                known = self._difference(sort, side, node, seconds, names)
                known.instead = instead
                found.append(known)
                by_label[label, sort] = known
                if sort is Sort.CODE:
                    if names.event:
                        by_event.setdefault(names.event, known)
                    life = self._shared_life(side, node)
                    if life >= 0:
                        by_life.setdefault(life, known)
            else:
                known.more[side] += 1
            of_node[side, node] = known
            self._follow(known, side, node, members[side], itself=False)
        for side, node, there, end in later:
            story = of_node.get((there, int(self.root[there][end])))
            if story is None:  # that end hangs on something that ended elsewhere itself
                names = told(self.sides[side], self.nodes[side], node)
                story = self._difference(Sort.CODE, side, node, float(self.seconds[side][node]), names)
                found.append(story)
                self._follow(story, side, node, members[side], itself=False)
            else:
                self._follow(story, side, node, members[side])
            of_node[side, node] = story
        for difference in found:
            difference.side = 0 if difference.more[0] > difference.more[1] else 1
            label = int(self.nodes[difference.first_side].label[difference.node])
            difference.alone = self._count(1 - difference.side, label) == 0
        order = list(Sort)
        return sorted(found, key=lambda item: (order.index(item.sort), item.seconds))

    def _count(self, side: int, label: int) -> int:
        return int(self.counts[side][label]) if label < len(self.counts[side]) else 0

    def _members(self, side: int) -> dict[int, list[int]]:
        """Return the nodes that hang on each first one, ascending, itself among them."""
        rows = np.flatnonzero(self.root[side] >= 0)
        roots = self.root[side][rows]
        order = np.argsort(roots, kind="stable")
        rows, roots = rows[order], roots[order]
        starts = np.flatnonzero(np.diff(roots, prepend=-1) != 0)
        parts = np.split(rows, starts[1:]) if len(rows) else []
        return {int(roots[start]): part.tolist() for start, part in zip(starts.tolist(), parts, strict=True)}

    def _follow(
        self, story: Difference, side: int, node: int, members: dict[int, list[int]], *, itself: bool = True
    ) -> None:
        nodes = self.nodes[side]
        for member in members[node]:
            what = What(int(nodes.what[member]))
            if what in (What.CALL, What.STRETCH):
                story.listeners.add(int(nodes.label[member]))
            if member == node and not itself:
                continue
            name = what.name.lower()
            story.follows[name] = story.follows.get(name, 0) + 1

    def _difference(self, sort: Sort, side: int, node: int, seconds: float, names: Told) -> Difference:
        frame = int(self.nodes[side].frame[node])
        numbers = self.sides[side].take.frames.number
        more = [0, 0]
        more[side] = 1
        return Difference(
            sort, side, side, node, int(numbers[frame]) if frame >= 0 else -1, seconds, names, more, False
        )

    def _shared_life(self, side: int, node: int) -> int:
        """Return the owner's life as a node of the second side, -1 where it has none there."""
        life = int(self.nodes[side].life[node])
        return int(self.matching.partner[0][life]) if side == 0 and life >= 0 else life

    def _ended_elsewhere(self, side: int, node: int) -> tuple[int, int] | None:
        """Return (other side, end) where the other side ended, before this could come, what it hangs on; else None."""
        nodes, partner, there = self.nodes[side], self.matching.partner[side], 1 - side
        for name in ("second", "cause", "life"):
            held = int(getattr(nodes, name)[node])
            end = self.ended[there].get(int(partner[held])) if held >= 0 and partner[held] >= 0 else None
            if end is not None and self.seconds[there][end] <= self.seconds[side][node] + 1e-6:
                return there, end
        return None

    def _sort(self, side: int, node: int, instead: str) -> Sort:
        nodes, take = self.nodes[side], self.sides[side].take
        what, row = What(int(nodes.what[node])), int(nodes.row[node])
        if self.seconds[side][node] > self.last[1 - side] - END_SECONDS:
            return Sort.TAIL
        if what is What.SEND and nodes.cause[node] < 0 and take.via_of_send(row) in OUTSIDE_WAYS:
            return Sort.OUTSIDE
        if what is What.SPAWN and nodes.cause[node] < 0:
            return Sort.OUTSIDE
        return Sort.CHANCE if instead else Sort.CODE

    def _played_otherwise(self, side: int, node: int) -> str:
        """Return the clip that the other side played for the same owner from the same cause, empty if none."""
        if self.nodes[side].what[node] != What.PLAY:
            return ""
        there = 1 - side
        cause, life = (int(getattr(self.nodes[side], name)[node]) for name in ("cause", "life"))
        partner = self.matching.partner[side]
        if cause < 0 or partner[cause] < 0:
            return ""
        other = self.plays[there].get((int(partner[cause]), int(partner[life]) if life >= 0 else -1))
        return told(self.sides[there], self.nodes[there], other).clip if other is not None else ""
