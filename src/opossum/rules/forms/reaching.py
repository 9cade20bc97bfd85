"""`every … reaches every peer`: one logical event on all machines, by its `net` key."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Span
from opossum.words import tr


def reaches(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each send with a `net` key: every other peer (or those named) has one of the same key, once, soon enough."""
    take, table = ground.take, ground.take.tables["send"]
    named = next((item for item in form.children if isinstance(item, tuple) and not isinstance(item, Span)), ())
    once = any(str(item) in ("once", "twice", "nothing") for item in form.children if item is not None)
    span = next((item for item in form.children if isinstance(item, Span)), None)
    found = moments_of(ground, moment)
    key, peer, time = (np.asarray(table[name], np.int64) for name in ("net", "p", "t"))
    # of what is no send, the send it belongs to
    found = found.only(np.append(key, -1)[found.sends] >= 0)
    wanted = [number for number, peer_span in enumerate(take.peers) if not named or peer_span.name in named]
    networked = np.flatnonzero(key >= 0)
    held, missing = np.ones(len(found), bool), np.full(len(found), -1, np.int64)
    for other in wanted:
        mine = networked[peer[networked] == other]
        order = mine[np.argsort(key[mine], kind="stable")]
        keys = key[order]
        low, high = (np.searchsorted(keys, key[found.sends], side) for side in ("left", "right"))
        times = high - low
        there = (times == 1) if once else (times >= 1)
        if span is not None and len(order):
            first = time[order[np.minimum(low, len(order) - 1)]]
            there &= (times == 0) | (np.abs(first - time[found.sends]) <= span.value)
        there |= found.peers == other
        missing[held & ~there] = other
        held &= there
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: tr("did not reach {name} as it should", name=take.peers[missing[place]].name),
        found.peers,
        found.owners,
    )
