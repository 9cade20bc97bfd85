"""A `stay` listener that, after it did nothing for a while, acts on every later frame or sends the same event again."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.double_fire.no_latch.repeating import LATCH_REPEATS
from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, joined
from opossum.words import counted, tr

MOST_FOLLOWED = 2000
"""Calls whose effects are told and marked: enough to see, few enough to gather."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield zones that are acted on again and again. Cost: sorts of the `stay` calls and of the sends they made."""
    take, calls = scene.take, scene.take.calls
    stays = np.flatnonzero(
        (scene.via == take.code("zone")) & (scene.edge == take.code("stay")) & scene.counted & scene.is_of_one
    )
    if not len(stays):
        return
    visits = _visits(scene, stays)
    runs = Runs(visits, scene.line[stays])
    rows = stays[runs.order]
    # where nobody tells what a call did, that it sent something shows that it acted
    changed = (calls.effect[rows] > 0) | ((calls.effect[rows] < 0) & scene.sent[rows])
    acted_before = runs.before(changed)
    waited = runs.before(~changed & (acted_before == 0))  # how often it did nothing before it first acted
    later = acted_before > 0
    repeats = scene[LATCH_REPEATS]
    # … on every later frame
    all_later = runs.sums(later & changed) == runs.sums(later)
    enough = (runs.sums(later) >= repeats) & all_later
    extra = later & enough[runs.group]
    # … or the same event again
    extra |= later & _sends_again(scene, runs, rows, repeats)
    extra &= (waited >= repeats) & changed
    for part in scene.by_class(np.sort(rows[extra])):
        yield _tell(scene, part)


def _visits(scene: Scene, stays: Array) -> Array:
    """Return a number (n,) for each call's owner, function, zone, visitor, and stay there between enter and leave."""
    take = scene.take
    sends = take.tables["send"]
    edges = [take.code("enter"), take.code("leave")]
    borders = np.flatnonzero(
        np.isin(np.asarray(sends["edge"]), edges) & (np.asarray(sends["via"]) == take.code("zone"))
    )
    send = take.calls.send[stays]
    zone, visitor = np.asarray(sends["o"])[send], take.visitor_of_send[send]
    of_stay, of_border = joined(
        (scene.peer[stays], zone, visitor), (sends["p"][borders], sends["o"][borders], take.visitor_of_send[borders])
    )
    lines, border_lines = scene.line[stays], np.asarray(sends["line"], np.int64)[borders]
    stride = int(max(lines.max(), border_lines.max(initial=0))) + 1
    crossed = np.searchsorted(
        np.sort(of_border.astype(np.int64) * stride + border_lines), of_stay.astype(np.int64) * stride + lines
    )
    codes, _ = factorised(scene.peer[stays], scene.owner[stays], scene.function[stays], zone, visitor, crossed)
    return codes


def _sends_again(scene: Scene, runs: Runs, rows: Array, repeats: float) -> Array:
    """Return a boolean array (n,) by place: the call sends what an earlier call of its visit sent, often enough."""
    take = scene.take
    place_of = np.full(len(take.calls), -1, np.int64)
    place_of[rows] = np.arange(len(rows))
    cause = take.sends.cause
    sent = np.flatnonzero((cause >= 0) & (place_of[cause] >= 0))
    again = np.zeros(len(rows), bool)
    if not len(sent):
        return again
    places = place_of[cause[sent]]
    codes, _ = factorised(runs.group[places], np.asarray(take.tables["send"]["ev"])[sent])
    by_event = Runs(codes)
    often = by_event.sizes > repeats
    told = (by_event.rank > 0) & often[by_event.group]
    again[places[by_event.order[told]]] = True
    return again


def _tell(scene: Scene, rows: Array) -> Found:
    take, calls = scene.take, scene.take.calls
    subject = scene.subject_of_calls(rows)
    children = [take.children.rows(int(row)) for row in rows[:MOST_FOLLOWED]]
    following = distinct(np.concatenate([rows[:0], *children]))
    evidence = scene.evidence("send", calls.send[rows[:3]].tolist(), tr("still inside"))
    evidence += scene.evidence("call", rows[:3].tolist(), tr("acted again"))
    _, first = factorised(calls.event[following])
    events = [f"`{take.event_of_call(call)}`" for call in following[np.sort(first)].tolist()]
    also = tr(", and sent {events} each time", events=listed(events)) if events else ""
    return Found(
        subject=subject,
        frame_rows=calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} of {owners_of_calls} acted again on {frames} while nobody had left the zone{also}.",
            fn=subject.function,
            owners_of_calls=listed(scene.owners_of_calls(rows)),
            frames=counted(len(distinct(calls.frame[rows])), "later frame"),
            also=also,
        ),
        advice=tr(
            "Let {fn} remember that it has acted, until the zone is left{place}.",
            fn=subject.function,
            place=at_place(subject.at),
        ),
        evidence=tuple(evidence),
        calls=distinct(np.concatenate((rows, following))),
        told_apart=("stay",),
    )
