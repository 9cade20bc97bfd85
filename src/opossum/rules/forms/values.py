"""`value … stays …`, `changes only in …`, `never falls`."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Form, Moment, Names
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.take.indexes.nesting import Nesting
from opossum.take.json_values import as_number, json_values
from opossum.words import tr


def value(ground: Ground, form: Form) -> Occasions:
    """Judge each change of a watched value."""
    name, owner, what = form.children
    found, numbers = changes_of(ground, name, owner or ())
    match str(what.data):
        case "stays":
            held = _stays(what, numbers)
            note = "is"
        case "moves":
            held, note = _moves(ground, found, what.children[0]), tr("changed elsewhere: to")
        case _:
            held, note = _rises(found, numbers, falls=str(what.children[0]) == "falls"), tr("went to")
    return occasions(
        found.lines, found.frames, held, lambda place: f"{note} {numbers[place]:g}", found.peers, found.owners
    )


def changes_of(ground: Ground, name: str, owner: Names) -> tuple[Occurrences, Array]:
    """Return the changes of a value and what it changed to as numbers (NaN for what is none)."""
    found = moments_of(ground, Moment("change", (name,), owner))
    said = json_values(ground.take.tables["watch"].json("v"), found.rows, as_number)
    return found, np.array(said, np.float64)


def _stays(what: Form, numbers: Array) -> Array:
    if len(what.children) == 2 and isinstance(what.children[0], Form):
        bound, limit = what.children[0].data, float(what.children[1])
        compare = {"least": numbers >= limit, "most": numbers <= limit}
        return compare.get(str(bound), numbers == limit)
    low, high = (float(item) for item in what.children)
    return (numbers >= low) & (numbers <= high)


def _moves(ground: Ground, found: Occurrences, moment: Moment) -> Array:
    """Return which changes came within a call that is meant, or one that encloses it by causes; the first tells what was."""
    take = ground.take
    threads = np.asarray(take.tables["watch"]["th"], np.int64)[found.rows]
    inside = ground.once(_nesting).call_at(found.peers, threads, found.lines).astype(np.int64)
    meant = np.zeros(len(take.calls) + 1, bool)
    meant[moments_of(ground, moment).calls] = True
    meant[-1] = False
    held = np.zeros(len(found), bool)
    call = inside
    while (call >= 0).any():
        held |= meant[call]
        call = np.append(np.asarray(take.calls.parent, np.int64), -1)[call]
    return held | _firsts(found)


def _nesting(ground: Ground) -> Nesting:
    return Nesting(ground.take.recording, ground.take.calls.ret)


def _firsts(found: Occurrences) -> Array:
    """Return which changes are the first of their object: they tell what the value was to begin with."""
    first = np.zeros(len(found), bool)
    if len(found):
        first[factorised(found.peers, found.owners)[1]] = True
    return first


def _rises(found: Occurrences, numbers: Array, *, falls: bool) -> Array:
    held = np.ones(len(found), bool)
    if len(found):
        codes, _ = factorised(found.peers, found.owners)
        order = np.argsort(codes, kind="stable")
        step = np.diff(numbers[order], prepend=np.nan)
        same = np.diff(codes[order], prepend=-1) == 0
        held[order] = ~(same & ((step < 0) if falls else (step > 0)))
    return held
