"""`only … comes`: nothing of that sort by another name."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment
from opossum.words import tr


def only(ground: Ground, form: Form) -> Occasions:
    """Judge all that occur of a sort, narrowed as said but for the names: each is by one of the names."""
    moment: Moment = form.children[0]
    every, meant = moments_of(ground, moment._replace(of=(), text="")), moments_of(ground, moment)
    held = np.isin(every.rows, meant.rows)
    # one break a name is enough: the first of it
    named = _names(ground, every.kind, every.rows, every.calls)
    first = np.zeros(len(every), bool)
    broken = np.flatnonzero(~held)
    if len(broken):
        first[broken[np.unique(named[broken], return_index=True)[1]]] = True
    kept = np.flatnonzero(held | first)
    every, held, named = every.only(kept), held[kept], named[kept]
    return occasions(
        every.lines,
        every.frames,
        held,
        lambda place: tr(
            "{sort} of {named} came", sort=moment.sort, named=ground.take.text(int(named[place])) or tr("no name")
        ),
        every.peers,
        every.owners,
    )


_FIELDS = {
    "send": "ev",
    "bind": "ev",
    "arm": "ev",
    "play": "clip",
    "wait": "ev",
    "watch": "name",
    "put": "q",
    "pull": "q",
}


def _names(ground: Ground, kind: str, rows: np.ndarray, calls: np.ndarray) -> np.ndarray:
    """Return the code of the name of each row."""
    take = ground.take
    if kind in ("call", "ret"):
        return np.append(np.asarray(take.listeners.function, np.int64)[take.calls.listener], -1)[calls]
    table = take.tables[kind]
    if kind == "stop":
        plays = take.play_ids.rows(np.asarray(table["p"])[rows], np.asarray(table["y"], np.int64)[rows])
        return np.append(np.asarray(take.tables["play"]["clip"], np.int64), -1)[plays]
    field = _FIELDS.get(kind, "o")
    return np.asarray(table[field], np.int64)[rows] if field in table.columns else np.full(len(rows), -1, np.int64)
