"""`every … comes … after the last`: the time from one to the next."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form, Moment, Span
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import tr

ONE_FRAME = Span(1, True)
"""What an exact interval is given, where nothing is said: a game cannot do better."""


def spaced(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each against the one before it: of the same arming where it is a firing, of the same owner or data if said."""
    bound, span, give, same = form.children
    found = moments_of(ground, moment)
    (keys,) = ground.shared(same, found)
    if moment.sort == "firing":
        sends = ground.take.tables["send"]
        keys, _ = factorised(keys, np.asarray(sends["a"], np.int64)[found.rows]) if len(found) else (keys, None)
    order = np.argsort(keys, kind="stable")
    same_key = np.diff(keys[order]) == 0
    before, after = order[:-1][same_key], order[1:][same_key]
    gap = {frames: _gap(ground, found.frames if frames else found.ns, before, after) for frames in (True, False)}
    give_span = give.children[0] if give is not None else ONE_FRAME
    slack = _slack(ground, found.frames, before, after, span, give_span)
    passed = gap[span.frames]
    kind = bound.data if bound is not None else "exact"
    held = np.ones(len(after), bool)
    if kind in ("least", "exact"):
        held &= passed >= span.value - (slack if kind == "exact" else 0)
    if kind in ("most", "exact"):
        held &= passed <= span.value + (slack if kind == "exact" else 0)
    sorted_back = np.argsort(after, kind="stable")
    after, held, passed = after[sorted_back], held[sorted_back], passed[sorted_back]
    return occasions(
        found.lines[after],
        found.frames[after],
        held,
        lambda place: tr("came {span} after the last", span=Span(float(passed[place]), span.frames)),
        found.peers[after],
        found.owners[after],
    )


def _gap(ground: Ground, scale: Array, before: Array, after: Array) -> Array:
    return scale[after] - scale[before]


def _slack(ground: Ground, frames: Array, before: Array, after: Array, span: Span, give: Span) -> Array:
    """Return (n,): what is given, on the scale of the interval; a frame is as long as those that passed meanwhile."""
    if give.frames == span.frames:
        return np.full(len(after), give.value)
    if span.frames:
        return np.full(len(after), 1.0)
    starts = ground.told(ground.frame_peer, ground.take.frames.start_ns)
    if not len(starts):
        return np.zeros(len(after))
    # the longest frame on the way: a tick cannot come within it
    lengths = np.diff(starts, append=starts[-1])
    upto = np.maximum(lengths[np.maximum(frames[after], 0)], lengths[np.maximum(frames[after] - 1, 0)])
    typical = float(np.median(lengths))
    return give.value * np.maximum(upto, typical) + 1e6
