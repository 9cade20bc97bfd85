"""What is told by calls – ticks, and answers to one event: reckoned when its row is first seen, linear in its calls."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, Runs, distinct, factorised
from opossum.words import counted, tr
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import FEWEST_FIRINGS, FEWEST_KNOWN, Recurring
from opossum_desk.state.peer_prefix import peer_prefix

FEWEST_ANSWERS = 3


def ticks(scene: Scene) -> Iterator[Recurring]:
    """Yield functions that run with every frame, or while something stays in a zone: how far each run is off the usual time since the run before."""
    take = scene.take
    calls = take.calls
    by_frame = [code for code in (take.code("tick"), take.code("zone")) if code >= 0]
    mine = np.flatnonzero(np.isin(scene.via, by_frame))
    if not len(mine):
        return
    group = scene.class_groups[calls.listener[mine]]
    codes, first = factorised(group)
    durations = np.bincount(codes, calls.duration_ns[mine])
    effect = calls.effect[mine]
    known = np.bincount(codes, effect >= 0)
    idle = np.bincount(codes, effect == 0)
    counts = np.bincount(codes)
    groups = Groups(codes, len(first))
    for number in range(len(first)):
        if counts[number] < FEWEST_FIRINGS:
            continue
        call = int(mine[first[number]])
        wasted = float(idle[number] / known[number]) if known[number] >= FEWEST_KNOWN else float("nan")

        def reckon(number: int = number) -> Firings:
            rows = mine[groups.rows(number)]
            return _intervals(scene, rows, calls.listener[rows])

        yield _of_call(
            scene,
            call,
            mine[groups.rows(number)],
            sort="tick",
            rhythm=tr(
                "{runs} by {via_of_send}",
                runs=counted(int(counts[number]), "run"),
                via_of_send=take.via_of_send(int(calls.send[call])),
            ),
            reckon=reckon,
            cost_ns=float(durations[number]) / (scene.played_ns / 1e9),
            wasted=wasted,
        )


def _intervals(scene: Scene, rows: Array, within: Array) -> Firings:
    """Return calls (rows, ascending), each off by how much longer than usual ago its listener ran before."""
    start = scene.take.calls.game_start_ns
    runs = Runs(within)
    ordered = rows[runs.order]
    steps = np.diff(start[ordered])
    same = runs.group[1:] == runs.group[:-1]
    usual = float(np.median(steps[same])) if same.any() else 0.0
    later = ordered[1:][same]
    return Firings(scene.take.calls.start_ns[later], steps[same] - usual, later)


def _of_call(scene: Scene, call: int, rows: Array, **more: object) -> Recurring:
    take = scene.take
    listener = int(take.calls.listener[call])
    owner, peer = int(take.listeners.owner[listener]), int(take.listeners.peer[listener])
    function = take.text(int(take.listeners.function[listener]))
    owners = len(distinct(take.calls.listener[rows]))
    cls = take.class_of(owner)
    who = take.text(owner) if owners == 1 else f"{cls} ×{owners:,}"
    return Recurring(
        name=f"{peer_prefix(take, peer)}{who}  {function.rpartition('.')[2]}",
        via=take.via_of_send(int(take.calls.send[call])),
        rows_of="call",
        unit_ns=scene.once(frame_times).usual_ns[peer],
        count=len(rows),
        event=take.text(int(take.listeners.event[listener])),
        owner=take.text(owner) if owners == 1 else "",
        cls=cls,
        function=function,
        peer=take.peers[peer].name,
        **more,  # type: ignore[arg-type]
    )


def answers(scene: Scene) -> Iterator[Recurring]:
    """Yield events that several hear: how long after the send each of them was called."""
    take = scene.take
    listeners, calls = take.listeners, take.calls
    if not len(listeners):
        return
    codes, first = factorised(listeners.peer, listeners.event)
    groups = Groups(codes, len(first))
    sizes = take.calls_by_listener.sizes()
    by_frame = _tick_events(scene)
    for number in range(len(first)):
        mine = groups.rows(number)
        event, peer = int(listeners.event[first[number]]), int(listeners.peer[first[number]])
        count = int(sizes[mine].sum())
        if len(mine) < 2 or event < 0 or (peer, event) in by_frame or count < 2 * FEWEST_ANSWERS:
            continue

        def reckon(mine: Array = mine) -> Firings:
            rows = np.sort(take.calls_by_listener.rows_of_all(mine)).astype(np.int64)
            rows = rows[calls.send[rows] >= 0]
            sent = np.asarray(take.tables["send"]["t"], np.int64)[calls.send[rows]]
            return Firings(calls.start_ns[rows], calls.start_ns[rows] - sent, rows)

        yield Recurring(
            sort="answer",
            name=tr("{peer_name}answers to {event}", peer_name=peer_prefix(take, peer), event=take.text(event)),
            rhythm=tr("{calls} of {listeners}", calls=counted(count, "call"), listeners=counted(len(mine), "listener")),
            via="direct",
            rows_of="call",
            unit_ns=scene.once(frame_times).usual_ns[peer],
            count=count,
            reckon=reckon,
            event=take.text(event),
            peer=take.peers[peer].name,
        )


def _tick_events(scene: Scene) -> set[tuple[int, int]]:
    """Return the (peer, event) of what comes with every frame."""
    table = scene.take.tables["send"]
    tick = scene.take.code("tick")
    rows = np.flatnonzero((np.asarray(table["via"]) == tick) & (tick >= 0))
    if not len(rows):
        return set()
    _, first = factorised(np.asarray(table["p"])[rows], np.asarray(table["ev"])[rows])
    return {(int(table["p"][row]), int(table["ev"][row])) for row in rows[first].tolist()}
