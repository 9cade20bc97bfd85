"""Two routes: one owner's function runs twice in a frame through two sends that spring from one cause."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_PILED_DELAYS, FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted, repeated
from opossum.take.json_values import json_codes
from opossum.words import counted, tr

DEEPEST_CYCLE = 64
"""So many causes outwards are looked through for the function itself: then it is a cycle, told as such."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield what two routes reach. Cost: sorts of the calls that share frame, owner, function and cause."""
    seconds, firsts = _pairs(scene)
    if not len(seconds):
        return
    calls = scene.take.calls
    events = np.sort(np.stack((calls.event[seconds], calls.event[firsts])), axis=0)
    classes = scene.class_of_object[scene.owner[seconds]]
    for part in parted(classes, scene.function[seconds], scene.peer[seconds], events[0], events[1]):
        order = part[np.argsort(seconds[part])]
        yield _tell(scene, seconds[order], firsts[order])


def _pairs(scene: Scene) -> tuple[Array, Array]:
    """Return (later calls, for each the earlier call it repeats) that nothing in the data tells apart."""
    take, calls = scene.take, scene.take.calls
    asked = np.flatnonzero((calls.send >= 0) & scene.counted & (scene.via != take.code("tick")) & (scene.owner >= 0))
    columns = [values[asked] for values in (calls.frame, scene.owner, scene.function, scene.peer)]
    rows, codes = repeated(*columns, _root_of(scene, asked))
    rows = asked[rows]
    alone = ~_called_by_itself(scene, rows)
    rows, codes = rows[alone], codes[alone]
    if not len(rows):
        return rows, rows
    sends = take.tables["send"]
    send = np.asarray(calls.send, np.int64)[rows]
    group, _ = factorised(codes, json_codes(sends.json("d"), send))
    event = np.asarray(calls.event)[rows]
    # of one event: two sends of one sender, and of one firing (a timer that catches up fires several times)
    firing = np.asarray(calls.send)[scene.origin[rows]]
    same, _ = factorised(group, event, np.asarray(sends["o"])[send], firing)
    runs = Runs(same)
    first = runs.first()
    again = send[runs.order] != send[first]
    partner = np.full(len(rows), -1, np.int64)
    partner[runs.order[again]] = first[again]
    # of two events: the nearest earlier call of another event
    runs = Runs(group)
    other = event[runs.order] != event[runs.first()]
    # … which for the first event's later calls is the first call of another one
    after_other = ~other & (runs.before(other) > 0)
    first_other = np.full(len(runs.starts), len(rows), np.int64)
    np.minimum.at(first_other, runs.group[other], np.flatnonzero(other))
    for places, partners in (
        (other, runs.first()),
        (after_other, runs.order[np.minimum(first_other, len(rows) - 1)[runs.group]]),
    ):
        mine = runs.order[places]
        free = (partner[mine] < 0) & (send[partners[places]] != send[mine])
        partner[mine[free]] = partners[places][free]
    found = np.flatnonzero(partner >= 0)
    return rows[found], rows[partner[found]]


def _root_of(scene: Scene, rows: Array) -> Array:
    """Return what each call springs from: a send's row, or (below a tick) the outermost call, negative.

    A tick is sent to everybody, so it is nobody's common cause; a timer's firing is, whatever it sends.
    """
    take = scene.take
    top = scene.origin[rows].astype(np.int64)
    root_send = take.calls.send[top].astype(np.int64)
    sends = take.tables["send"]
    root_via = np.append(np.asarray(sends["via"], np.int64), -1)[root_send]
    arm = np.append(np.asarray(sends["a"], np.int64), 0)[root_send]
    base = len(sends) + 1
    by_arm = (arm > 0) & np.isin(root_via, [take.code("timer"), take.code("delay")])
    root = np.where(by_arm, base + arm, root_send)
    ticked = (root_via == take.code("tick")) | (root_send < 0)
    return np.where(ticked, -2 - top, root)


def _called_by_itself(scene: Scene, rows: Array) -> Array:
    """Return a boolean array (n,): the call has its owner's same function among its nearest causes."""
    parent = scene.take.calls.parent
    found = np.zeros(len(rows), bool)
    asked = np.arange(len(rows))
    above = parent[rows]
    for _ in range(DEEPEST_CYCLE):
        asked = asked[above >= 0]
        above = above[above >= 0]
        if not len(asked):
            break
        mine = rows[asked]
        found[asked] |= (scene.owner[above] == scene.owner[mine]) & (scene.function[above] == scene.function[mine])
        above = parent[above]
    return found


def _tell(scene: Scene, rows: Array, partners: Array) -> Found:
    take, calls = scene.take, scene.take.calls
    second, first = int(rows[0]), int(partners[0])
    events = list(dict.fromkeys(take.event_of_call(call) for call in (first, second)))
    subject = scene.subject_of_calls(rows, ev=events[0] if len(events) == 1 else events[1])
    top = int(scene.origin[second])
    shared_call = int(scene.origin[first]) == top
    if shared_call:
        cause = tr(
            "{function_of_call} of {owner_of_call}",
            function_of_call=take.function_of_call(top),
            owner_of_call=take.owner_of_call(top),
        )
        evidence = scene.evidence("call", [top], tr("the one cause"))
    else:
        cause = tr("one `{event_of_call}` send", event_of_call=take.event_of_call(top))
        evidence = scene.evidence("send", [int(calls.send[top])], tr("the one cause"))
    routes = (
        tr("through `{events}` and `{events2}`", events=events[0], events2=events[1])
        if len(events) == 2
        else tr("through two `{events}` sends", events=events[0])
    )
    evidence += scene.evidence("send", [int(calls.send[first]), int(calls.send[second])], tr("a route"))
    evidence += scene.evidence("call", [first, second], tr("ran here"))
    return Found(
        subject=subject,
        frame_rows=calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} of {owner_of_call} ran twice in a frame {routes}, both from {cause}; it happened {times}.",
            fn=subject.function,
            owner_of_call=take.owner_of_call(second),
            routes=routes,
            cause=cause,
            times=counted(len(rows), "time"),
        ),
        advice=tr(
            "Let {fn} listen to one of the two only, or let the sender send once; look at {place_of_call}.",
            fn=subject.function,
            place_of_call=scene.place_of_call(second) or subject.function,
        ),
        evidence=tuple(evidence),
        calls=distinct(np.concatenate((rows, partners))),
        told_apart=tuple(event for event in sorted(events) if event != subject.ev),
    )


TWO_ROUTES = Cause(
    "two-routes",
    "reached by two routes",
    Severity.FAULT,
    find,
    springs_from=(*FROM_STALE_CALLS, *FROM_PILED_DELAYS),
    about="One owner's function runs twice in a frame through two sends that spring from one call, one send or one timer firing, and nothing in the data tells them apart.",
    quiet="different senders or data; ticks; a function that calls itself over other calls (a storm); a timer that catches up, and keys pressed in one frame, also where the game's own loop takes them from a queue.",
)
