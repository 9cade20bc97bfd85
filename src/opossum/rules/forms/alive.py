"""`never more than … at once`: how many timers, listeners or clips there are at a time."""

from __future__ import annotations

from opossum.rules.checked import Occasions, occasions
from opossum.rules.forms.single import end_lines
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Same
from opossum.take.spans import LineSpans

_SORTS = {"timers": "arming", "listeners": "bind", "clips": "play"}


def alive(ground: Ground, form: Form) -> Occasions:
    """Judge each that begins: with it there are not more than so many."""
    number, thing, each = form.children
    most, sort = int(float(number)), str(thing.data)
    of, by = (None, thing.children[0]) if sort == "clips" else thing.children
    found = moments_of(ground, Moment(_SORTS[sort], of or (), by or ()))
    (keys,) = ground.shared(Same(True, ()) if each is not None else None, found)
    begins, ends = found.lines, end_lines(ground, found)
    # spans are open after their line: those open at the next line are those with this one
    many = LineSpans(keys, begins, ends).open_at(keys, begins + 1)
    return occasions(
        begins, found.frames, many <= most, lambda place: f"{many[place]} at once", found.peers, found.owners
    )
