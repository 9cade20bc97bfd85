"""Jumped and midnight: a time of day was passed and its event was not sent."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.threshold_missed import passing as passed
from opossum.findings.threshold_missed.passing import LEARNT_FIRINGS, by_event, frame_after, tell
from opossum.findings.wording import plural


def _find(scene: Scene, how: int, why: str, advice: str) -> Iterator[Found]:
    for moments in by_event(scene):
        missed, frames, clock, came = [], [], [], []
        for passing in moments:
            none = np.array([not len(rows) for rows in passing.sends], bool)
            places = np.flatnonzero(none & (passing.how == how)) if len(none) else np.zeros(0, np.int64)
            if len(places):
                missed.append(passing)
                frames.append(frame_after(scene, passing, places))
                clock.append(passing.row[places])
                came += [int(rows[0]) for rows in passing.sends if len(rows)]
        if missed:
            shown = np.concatenate(frames)
            yield tell(
                scene,
                missed,
                shown,
                np.array(came[:3], np.int64),
                f"`{{event}}` is due {{when}} and was not sent, {plural(len(shown), 'time')}: {why}.",
                advice,
                np.concatenate(clock),
            )


def _find_jumped(scene: Scene) -> Iterator[Found]:
    yield from _find(
        scene,
        passed.JUMP,
        "the clock was set past it",
        "When the clock is set on, send `{event}` and everything else that lies between the old time and the new one.",
    )


def _find_midnight(scene: Scene) -> Iterator[Found]:
    yield from _find(
        scene,
        passed.MIDNIGHT,
        "it lies between the last time before midnight and the first after it",
        "Compare times that run on over midnight (days and seconds), so that `{event}` is found between the last and this.",
    )


JUMPED = Cause(
    "jumped",
    "its time was jumped over",
    Severity.FAULT,
    _find_jumped,
    (LEARNT_FIRINGS,),
    about="The game's clock was set past the time of an event, told by `due` or learnt from three firings, and it was not sent.",
    quiet="events of timers and delays.",
)
MIDNIGHT = Cause(
    "midnight",
    "lost at midnight",
    Severity.FAULT,
    _find_midnight,
    (LEARNT_FIRINGS,),
    about="The time of an event lies between the clock's last value before midnight and the first after, and it was not sent.",
    quiet="missed at another time: no cause is known.",
)
