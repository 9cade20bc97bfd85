"""Remainder dropped: each interval is rounded up to whole frames, and the next one counts from there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.timer_drift.intervals import (
    DRIFT_ALIKE_SHARE,
    DRIFT_FRAMES,
    THRESHOLDS,
    Interval,
    off_in_long_frames,
    told,
    whole_frames,
)
from opossum.words import tr


def _judged(scene: Scene, interval: Interval) -> bool:
    alike = float(np.mean(whole_frames(interval) == 0))
    # frames that take longer than they should make an interval longer, too: rounding up does not
    rounded_up = float(interval.frames.mean()) - interval.asked
    return (
        not off_in_long_frames(scene, interval)
        and alike >= scene[DRIFT_ALIKE_SHARE]
        and float(interval.off.mean()) > 0
        and rounded_up > scene[DRIFT_FRAMES]
    )


def find(scene: Scene) -> Iterator[Found]:
    """Yield timers that lose what is left of a frame."""
    yield from told(
        scene,
        _judged,
        tr("{frames} whole frames where {asked} were asked for, and the rest is dropped each time"),
        tr(
            "Carry what is left over into the next interval of `{event}` (take the interval off the time "
            "counted, do not set it to zero)"
        ),
    )


REMAINDER_DROPPED = Cause(
    "remainder-dropped",
    "the rest of a frame dropped",
    Severity.RISK,
    find,
    THRESHOLDS,
    about="A looping timer rounds each interval up to whole frames and counts the next from there.",
    quiet="a timer that carries the rest over; intervals that are long because frames are.",
)
