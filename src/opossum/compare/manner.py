"""What has a counterpart but came in another manner: later, in another phase, or with an error."""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

import numpy as np

from opossum.compare.matching import Matching
from opossum.compare.nodes import Nodes, What
from opossum.compare.side import Side
from opossum.compare.telling import Told, told
from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import tr

FEWEST = 3
"""A shift is told where at least so many counterparts show it."""

MOSTLY = 0.5
"""A shift or another phase is told where at least this share of the counterparts shows it."""

FEWEST_SECONDS = 0.03
"""Two frames of the usual kind: less is where in a frame something came."""


class Manner(Enum):
    """How it came otherwise."""

    SHIFTED = "shifted"
    PHASE = "phase"
    RAISED = "raised"


class Otherwise(NamedTuple):
    """Things of one name that came otherwise in the second run.

    `times` of `among` counterparts; `node`: the first of them in the second run, `frame` its frame's number; `detail`: the
    shift in seconds, or what it was before and is after.
    """

    manner: Manner
    told: Told
    times: int
    among: int
    node: int
    frame: int
    seconds: float
    before: str
    after: str

    def sentence(self, labels: tuple[str, str]) -> str:
        """Say what came otherwise."""
        name = self.told.name
        if self.manner is Manner.SHIFTED:
            how = tr("later") if self.seconds > 0 else tr("earlier")
            return tr(
                "`{name}` comes {length} {how} after what leads to it in {labels}",
                name=name,
                length=milliseconds(abs(self.seconds) * 1e9),
                how=how,
                labels=labels[1],
            )
        if self.manner is Manner.PHASE:
            return tr(
                "`{name}` runs in phase {after} in {labels}, in {before} in {labels2}",
                name=name,
                after=self.after or tr("none"),
                labels=labels[1],
                before=self.before or tr("none"),
                labels2=labels[0],
            )
        which = labels[1] if self.after else labels[0]
        return tr("`{name}` raises in {which}: {after}", name=name, which=which, after=self.after or self.before)


def otherwise(sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], matching: Matching) -> list[Otherwise]:
    """Return what came otherwise, by its frame. Linear in the counterparts, and sorts of them."""
    mine = np.flatnonzero(matching.partner[0] >= 0)
    theirs = matching.partner[0][mine].astype(np.int64)
    found = _shifted(sides, nodes, mine, theirs)
    found += _by_text(sides, nodes, mine, theirs, Manner.PHASE, [side.take.phase_of_call for side in sides])
    found += _by_text(sides, nodes, mine, theirs, Manner.RAISED, [_errors(side) for side in sides])
    return sorted(found, key=lambda item: (item.frame, -item.times))


def _errors(side: Side) -> Array:
    """Return int32 (calls,): the code of the error each call raised, -1 where it returned."""
    take = side.take
    return np.append(np.asarray(take.tables["ret"]["err"], np.int32), np.int32(-1))[take.calls.ret]


def _shifted(sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], mine: Array, theirs: Array) -> list[Otherwise]:
    one, other = nodes
    caused = (one.cause[mine] >= 0) & (other.cause[theirs] >= 0)
    by = one.what[one.cause[mine]]
    # what is sent from a call comes when that runs: only what is planned, or lies on a queue, can come later
    planned = (one.what[mine] == What.SEND) & np.isin(by, (What.ARM, What.PLAY))
    delivered = (one.what[mine] == What.CALL) & (by == What.SEND)
    kept = caused & (planned | delivered)
    mine, theirs = mine[kept], theirs[kept]
    if not len(mine):
        return []
    delay = [side.seconds[rows] - side.seconds[side.cause[rows]] for side, rows in ((one, mine), (other, theirs))]
    shift = delay[1] - delay[0]
    found = []
    for alike in _by_label(_named_alike(sides[0], one, mine)):
        # where most of them came as before, one of them may still come otherwise each time
        parts = [alike] if _mostly(shift[alike]) else [alike[own] for own in _by_label(one.label[mine[alike]])]
        for part in parts:
            moved = part[np.abs(shift[part]) > FEWEST_SECONDS]
            if _mostly(shift[part]) and abs(middle := float(np.median(shift[moved]))) > FEWEST_SECONDS:
                found.append(_told(sides, nodes, Manner.SHIFTED, theirs[moved], len(part), middle, "", ""))
    return found


def _mostly(shift: Array) -> bool:
    """Say whether enough of some counterparts, by their shifts in seconds, come at another time."""
    moved = int((np.abs(shift) > FEWEST_SECONDS).sum())
    return moved >= FEWEST and moved >= MOSTLY * len(shift)


def _named_alike(side: Side, nodes: Nodes, rows: Array) -> Array:
    """Return int64 (n,): equal for calls of one name, and for sends of one event that what is called alike planned.

    The marks of a track are all named otherwise: one by one none would come late often enough.
    """
    sent = nodes.what[rows] == What.SEND
    event = np.append(np.asarray(side.take.tables["send"]["ev"], np.int64), -1)[np.where(sent, nodes.row[rows], -1)]
    alike, _ = factorised(event, np.where(sent, nodes.label[nodes.cause[rows]], nodes.label[rows]))
    return alike


def _by_text(
    sides: tuple[Side, Side], nodes: tuple[Nodes, Nodes], mine: Array, theirs: Array, manner: Manner, codes: list[Array]
) -> list[Otherwise]:
    """Return calls of which a text (its code by call, of each side) is another one in the second run."""
    one, other = nodes
    calls = one.what[mine] == What.CALL
    mine, theirs = mine[calls], theirs[calls]
    before, after = codes[0][one.row[mine]], codes[1][other.row[theirs]]
    texts = [sides[0].take.text, sides[1].take.text]
    if not (np.any(before >= 0) or np.any(after >= 0)):
        return []
    number: dict[str, int] = {"": -1}
    same = []
    for values, text in ((before, texts[0]), (after, texts[1])):
        known = {code: number.setdefault(text(code), len(number)) for code in np.unique(values).tolist()}
        keys = np.array(sorted(known), np.int64)
        same.append(np.array([known[key] for key in keys.tolist()], np.int64)[np.searchsorted(keys, values)])
    differs = same[0] != same[1]
    found = []
    for part in _by_label(one.label[mine]):
        moved = part[differs[part]]
        enough = manner is Manner.RAISED or len(moved) > MOSTLY * len(part)
        if len(moved) and enough:
            at = moved[0]
            words = (texts[0](int(before[at])), texts[1](int(after[at])))
            found.append(_told(sides, nodes, manner, theirs[moved], len(part), 0.0, *words))
    return found


def _by_label(labels: Array) -> list[Array]:
    order = np.argsort(labels, kind="stable")
    if not len(order):
        return []
    return np.split(order, np.flatnonzero(np.diff(labels[order])) + 1)


def _told(
    sides: tuple[Side, Side],
    nodes: tuple[Nodes, Nodes],
    manner: Manner,
    theirs: Array,
    among: int,
    seconds: float,
    before: str,
    after: str,
) -> Otherwise:
    node = int(theirs.min())
    frame = int(nodes[1].frame[node])
    number = int(sides[1].take.frames.number[frame]) if frame >= 0 else -1
    names = told(sides[1], nodes[1], node)
    return Otherwise(manner, names, len(theirs), among, node, number, seconds, before, after)
