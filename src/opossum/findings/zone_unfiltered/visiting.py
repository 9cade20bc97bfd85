"""What the causes share: for which classes of visitors a zone's listener is called, and for which it does anything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.strings import ABSENT_TEXT
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.indexes.zones import NOBODY
from opossum.take.json_values import json_values
from opossum.words import tr

NUMBERING = "0123456789 ()[]_-.@"
"""What engines and people tell apart objects of one class by, at a name's end."""

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
    visitors = scene.take.visitor_of_send[scene.take.calls.send[rows]]
    who, first = np.unique(visitors, return_index=True)
    names: dict[str, int] = {}
    numbers = [names.setdefault(_class_of_visitor(scene, call), len(names)) for call in rows[first].tolist()]
    return np.array(numbers, np.int64)[np.searchsorted(who, visitors)]


def class_names(scene: Scene, visit: Visits, classes: list[int]) -> str:
    """Return the names of visitors' classes."""
    first = [int(visit.calls[visit.cls == cls][0]) for cls in classes]
    return listed([_class_of_visitor(scene, call) or tr("others of no name") for call in first])


def _class_of_visitor(scene: Scene, call: int) -> str:
    """Return the class of who is in the zone at a call: as spawned, else by its name; empty for what has no name.

    Of a name that nothing else tells of, what only numbers it (`crate7`, `Crate (3)`) is no part of its class.
    """
    take = scene.take
    send = take.calls.send[call : call + 1]
    visitor = int(take.visitor_of_send[send[0]])
    if visitor < len(take.strings):
        spawned = take.objects.class_of(np.array([visitor]))[0] != ABSENT_TEXT
        name = take.class_of(visitor)
    else:
        spawned = False
        (name,) = json_values(take.tables["send"].json("d"), send, _named)
    return name if spawned else name.partition("#")[0].rstrip(NUMBERING)


def _named(data: object) -> str:
    """Return the name of who is in the zone; empty for a number or the like."""
    other = data.get("other") if isinstance(data, dict) else None
    return other if isinstance(other, str) else ""


def tell(scene: Scene, visit: Visits, others: Array, summary: str) -> Found:
    """Return a finding about the calls (rows) for others; `summary` names {function}, {served}, {others} and {times}."""
    take = scene.take
    subject = scene.subject_of_calls(visit.calls)
    of_others = set(visit.cls[np.isin(visit.calls, others)].tolist())
    served = class_names(scene, visit, [cls for cls in visit.classes if cls not in of_others])
    strange = class_names(scene, visit, [cls for cls in visit.classes if cls in of_others])
    cost = scene.cost_of(others)
    words = {"function": subject.function, "served": served, "others": strange, "times": f"{len(others):,}"}
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
            fn=subject.function,
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
