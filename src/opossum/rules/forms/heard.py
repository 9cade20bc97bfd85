"""`every … is heard [by …]`: what was sent reached somebody."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Count, Form, Moment
from opossum.words import tr


def heard(ground: Ground, moment: Moment, form: Form) -> Occasions:
    """Judge each send: by how many calls, or by calls of whom, it was heard."""
    take, found = ground.take, moments_of(ground, moment)
    (by,) = form.children
    calls = np.asarray(take.calls.send, np.int64)
    if by is not None and not isinstance(by, Count):
        owner = np.asarray(take.listeners.owner)[take.calls.listener] if len(take.calls) else calls
        calls = calls[ground.is_named(owner, by, objects=True)]
    times = np.bincount(calls[calls >= 0], minlength=len(take.tables["send"]) + 1)[found.sends]
    wanted = by if isinstance(by, Count) else Count(1, -1)
    held = np.array([wanted.holds(number) for number in range(int(times.max(initial=0)) + 1)])[times]
    whom = "" if by is None or isinstance(by, Count) else tr(" by {by}", by=" or ".join(by))
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: tr(
            "{event}heard by {times}{whom}",
            event=_event(ground, int(found.sends[place])),
            times=times[place],
            whom=whom,
        ),
        found.peers,
        found.owners,
    )


def _event(ground: Ground, send: int) -> str:
    return tr("{tables} was ", tables=ground.take.text(int(ground.take.tables["send"]["ev"][send])))
