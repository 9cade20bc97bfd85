"""`never more than … at once`: how many timers, listeners or clips there are at a time."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.forms.single import end_lines
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Same
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.spans import LineSpans
from opossum.words import tr

_SORTS = {"timers": "arming", "listeners": "bind", "clips": "play"}


def alive(ground: Ground, form: Form) -> Occasions:
    """Judge each that begins: with it there are not more than so many of its name."""
    number, thing, each = form.children
    most, sort = int(float(number)), str(thing.data)
    of, by = (None, thing.children[0]) if sort == "clips" else thing.children
    found = moments_of(ground, Moment(_SORTS[sort], of or (), by or ()))
    (keys,) = ground.shared(Same(True, ()) if each is not None else None, found)
    keys, _ = factorised(keys, _names(ground, sort, found.rows)) if len(found) else (keys, None)
    begins, ends = found.lines, end_lines(ground, found)
    # spans are open after their line: those open at the next line are those with this one
    many = LineSpans(keys, begins, ends).open_at(keys, begins + 1)
    return occasions(
        begins,
        found.frames,
        many <= most,
        lambda place: tr("{many} at once", many=many[place]),
        found.peers,
        found.owners,
    )


def _names(ground: Ground, sort: str, rows: Array) -> Array:
    """Return what tells one thing from another of its sort: a timer's event, a listener's; clips are all alike."""
    take = ground.take
    match sort:
        case "timers":
            return np.asarray(take.arms.event, np.int64)[rows]
        case "listeners":
            return np.asarray(take.tables["bind"]["ev"], np.int64)[rows]
    return np.zeros(len(rows), np.int64)
