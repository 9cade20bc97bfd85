"""`enter` is sent again for a visitor who had not left in between, and acted on again."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield enterings that were acted on though nobody had left. Cost: sorts of the zone's enter and leave sends."""
    calls = scene.take.calls
    again = np.append(_told_again(scene), False)
    for part in scene.by_class(np.flatnonzero(again[calls.send] & (calls.effect > 0) & scene.counted)):
        yield _tell(scene, part)


def _told_again(scene: Scene) -> Array:
    """Return a boolean array (sends,): an `enter` whose event was told before since that visitor last left that zone.

    Where records were lost in between, it may have left.
    """
    take = scene.take
    sends = take.tables["send"]
    enter, leave = take.code("enter"), take.code("leave")
    edge = np.asarray(sends["edge"])
    rows = np.flatnonzero(np.isin(edge, [enter, leave]) & (np.asarray(sends["via"]) == take.code("zone")))
    flags = np.zeros(len(sends), bool)
    if not len(rows):
        return flags
    who, _ = factorised(sends["p"][rows], sends["o"][rows], take.visitor_of_send[rows])
    runs = Runs(who)
    left = np.zeros(len(rows), np.int64)
    left[runs.order] = runs.before(edge[rows[runs.order]] == leave)
    entering = np.flatnonzero(edge[rows] == enter)
    lost = scene.losses_before(sends["p"][rows[entering]], sends["line"][rows[entering]])
    codes, _ = factorised(who[entering], left[entering], np.asarray(sends["ev"])[rows[entering]], lost)
    by_visit = Runs(codes)
    flags[rows[entering[by_visit.order[by_visit.rank > 0]]]] = True
    return flags


def _tell(scene: Scene, rows: Array) -> Found:
    calls = scene.take.calls
    subject = scene.subject_of_calls(rows)
    evidence = scene.evidence("send", distinct(calls.send[rows])[:3].tolist(), tr("entered again without having left"))
    evidence += scene.evidence("call", rows[:3].tolist(), tr("acted again"))
    return Found(
        subject=subject,
        frame_rows=calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} of {owners_of_calls} acted again {times} on `{ev}`: it was sent again although nobody had "
            "left in between.",
            fn=subject.function,
            owners_of_calls=listed(scene.owners_of_calls(rows)),
            times=counted(len(rows), "time"),
            ev=subject.ev,
        ),
        advice=tr(
            "Send `{ev}` once, and again only after the zone was left{place}.",
            ev=subject.ev,
            place=at_place(subject.at),
        ),
        evidence=tuple(evidence),
        calls=rows,
        told_apart=("enter",),
    )
