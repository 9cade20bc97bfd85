"""What the causes share: for which classes of visitors a zone's listener is called, and for which it does anything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.indexes.zones import NOBODY
from opossum.take.json_values import json_values
from opossum.words import tr

OTHER_VISITS = Threshold("other_visits", 20, "calls for others", "a stray visitor now and then is no waste")


class Visits(NamedTuple):
    """Calls (rows) of one class and function for visitors of each class: `classes` numbers and `cls` (n,) of each call."""

    calls: Array
    cls: Array
    classes: list[int]


def visits(scene: Scene) -> list[Visits]:
    """Return the zone listeners that meet visitors of several classes. Linear in the calls of zones."""
    take, calls = scene.take, scene.take.calls
    visitor = np.append(take.visitor_of_send, NOBODY)[calls.send]
    rows = np.flatnonzero(scene.counted & (scene.via == take.code("zone")) & (visitor >= 0))
    if not len(rows):
        return []
    cls = _classes_of(scene, rows)
    found = []
    for part in scene.by_class(rows):
        places = np.searchsorted(rows, part)
        classes = distinct(cls[places]).tolist()
        if len(classes) > 1:
            found.append(Visits(part, cls[places], classes))
    return found


def _classes_of(scene: Scene, rows: Array) -> Array:
    """Return int64 (n,): a number for the class of who is in the zone, for each call (row): as spawned, else by its name."""
    take = scene.take
    visitors = take.visitor_of_send[take.calls.send[rows]]
    who, first = np.unique(visitors, return_index=True)
    names: dict[str, int] = {}
    numbers = []
    for visitor, place in zip(who.tolist(), first.tolist(), strict=True):
        known = visitor < len(take.strings)
        cls = take.class_of(visitor) if known else _name_of(scene, int(rows[place]))
        numbers.append(names.setdefault(cls, len(names)))
    return np.array(numbers, np.int64)[np.searchsorted(who, visitors)]


def class_names(scene: Scene, visit: Visits, classes: list[int]) -> str:
    """Return the names of visitors' classes."""
    take = scene.take
    names = []
    for cls in classes:
        call = int(visit.calls[visit.cls == cls][0])
        visitor = int(take.visitor_of_send[take.calls.send[call]])
        names.append(take.class_of(visitor) if visitor < len(take.strings) else _name_of(scene, call))
    return listed([name for name in names if name])


def _name_of(scene: Scene, call: int) -> str:
    """Return the class of a visitor whose name no record has, from the data of the send."""
    (name,) = json_values(
        scene.take.tables["send"].json("d"),
        scene.take.calls.send[call : call + 1],
        lambda data: str(data.get("other")) if isinstance(data, dict) else "",
    )
    return name.partition("#")[0]


def tell(scene: Scene, visit: Visits, others: Array, summary: str) -> Found:
    """Return a finding about the calls (rows) for others; `summary` names {function}, {served}, {others} and {times}."""
    take = scene.take
    subject = scene.subject_of_calls(visit.calls)
    of_others = set(visit.cls[np.isin(visit.calls, others)].tolist())
    served = class_names(scene, visit, [cls for cls in visit.classes if cls not in of_others])
    strange = class_names(scene, visit, [cls for cls in visit.classes if cls in of_others])
    cost = scene.cost_of(others)
    words = {"function": subject.fn, "served": served, "others": strange, "times": f"{len(others):,}"}
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[others],
        count=len(others),
        cost_ns=cost,
        summary=summary.format(**words),
        advice=tr(
            "Let the zone tell only of {served} (by layer, group or class), or return at once in {fn}{place} "
            "for {strange}.",
            served=served,
            fn=subject.fn,
            place=at_place(subject.at),
            strange=strange,
        ),
        evidence=tuple(_evidence(scene, visit, others)),
        calls=others,
    )


def _evidence(scene: Scene, visit: Visits, others: Array) -> Iterator:
    yield from scene.evidence("call", others[:4].tolist(), tr("for a visitor it does not care for"))
    served = np.setdiff1d(visit.calls, others)
    yield from scene.evidence("call", served[:2].tolist(), tr("for one it does"))
