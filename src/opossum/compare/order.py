"""What ran in another order within a frame."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.every_frame import Labels
from opossum.compare.matching import Matching
from opossum.compare.nodes import Nodes, What
from opossum.compare.side import Side
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, factorised

FEWEST_FRAMES = 10
"""Listeners that run with every frame are in an order once so many frames show it."""

SURE = 0.9
"""An order is another one where at least this share of the frames shows it."""

MOST_OF_A_NAME = 5
"""Pairs of objects that are asked for two functions."""

MOST_PAIRS = 400
"""Neighbours among listeners that run with every frame that are looked at."""


class Flip(NamedTuple):
    """Two listeners whose order differs: in the first run `first` ran before `second`, in the other after it.

    `times`: how often; `frame`: the first time, by the second run's own number; `call`: the call (row) of `first` there.
    """

    first: str
    second: str
    times: int
    frame: int
    call: int


def order_flips(
    sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching, labels: tuple[Labels, Labels]
) -> list[Flip]:
    """Return pairs whose order within a frame differs, most frequent first. Cost: sorts of the matched calls."""
    told: dict[tuple[str, str], Flip] = {}
    for flip in _of_single_calls(sides, nodes, matching) + _of_stretches(sides, nodes, matching, labels):
        known = told.get((flip.first, flip.second))
        if flip.first == flip.second:
            continue  # two objects of one class: who of them comes first is told by their lives
        if known is not None:
            earlier = min(known, flip, key=lambda item: item.frame)
            flip = earlier._replace(times=known.times + flip.times)
        told[flip.first, flip.second] = flip
    return sorted(told.values(), key=lambda flip: (-flip.times, flip.frame))


def _of_single_calls(sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching) -> list[Flip]:
    one, other = nodes
    mine = np.flatnonzero((matching.partner[0] >= 0) & (one.what == What.CALL))
    theirs = matching.partner[0][mine]
    # neighbours in the first run that came in one frame in both, and the other way round in the second
    same = (np.diff(one.frame[mine]) == 0) & (np.diff(other.frame[theirs]) == 0) & (np.diff(one.peer[mine]) == 0)
    places = np.flatnonzero(same & (np.diff(other.line[theirs]) < 0))
    if not len(places):
        return []
    pairs, first = factorised(one.label[mine[places]], one.label[mine[places + 1]])
    counts = np.bincount(pairs)
    found = []
    for pair, place in enumerate(places[first].tolist()):
        before, after = (int(other.row[theirs[place + step]]) for step in (0, 1))
        found.append(_flip(sides[1], before, after, int(counts[pair])))
    return found


def _flip(side: Side, before: int, after: int, count: int) -> Flip:
    take = side.take
    frame = int(take.calls.frame[before])
    number = int(take.frames.number[frame]) if frame >= 0 else -1
    return Flip(take.function_of_call(before), take.function_of_call(after), count, number, before)


def _of_stretches(
    sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching, labels: tuple[Labels, Labels]
) -> list[Flip]:
    """Return flips of listeners that run with every frame: of neighbours in the first run, asked in the second."""
    one, other = nodes
    mine = np.flatnonzero((matching.partner[0] >= 0) & (one.what == What.STRETCH))
    partner = dict(zip(one.row[mine].tolist(), other.row[matching.partner[0][mine]].tolist(), strict=True))
    take, calls = sides[0].take, sides[0].take.calls
    rows = np.flatnonzero(labels[0].call_each_frame & sides[0].calls)
    if len(rows) < 2:
        return []
    next_to = np.diff(calls.frame[rows]) == 0
    before, after = calls.listener[rows[:-1]][next_to], calls.listener[rows[1:]][next_to]
    pairs, first = factorised(before, after) if len(before) else (np.zeros(0, np.int32), np.zeros(0, np.int32))
    counts = np.bincount(pairs) if len(pairs) else np.zeros(0, np.int64)
    often = np.argsort(-counts, kind="stable")[:MOST_PAIRS]
    by_listener = [side.take.calls_by_listener for side in sides]
    found = []
    asked: dict[tuple[int, int], int] = {}
    for pair in often[counts[often] >= FEWEST_FRAMES].tolist():
        left, right = int(before[first[pair]]), int(after[first[pair]])
        names = take.listeners.function[left], take.listeners.function[right]
        asked[names] = asked.get(names, 0) + 1
        if names[0] == names[1] or asked[names] > MOST_OF_A_NAME or left not in partner or right not in partner:
            continue
        kept, _ = _frames_with_left_first(sides[0], by_listener[0], left, right)
        turned, call = _frames_with_left_first(sides[1], by_listener[1], partner[right], partner[left])
        if kept >= SURE and turned >= SURE and call >= 0:
            frame = sides[1].take.calls.frame
            times = int(np.sum(_both(frame, by_listener[1], partner[left], partner[right])[2]))
            other_call = int(by_listener[1].rows(partner[right])[0])
            flip = _flip(sides[1], call, other_call, times)
            found.append(flip)
    return found


def _both(frame: Array, by_listener: Groups, left: int, right: int) -> tuple[Array, Array, Array]:
    """Return the first calls (rows) of two listeners in the frames that hold both, and ones to count them by."""
    parts = []
    for listener in (left, right):
        rows = by_listener.rows(listener)
        parts.append(rows[np.diff(frame[rows], prepend=-2) != 0])
    _, mine, theirs = np.intersect1d(frame[parts[0]], frame[parts[1]], assume_unique=True, return_indices=True)
    return parts[0][mine], parts[1][theirs], np.ones(len(mine), np.int64)


def _frames_with_left_first(side: Side, by_listener: Groups, left: int, right: int) -> tuple[float, int]:
    """Return (share of the frames with both in which `left` ran first, its first call of the right one there, or -1)."""
    lefts, rights, ones = _both(side.take.calls.frame, by_listener, left, right)
    if len(ones) < FEWEST_FRAMES:
        return 0.0, -1
    earlier = lefts < rights
    return float(earlier.mean()), int(rights[earlier][0]) if earlier.any() else -1
