"""Cooldowns: delays that a function sets when it acts, and while which it is called and does nothing.

Nothing in a stream says that a delay is a cooldown; it is one where its setter is turned away while it runs. What is shown is how
long after the end of each the function acted again: level at 0 where it is held down, below 0 where it acted although it was cooling.
Cost: the arms and the calls of what sets them.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, parted
from opossum.take.indexes.objects import NEVER
from opossum.words import counted, tr
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import FEWEST_FIRINGS, Recurring
from opossum_desk.state.peer_prefix import peer_prefix

FEWEST_TURNED_AWAY = 3
"""Turned away less often, it may have had nothing to do by chance."""


def cooldowns(scene: Scene) -> Iterator[Recurring]:
    """Yield functions that set a delay when they act, and are turned away while it runs."""
    take = scene.take
    table, arms = take.tables["arm"], take.arms
    mine = np.flatnonzero((np.asarray(table["loop"]) != 1) & (arms.cause >= 0) & (arms.end_ns != NEVER))
    if not len(mine):
        return
    setters = take.calls.listener[arms.cause[mine]]
    kinds = scene.class_groups[setters]
    for part in parted(kinds, arms.event[mine]):
        if len(part) < FEWEST_FIRINGS:
            continue
        own, by = mine[part], setters[part]
        turned_away = _turned_away(scene, own, by)
        if len(turned_away) >= FEWEST_TURNED_AWAY:
            yield _row(scene, own, by, turned_away)


def _turned_away(scene: Scene, arms: Array, setters: Array) -> Array:
    """Return calls (rows) of the setters that did nothing while a delay of their own ran."""
    calls = scene.take.calls
    table, ends = scene.take.tables["arm"], scene.take.arms.end_ns
    found = []
    order = np.lexsort((np.asarray(table["t"])[arms], setters))
    arms, setters = arms[order], setters[order]
    begins = np.asarray(table["t"], np.int64)[arms]
    starts = np.flatnonzero(np.concatenate(([True], np.diff(setters) != 0)))
    for first, stop in zip(starts.tolist(), [*starts[1:].tolist(), len(arms)], strict=True):
        rows = scene.take.calls_by_listener.rows(int(setters[first]))
        idle = rows[calls.effect[rows] == 0]
        before = np.searchsorted(begins[first:stop], calls.start_ns[idle], "right") - 1
        while_it_ran = (before >= 0) & (calls.start_ns[idle] < ends[arms[first:stop]][np.maximum(before, 0)])
        found.append(idle[while_it_ran])
    return np.concatenate(found).astype(np.int64)


def _row(scene: Scene, arms: Array, setters: Array, turned_away: Array) -> Recurring:
    take = scene.take
    calls, listeners = take.calls, take.listeners
    call = int(take.arms.cause[arms[0]])
    listener = int(calls.listener[call])
    owner, peer = int(listeners.owner[listener]), int(listeners.peer[listener])
    function, cls = take.text(int(listeners.function[listener])), take.class_of(owner)
    owners = len(np.unique(setters))
    who = take.text(owner) if owners == 1 else f"{cls} ×{owners:,}"

    def reckon() -> Firings:
        begins = np.asarray(take.tables["arm"]["t"], np.int64)[arms]
        runs = Runs(setters)
        ordered = arms[runs.order]
        same = runs.group[1:] == runs.group[:-1]
        again, ended = ordered[1:][same], take.arms.end_ns[ordered[:-1][same]]
        times = begins[runs.order][1:][same]
        return Firings(times, times - ended, take.arms.cause[again])

    return Recurring(
        sort="cooldown",
        name=f"{peer_prefix(take, peer)}{who}  {function.rpartition('.')[2]}",
        rhythm=tr(
            "cools down by {event}, turned away {times}",
            event=take.text(int(take.arms.event[arms[0]])),
            times=counted(len(turned_away), "time"),
        ),
        via="delay",
        rows_of="call",
        unit_ns=scene.once(frame_times).usual_ns[peer],
        count=len(arms),
        reckon=reckon,
        event=take.text(int(listeners.event[listener])),
        owner=take.text(owner) if owners == 1 else "",
        cls=cls,
        function=function,
        peer=take.peers[peer].name,
        cost_ns=float(calls.duration_ns[turned_away].sum()) / max(scene.played_ns / 1e9, 1e-9),
        wasted=len(turned_away) / (len(turned_away) + len(arms)),
    )
