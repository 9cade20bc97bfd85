"""Which pairs of listeners flip: found among those only that step out of line somewhere."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.take.indexes.callers import callers
from opossum.words import tr

FLIP_FRAMES = Threshold(
    "flip_frames", 5, "frames each way", "an order that was different a few times may have been set up so"
)
FLIP_SHARE = Threshold(
    "flip_share", 0.02, "share of the frames", "over a long take fewer flips in a hundred are chance"
)
FLIP_SHARE_OF = Threshold("flip_share_of", 200, "frames", "a share of fewer frames says nothing")

NEIGHBOURS = 12
"""Of listeners that step out of line in one send, each is compared with so many that follow it."""

FEWEST_NEIGHBOURS = 2
MOST_COMPARED = 600_000

MOST_PAIRS = 300
"""Pairs that are told of in one take."""

MOST_CALLS_COMPARED = 20
"""Calls of a pair that are looked at for a value they share."""


class Flip(NamedTuple):
    """Two listeners whose order flips: `first` runs first in most frames (`usual`), second in `rare` ones.

    `frames`: rows of the rarer order's frames, ascending; `calls`: rows of both in them.
    """

    first: int
    second: int
    usual: int
    rare: int
    frames: Array
    calls: Array


def flips(scene: Scene) -> list[Flip]:
    """Return the pairs whose order flips. Cost: a sort of the calls of sends that several listeners hear."""
    take, calls = scene.take, scene.take.calls
    rows, group = _groups(scene)
    if not len(rows):
        return []
    runs = Runs(group)
    order = runs.order
    moved = _out_of_line(calls.listener[rows[order]], runs)
    # only who steps out of line somewhere can be half of a pair that flips
    suspects = np.zeros(len(take.listeners), bool)
    suspects[calls.listener[rows[order[moved]]]] = True
    kept = suspects[calls.listener[rows[order]]]
    rows, group = rows[order[kept]], group[order[kept]]
    if not len(rows):
        return []
    return _flipping(scene, rows, *_ordered_pairs(scene, rows, group))


def _groups(scene: Scene) -> tuple[Array, Array]:
    """Return (calls in order of beginning, number of the send or, for ticks, of the frame and phase they belong to)."""
    take, calls = scene.take, scene.take.calls
    rows = np.flatnonzero(scene.counted & (calls.send >= 0) & (calls.frame >= 0) & (scene.owner >= 0))
    tick = scene.via[rows] == take.code("tick")
    phase = take.phase_of_call[rows]
    frame = np.where(tick, calls.frame[rows], -1)
    group, _ = factorised(np.where(tick, -1, calls.send[rows]), frame, np.where(tick, phase, -1))
    # a phase that comes several times in a frame is several turns: a listener's second call belongs to the second
    again = Runs(factorised(group, calls.listener[rows])[0])
    turn = np.zeros(len(rows), np.int64)
    turn[again.order] = again.rank
    group, _ = factorised(group, turn)
    sizes = np.bincount(group)
    several = sizes[group] > 1
    return rows[several], group[several]


def _out_of_line(listener: Array, runs: Runs) -> Array:
    """Return a boolean array (n,): the call stands before one that usually stands before it, or behind such a one.

    What is usual is each listener's mean place; in line are calls whose mean places rise.
    """
    size = runs.sizes[runs.group]
    place = runs.rank / np.maximum(size - 1, 1)
    mean = np.bincount(listener, weights=place) / np.maximum(np.bincount(listener), 1)
    # as whole numbers, all different: two that change places half of the time have one mean
    rank = np.empty(len(mean), np.int64)
    rank[np.argsort(mean, kind="stable")] = np.arange(len(mean))
    ahead = runs.group * (len(mean) + 1) + rank[listener]
    return (np.maximum.accumulate(ahead) > ahead) | (np.minimum.accumulate(ahead[::-1])[::-1] < ahead)


def _ordered_pairs(scene: Scene, rows: Array, group: Array) -> tuple[Array, Array]:
    """Return (earlier, later): positions in `rows` of calls of one group that stand near each other."""
    earlier, later = [], []
    # in a crowd that changes places all over, nearer neighbours tell enough
    reach = max(FEWEST_NEIGHBOURS, min(NEIGHBOURS, MOST_COMPARED // max(1, len(rows))))
    for step in range(1, reach + 1):
        mine = np.flatnonzero(group[step:] == group[:-step])
        if not len(mine):
            break
        earlier.append(mine)
        later.append(mine + step)
    nothing = np.zeros(0, np.int64)
    return (np.concatenate(earlier), np.concatenate(later)) if earlier else (nothing, nothing)


def _flipping(scene: Scene, rows: Array, earlier: Array, later: Array) -> list[Flip]:
    take, calls = scene.take, scene.take.calls
    listeners = take.listeners
    one, other = calls.listener[rows[earlier]], calls.listener[rows[later]]
    bound_one, bound_other = calls.bind[rows[earlier]], calls.bind[rows[later]]
    acted = (calls.effect > 0) | scene.sent
    related = (listeners.event[one] == listeners.event[other]) | (listeners.owner[one] == listeners.owner[other])
    watched = _watched_by_call(scene)
    if watched is not None:
        related |= np.isin(one, watched) & np.isin(other, watched)
    good = related & (one != other) & acted[rows[earlier]] & acted[rows[later]]
    earlier, later, one, other = earlier[good], later[good], one[good], other[good]
    bound_one, bound_other = bound_one[good], bound_other[good]
    if not len(earlier):
        return []
    low, high = np.minimum(one, other), np.maximum(one, other)
    forth = one == low
    # an order that changed because one of the two was bound anew is the game's own doing
    low_bind, high_bind = np.where(forth, bound_one, bound_other), np.where(forth, bound_other, bound_one)
    bound, _ = factorised(low, high, low_bind, high_bind)
    both = np.minimum(np.bincount(bound, weights=forth), np.bincount(bound, weights=~forth)) > 0
    kept = both[bound]
    earlier, later, low, high, forth = earlier[kept], later[kept], low[kept], high[kept], forth[kept]
    if not len(earlier):
        return []
    pair, first = factorised(low, high)
    frames = calls.frame[rows[earlier]].astype(np.int64)
    # frames, not calls, are counted: each once a pair and way
    _, keep = factorised(pair, forth, frames)
    pair_f, forth_f = pair[keep], forth[keep]
    ways = [np.bincount(pair_f[forth_f == way], minlength=len(first)) for way in (True, False)]
    rare, total = np.minimum(*ways), ways[0] + ways[1]
    share = (total >= scene[FLIP_SHARE_OF]) & (rare >= scene[FLIP_SHARE] * total)
    flipping = np.flatnonzero((rare > 0) & ((rare >= scene[FLIP_FRAMES]) | share))
    if not len(flipping):
        return []
    # where a whole crowd changes places, its most restless pairs tell enough
    flipping = flipping[np.argsort(-rare[flipping], kind="stable")[:MOST_PAIRS]]
    wanted = np.zeros(len(first), bool)
    wanted[flipping] = True
    mine = np.flatnonzero(wanted[pair])
    found = []
    for part in parted(pair[mine]):
        at = mine[part]
        number = int(pair[at[0]])
        forward = bool(ways[0][number] >= ways[1][number])
        in_rare = at[forth[at] != forward]
        pairs = (int(low[at[0]]), int(high[at[0]]))
        a, b = pairs if forward else pairs[::-1]
        if not _really_related(scene, a, b):
            continue
        found.append(
            Flip(
                a,
                b,
                int(max(ways[0][number], ways[1][number])),
                int(rare[number]),
                distinct(frames[in_rare]),
                np.sort(np.concatenate((rows[earlier[in_rare]], rows[later[in_rare]]))),
            )
        )
    return found


def _really_related(scene: Scene, one: int, other: int) -> bool:
    """Say whether two listeners share an event, an owner, or a value that both change; else both change some value."""
    listeners = scene.take.listeners
    if listeners.event[one] == listeners.event[other] or listeners.owner[one] == listeners.owner[other]:
        return True
    values = scene.once(_values_of_listener)
    return bool(values[one] & values[other])


def _values_of_listener(scene: Scene) -> dict[int, set[tuple[int, int]]]:
    """Return the watched values, as (object, name), that each listener's calls change. Cost: as `callers` says."""
    take, calls = scene.take, scene.take.calls
    table = take.tables["watch"]
    found: dict[int, set[tuple[int, int]]] = {}
    if not len(table) or not len(calls):
        return found
    call = callers(take.recording, "watch", take.frames, take.call_ids, calls.ret)
    inside = call >= 0
    owners, names = (np.asarray(table[name])[inside] for name in ("o", "name"))
    for listener, owner, name in set(
        zip(calls.listener[call[inside]].tolist(), owners.tolist(), names.tolist(), strict=True)
    ):
        found.setdefault(listener, set()).add((owner, name))
    return found


def _watched_by_call(scene: Scene) -> Array | None:
    values = scene.once(_values_of_listener)
    return np.array(sorted(values), np.int64) if values else None


def shares_value(scene: Scene, flip: Flip) -> str:
    """Say what the two share that makes their order matter: a watched value, or that one reads what the other sends."""
    take, listeners = scene.take, scene.take.listeners
    values = scene.once(_values_of_listener)
    both = values.get(flip.first, set()) & values.get(flip.second, set())
    if both:
        owner, name = min(both)
        return tr("both change `{name}` of {owner}", name=take.text(name), owner=take.text(owner))
    for sender, reader in ((flip.first, flip.second), (flip.second, flip.first)):
        calls = take.calls_by_listener.rows(sender)[:MOST_CALLS_COMPARED]
        children = take.children.rows_of_all(calls.astype(np.int64))
        if (scene.owner[children] == listeners.owner[reader]).any():
            function = take.function_of_listener(sender)
            return tr(
                "what {function} sends is heard by {owner}",
                function=function,
                owner=take.text(int(listeners.owner[reader])),
            )
    return ""
