"""What two runs cost: each listener and timer, and how long frames were, before and after."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.compare.side import Side
from opossum.stream.tables import Array
from opossum.take.sieve import frame_budget_ns

FARTHEST_WORSE = 4.0
"""A worst call is another one if it takes so many times as long, and a frame more."""


class ListenerFigures(NamedTuple):
    """What one side's listeners of one name did: calls, ns together, ns of the worst, share that did nothing (-1: unknown),
    ns from call to call of one listener (median, -1 where it was called once)."""

    calls: int = 0
    time_ns: int = 0
    worst_ns: int = 0
    wasted: float = -1.0
    interval_ns: int = -1


class TimerFigures(NamedTuple):
    """Timers or delays of one name: set so often, fired so often, ns from firing to firing of one (median, -1: unknown)."""

    armed: int = 0
    fired: int = 0
    interval_ns: int = -1


class FrameFigures(NamedTuple):
    """Lengths of work of the frames that are judged, in ns, and how many took longer than their budget; `shares_ns`: see `SHARES`."""

    frames: int
    median_ns: int
    most_ns: int
    worst_ns: int
    over_budget: int
    budget_ns: int
    shares_ns: tuple[int, ...] = ()


SHARES = (10, 25, 50, 75, 90, 95, 99)
"""How long work took at most in so many of a hundred frames."""

ListenerName = tuple[str, str, str]
"""(class, function, event)."""

TimerName = tuple[str, str, str]
"""(class, event, `timer` or `delay`)."""


def listener_figures(side: Side) -> dict[ListenerName, ListenerFigures]:
    """Return the figures of every listener that was called, gathered by class, function and event. Linear in calls."""
    take = side.take
    calls, listeners = take.calls, take.listeners
    names = [
        (take.class_of(owner), take.text(function), take.text(event))
        for owner, function, event in zip(
            listeners.owner.tolist(), listeners.function.tolist(), listeners.event.tolist(), strict=True
        )
    ]
    keys = {name: number for number, name in enumerate(dict.fromkeys(names))}
    group = np.array([keys[name] for name in names], np.int64)[calls.listener] if len(names) else np.zeros(0, np.int64)
    rows = np.flatnonzero(side.calls)
    if not len(rows):
        return {}
    group = group[rows]
    count = np.bincount(group, minlength=len(keys))
    duration = calls.duration_ns[rows]
    time = np.bincount(group, weights=duration, minlength=len(keys))
    worst = np.zeros(len(keys), np.int64)
    np.maximum.at(worst, group, duration)
    told = calls.effect[rows] >= 0
    known = np.bincount(group[told], minlength=len(keys))
    wasted = np.bincount(group[told & (calls.effect[rows] == 0)], minlength=len(keys))
    interval = _medians_between(calls.listener[rows], group, calls.game_start_ns[rows], len(keys))
    return {
        name: ListenerFigures(
            int(count[number]),
            int(time[number]),
            int(worst[number]),
            float(wasted[number] / known[number]) if known[number] else -1.0,
            int(interval[number]),
        )
        for name, number in keys.items()
        if count[number]
    }


def timer_figures(side: Side) -> dict[TimerName, TimerFigures]:
    """Return the figures of timers and delays, gathered by class, event and sort."""
    take = side.take
    table, rows = take.tables["arm"], side.rows("arm")
    event, owner, what = take.arms.event, table["o"], table["what"]
    names = [
        (take.class_of(int(owner[row])), take.text(int(event[row])), take.text(int(what[row]))) for row in rows.tolist()
    ]
    keys = {name: number for number, name in enumerate(dict.fromkeys(names))}
    if not keys:
        return {}
    group = np.array([keys[name] for name in names], np.int64)
    armed = np.bincount(group, minlength=len(keys))
    firings = take.arms.firings
    sizes = firings.sizes()[rows]
    fired = np.bincount(group, weights=sizes, minlength=len(keys))
    sends = firings.rows_of_all(rows)
    of_arm, of_group = np.repeat(rows, sizes), np.repeat(group, sizes)
    times = take.holds.game_times(take.tables["send"]["p"], take.tables["send"]["t"])[sends]
    interval = _medians_between(of_arm, of_group, times, len(keys))
    return {
        name: TimerFigures(int(armed[number]), int(fired[number]), int(interval[number]))
        for name, number in keys.items()
    }


def _medians_between(source: Array, group: Array, times: Array, count: int) -> Array:
    """Return int64 (count,): the median time from one occurrence of a source to its next, by group; -1 where none."""
    medians = np.full(count, -1, np.int64)
    if len(source) < 2:
        return medians
    order = np.argsort(source, kind="stable")
    gaps = np.diff(times[order])
    same = np.diff(source[order]) == 0
    gaps, of_group = gaps[same], group[order][1:][same]
    within = np.lexsort((gaps, of_group))
    gaps, of_group = gaps[within], of_group[within]
    starts = np.flatnonzero(np.diff(of_group, prepend=-1) != 0)
    sizes = np.diff(np.append(starts, len(gaps)))
    medians[of_group[starts]] = gaps[starts + sizes // 2]
    return medians


def frame_figures(side: Side) -> FrameFigures:
    """Return the figures of the frames that are judged."""
    frames = side.take.frames
    rows = side.frames[frames.settled[side.frames]]
    peers = np.arange(len(side.take.peers)) if side.peer < 0 else np.array([side.peer])
    budgets = np.array([frame_budget_ns(side.take, peer) for peer in range(len(side.take.peers))] or [0.0])
    budget = int(budgets[peers].max()) if len(peers) else 0
    if not len(rows):
        return FrameFigures(0, 0, 0, 0, 0, budget)
    work = frames.work_ns[rows]
    shares = tuple(int(value) for value in np.percentile(work, SHARES, method="nearest"))
    middle, most = shares[SHARES.index(50)], shares[SHARES.index(95)]
    over = int((work > budgets[frames.peer[rows]]).sum())
    return FrameFigures(len(rows), middle, most, int(work.max()), over, budget, shares)


class Slower(NamedTuple):
    """A listener whose worst call takes a frame more than on the other side: `side` is the slower one."""

    name: ListenerName
    side: int
    worst_ns: tuple[int, int]


def slower_listeners(
    one: dict[ListenerName, ListenerFigures], other: dict[ListenerName, ListenerFigures], budget_ns: int
) -> list[Slower]:
    """Return listeners on both sides whose worst calls differ by a frame and by `FARTHEST_WORSE`, worst first."""
    found = []
    for name in one.keys() & other.keys():
        worst = (one[name].worst_ns, other[name].worst_ns)
        if max(worst) - min(worst) > max(budget_ns, 1) and max(worst) > FARTHEST_WORSE * min(worst):
            found.append(Slower(name, int(worst[1] > worst[0]), worst))
    return sorted(found, key=lambda item: (-max(item.worst_ns), item.name))
