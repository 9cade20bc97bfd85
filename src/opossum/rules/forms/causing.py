"""`… causes …` and `… springs from …`: what hangs together by who sent and who was called."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Count, Form, Moment
from opossum.stream.tables import Array
from opossum.words import tr


def causes(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each first by how many of the second it caused: each second counts for the nearest first it springs from."""
    count: Count = form.children[0]
    first, second = moments_of(ground, moment), moments_of(ground, form.children[1])
    nearest = nearest_cause(ground, second, first)
    times = np.bincount(nearest[nearest >= 0], minlength=len(first)) if len(first) else np.zeros(0, np.int64)
    held = np.array([count.holds(number) for number in range(int(times.max(initial=0)) + 1)])[times]
    name = form.children[1].text
    return occasions(
        first.lines,
        first.frames,
        held,
        lambda place: tr("caused {times} × {name}", times=times[place], name=name),
        first.peers,
        first.owners,
    )


def springs(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each second: it springs from a first, however far up."""
    second, first = moments_of(ground, moment), moments_of(ground, form.children[0])
    held = nearest_cause(ground, second, first) >= 0
    name = form.children[0].text
    return occasions(
        second.lines,
        second.frames,
        held,
        lambda place: tr("does not spring from {name}", name=name),
        second.peers,
        second.owners,
    )


def nearest_cause(ground: Ground, effects: Occurrences, causes_: Occurrences) -> Array:
    """Return int64 (effects,): the nearest of `causes_` (its place) that each springs from, -1 where from none.

    Goes up from call to send to the call that sent it, as many passes as the longest chain is deep.
    """
    take = ground.take
    of_send = np.full(len(take.tables["send"]) + 1, -1, np.int64)
    of_call = np.full(len(take.calls) + 1, -1, np.int64)
    target = of_call if causes_.kind == "call" else of_send
    rows = causes_.calls if causes_.kind == "call" else causes_.sends
    known = rows >= 0
    target[rows[known]] = np.flatnonzero(known)
    sender = np.append(np.asarray(take.sends.cause, np.int64), -1)
    sent_by = np.append(np.asarray(take.calls.send, np.int64), -1)
    found = np.full(len(effects), -1, np.int64)
    # what is itself a call begins below its send, what is a send below the call that sent it, all else at its call
    if effects.kind == "call":
        send, call = effects.sends.copy(), np.full(len(effects), -1, np.int64)
    else:
        send = np.full(len(effects), -1, np.int64)
        call = effects.calls.copy()
    while True:
        open_ = found < 0
        found[open_ & (call >= 0)] = of_call[call[open_ & (call >= 0)]]
        open_ = found < 0
        send = np.where(call >= 0, sent_by[call], send)
        found[open_ & (send >= 0)] = of_send[send[open_ & (send >= 0)]]
        call = np.where(found < 0, sender[send], -1)
        send = np.full(len(effects), -1, np.int64)
        if not (call >= 0).any():
            return found
