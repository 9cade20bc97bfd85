"""Which things of two sides are each other's counterpart: by what they spring from, never by number or name alone.

A thing's key is made of what it is called, the key of its cause, the keys of the lives it belongs to and its place among
equal ones under the same cause; equal keys are counterparts.  What has no cause, or hangs on a stretch, is numbered by
when it came where the two sides have not equally many of it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from opossum.compare.nodes import Nodes, What
from opossum.compare.time_map import TimeMap, longest_rising
from opossum.stream.tables import Array
from opossum.take.grouping import Groups

MOST_ROUNDS = 6
"""Numbering by time is begun anew so often: what hangs on it changes what there is to number; it is stable sooner."""

RARE = 50
"""What has at most so many equals is an anchor for time."""

FARTHEST_SECONDS = 1.5
"""What comes without a cause is the same thing if it came at most so much earlier or later."""


@dataclass(eq=False, repr=False)
class Matching:
    """`partner`: for each node of each side the node of the other, int32, -1 where it has none; `time`: first to second."""

    partner: tuple[Array, Array]
    time: TimeMap
    rounds: int


def matched(one: Nodes, other: Nodes) -> Matching:
    """Match two tables whose labels are numbered alike. Cost: a pass over the nodes and a sort, each round."""
    sides = (one, other)
    given = [np.full(len(nodes), -1, np.int64) for nodes in sides]
    bases, keys = _both_keys(sides, given)
    time = TimeMap(np.zeros(0), np.zeros(0))
    rounds = 1
    # at first what is to be numbered by time is nobody's counterpart: a wrong pair would bend the time it is judged by
    latest = _numbered_by_time(sides, bases, None)
    while rounds < MOST_ROUNDS and any(map(_differ, latest, given)):
        given = latest
        bases, keys = _both_keys(sides, given)
        rounds += 1
        time = _time_map(sides, bases, *_pairs(*keys))
        latest = _numbered_by_time(sides, bases, time)
    if rounds == 1:
        time = _time_map(sides, bases, *_pairs(*keys))
    mine, theirs = _pairs(*keys)
    partner = tuple(np.full(len(nodes), -1, np.int32) for nodes in sides)
    partner[0][mine], partner[1][theirs] = theirs, mine
    return Matching((partner[0], partner[1]), time, rounds)


def _differ(one: Array, other: Array) -> bool:
    return not np.array_equal(one, other)


def _both_keys(sides: tuple[Nodes, Nodes], given: list[Array]) -> tuple[list[Array], list[Array]]:
    keyed = [_keys(nodes, numbers) for nodes, numbers in zip(sides, given, strict=True)]
    return [pair[0] for pair in keyed], [pair[1] for pair in keyed]


def _keys(nodes: Nodes, given: Array) -> tuple[Array, Array]:
    """Return (base, key) int64 (n,) of each node: what it hangs on, and that with its place among its equals."""
    label, life, second = (getattr(nodes, name).tolist() for name in ("label", "life", "second"))
    # an end is the end of what it ends, whoever brought it about
    cause = np.where(nodes.what >= What.SPAWN_END, -1, nodes.cause).tolist()
    numbers = given.tolist()
    seen: dict[int, int] = {}
    bases, keys = [0] * len(label), [0] * (len(label) + 1)  # the last stands for what is hung on nothing
    for place, name in enumerate(label):
        base = hash((name, keys[cause[place]], keys[life[place]], keys[second[place]]))
        number = numbers[place]
        if number == -1:
            number = seen.get(base, 0)
            seen[base] = number + 1
        bases[place] = base
        keys[place] = hash((base, number))
    return np.array(bases, np.int64), np.array(keys[:-1], np.int64)


def _pairs(one: Array, other: Array) -> tuple[Array, Array]:
    """Return the places (k,) in both at which keys are equal; a key that comes twice on one side is its first."""
    if not len(one) or not len(other):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    _, mine, theirs = np.intersect1d(one, other, return_indices=True)
    order = np.argsort(mine)
    return mine[order], theirs[order]


def _numbered(one: Array, other: Array) -> tuple[Array, Array]:
    """Return small numbers for keys, equal where keys are equal: keys use all 64 bits, so they are sorted."""
    _, codes = np.unique(np.concatenate((one, other)), return_inverse=True)
    return codes[: len(one)], codes[len(one) :]


def _time_map(sides: tuple[Nodes, Nodes], bases: list[Array], mine: Array, theirs: Array) -> TimeMap:
    codes, _ = _numbered(*bases)
    sorts = np.asarray(sides[0].what)[mine]
    rare = np.bincount(codes)[codes[mine]] <= RARE if len(codes) else np.zeros(0, bool)
    rare &= (sorts != What.OBJECT) & (sorts != What.STRETCH)
    return TimeMap(sides[0].seconds[mine[rare]], sides[1].seconds[theirs[rare]])


def _numbered_by_time(sides: tuple[Nodes, Nodes], bases: list[Array], time: TimeMap | None) -> list[Array]:
    """Return each node's number among its equals where that is told by time, else -1; without a time, none has an equal."""
    loose = [np.flatnonzero(_comes_by_itself(nodes)) for nodes in sides]
    codes = _numbered(bases[0][loose[0]], bases[1][loose[1]])
    count = 1 + max((int(code.max(initial=-1)) for code in codes), default=-1)
    groups = [Groups(code, count) for code in codes]
    sizes = [group.sizes() for group in groups]
    given = [np.full(len(nodes), -1, np.int64) for nodes in sides]
    for group in np.flatnonzero((sizes[0] != sizes[1]) & (sizes[0] > 0) & (sizes[1] > 0)).tolist():
        rows = [loose[side][groups[side].rows(group)] for side in (0, 1)]
        here, there = sides[0].seconds[rows[0]], sides[1].seconds[rows[1]]
        mine = theirs = np.zeros(0, np.int64)
        if time is not None:
            mine, theirs = nearest_in_order(time.there(here), there, FARTHEST_SECONDS)
        # numbers below -1 belong to one side alone; odd ones to the first, so that none meet
        given[0][rows[0]], given[1][rows[1]] = -3 - 2 * np.arange(len(here)), -2 - 2 * np.arange(len(there))
        given[0][rows[0][mine]] = np.arange(len(mine))
        given[1][rows[1][theirs]] = np.arange(len(mine))
    return given


def _comes_by_itself(nodes: Nodes) -> Array:
    what = np.asarray(nodes.what)
    by_stretch = np.append(what == What.STRETCH, False)[nodes.cause]
    return ((nodes.cause < 0) | by_stretch) & (what != What.OBJECT) & (what != What.STRETCH)


def nearest_in_order(here: Array, there: Array, farthest: float) -> tuple[Array, Array]:
    """Return the places (k,) in two rising series of those that are each other's nearest, and at most `farthest` apart.

    What is each other's nearest never crosses; it is taken out, and what is left between is asked again until nothing new
    is found. Cost: a binary search of one in the other, a few times.
    """
    pairs = [np.zeros((2, 0), np.int64)]
    mine, theirs = np.arange(len(here)), np.arange(len(there))
    for _ in range(8):
        if not len(mine) or not len(theirs):
            break
        forth, back = _nearest(here[mine], there[theirs]), _nearest(there[theirs], here[mine])
        own = np.flatnonzero(back[forth] == np.arange(len(mine)))
        own = own[np.abs(here[mine[own]] - there[theirs[forth[own]]]) <= farthest]
        if not len(own):
            break
        pairs.append(np.stack((mine[own], theirs[forth[own]])))
        mine, theirs = np.delete(mine, own), np.delete(theirs, forth[own])
    found = np.concatenate(pairs, axis=1)
    found = found[:, np.argsort(found[0], kind="stable")]
    # later rounds may reach over what earlier ones took
    kept = longest_rising(found[1]) if (np.diff(found[1]) < 0).any() else np.arange(found.shape[1])
    return found[0][kept], found[1][kept]


def _nearest(values: Array, among: Array) -> Array:
    """Return the place in `among` (rising) that is nearest to each value."""
    right = np.clip(np.searchsorted(among, values), 0, len(among) - 1)
    left = np.maximum(right - 1, 0)
    return np.where(np.abs(among[left] - values) <= np.abs(among[right] - values), left, right)
