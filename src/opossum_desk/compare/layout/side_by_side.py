"""What Compare shows of a comparison, gathered once: the calls of each listener on both sides, on one clock."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.comparison import Comparison
from opossum.compare.figures import ListenerFigures
from opossum.compare.nodes import Nodes, What
from opossum.compare.telling import told
from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.take.take import Take
from opossum.words import counted, tr


class Lane(NamedTuple):
    """The calls of one listener on one side: seconds on the clock of the take on the desk (n,) ascending, which have no
    counterpart, and their rows."""

    seconds: Array
    lone: Array
    rows: Array


class ListenerLanes(NamedTuple):
    """One listener (class, function, event) on both sides; `stretch`: it runs with every frame, from when to when on each
    side (None: not at all)."""

    label: int
    name: tuple[str, str, str]
    lanes: tuple[Lane, Lane]
    stretch: tuple[tuple[float, float] | None, tuple[float, float] | None]
    is_stretch: bool

    @property
    def differs(self) -> bool:
        """Say whether any of its calls has no counterpart."""
        if self.is_stretch:
            return (self.stretch[0] is None) != (self.stretch[1] is None)
        return bool(self.lanes[0].lone.any() or self.lanes[1].lone.any())


class SideBySide:
    """All listeners of both takes, by label, and where on the desk's clock each difference lies."""

    def __init__(self, comparison: Comparison, take: Take) -> None:
        self.comparison = comparison
        self.own = 0 if comparison.sides[0].take is take else 1
        self.listeners = {item.label: item for item in self._gathered()}
        time = comparison.matching.time
        seconds = np.array([item.seconds for item in comparison.differences])
        self.difference_seconds = time.back(seconds) if self.own == 0 else seconds

    def _seconds(self, side: int) -> Array:
        """Return the seconds of a side's nodes on the clock of the take on the desk."""
        nodes, time = self.comparison.nodes[side], self.comparison.matching.time
        if side == self.own:
            return nodes.seconds
        return time.back(nodes.seconds) if self.own == 0 else time.there(nodes.seconds)

    def _gathered(self) -> list[ListenerLanes]:
        lanes: dict[int, list[Lane | None]] = {}
        stretches: dict[int, list[tuple[float, float] | None]] = {}
        first: dict[int, tuple[int, int]] = {}
        for side in (0, 1):
            nodes, partner = self.comparison.nodes[side], self.comparison.matching.partner[side]
            seconds = self._seconds(side)
            for part in _by_label(nodes, What.CALL, seconds):
                label = int(nodes.label[part[0]])
                first.setdefault(label, (side, int(part[0])))
                lanes.setdefault(label, [None, None])[side] = Lane(seconds[part], partner[part] < 0, nodes.row[part])
            for part in _by_label(nodes, What.STRETCH, seconds):
                label = int(nodes.label[part[0]])
                first.setdefault(label, (side, int(part[0])))
                stretches.setdefault(label, [None, None])[side] = self._spread(side, nodes.row[part])
        nothing = Lane(np.zeros(0), np.zeros(0, bool), np.zeros(0, np.int32))
        made = []
        for label, (side, node) in first.items():
            names = told(self.comparison.sides[side], self.comparison.nodes[side], node)
            one, other = lanes.get(label, [None, None])
            spans = stretches.get(label, [None, None])
            made.append(
                ListenerLanes(
                    label,
                    (names.cls, names.function, names.event),
                    (one or nothing, other or nothing),
                    (spans[0], spans[1]),
                    label in stretches,
                )
            )
        return made

    def _spread(self, side: int, listeners: Array) -> tuple[float, float]:
        """Return when calls of listeners first and last came, on the clock of the take on the desk."""
        source = self.comparison.sides[side]
        calls, by_listener = source.take.calls, source.take.calls_by_listener
        rows = np.concatenate([by_listener.rows(int(item))[[0, -1]] for item in listeners])
        peers = np.asarray(source.take.tables["call"]["p"], np.int64)[rows]
        seconds = source.seconds(peers, calls.start_ns[rows])
        time = self.comparison.matching.time
        if side != self.own:
            seconds = time.back(seconds) if self.own == 0 else time.there(seconds)
        return float(seconds.min()), float(seconds.max())

    def remark(self, item: ListenerLanes) -> str:
        """Say how a listener's figures moved from the first side to the second."""
        before, after = (figures.get(item.name, ListenerFigures()) for figures in self.comparison.listeners)
        more = after.calls - before.calls
        if more:
            told_more = (
                tr("{calls} more", calls=counted(more, "call"))
                if more > 0
                else tr("{calls} fewer", calls=counted(-more, "call"))
            )
            saved = after.time_ns - before.time_ns
            if abs(saved) > 1e6:
                time = milliseconds(abs(saved))
                told_more += tr(", {time} more", time=time) if saved > 0 else tr(", {time} less", time=time)
            return told_more
        lone = sum(int(lane.lone.sum()) for lane in item.lanes)
        return (
            tr("{calls}, {lone:,} of them otherwise", calls=counted(after.calls, "call"), lone=lone)
            if lone
            else counted(after.calls, "call")
        )


def _by_label(nodes: Nodes, what: What, seconds: Array) -> list[Array]:
    """Return the nodes of one sort, parted by what they are called, each part in the order of time."""
    mine = np.flatnonzero(nodes.what == what)
    order = mine[np.lexsort((seconds[mine], nodes.label[mine]))]
    return np.split(order, np.flatnonzero(np.diff(nodes.label[order])) + 1) if len(order) else []
