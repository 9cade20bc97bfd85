"""What ran in another order within a frame."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.every_frame import Labels
from opossum.compare.matching import Matching
from opossum.compare.nodes import Nodes, What
from opossum.compare.side import Side
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
        kept = _with_left_first(sides[0], by_listener[0], left, right)
        turned = _with_left_first(sides[1], by_listener[1], partner[right], partner[left])
        if kept.share >= SURE and turned.share >= SURE:
            found.append(_flip(sides[1], turned.call, int(by_listener[1].rows(partner[right])[0]), turned.frames))
    return found


class _Order(NamedTuple):
    """In which share of the frames that hold both the left one ran first, how many frames hold both, and the right one's
    call in the first frame in which it did (-1: in none)."""

    share: float
    frames: int
    call: int


def _with_left_first(side: Side, by_listener: Groups, left: int, right: int) -> _Order:
    frame = side.take.calls.frame
    firsts = []
    for listener in (left, right):
        rows = by_listener.rows(listener)
        firsts.append(rows[np.diff(frame[rows], prepend=-2) != 0])
    _, mine, theirs = np.intersect1d(frame[firsts[0]], frame[firsts[1]], assume_unique=True, return_indices=True)
    lefts, rights = firsts[0][mine], firsts[1][theirs]
    earlier = lefts < rights
    if len(lefts) < FEWEST_FRAMES or not earlier.any():
        return _Order(0.0, len(lefts), -1)
    return _Order(float(earlier.mean()), len(lefts), int(rights[earlier][0]))
