"""Off by one: each interval is whole frames longer or shorter than asked for, and rounding does not explain it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.timer_drift.intervals import (
    DRIFT_ALIKE_SHARE,
    THRESHOLDS,
    Interval,
    off_in_long_frames,
    told,
    whole_frames,
)
from opossum.words import tr


def _judged(scene: Scene, interval: Interval) -> bool:
    whole = whole_frames(interval)
    # each time the same, give or take one: what comes at random does not count wrongly
    steady = np.mean(np.abs(whole - np.median(whole)) <= 1) >= scene[DRIFT_ALIKE_SHARE]
    share = max(float(np.mean(whole > 0)), float(np.mean(whole < 0)))
    return bool(steady) and not off_in_long_frames(scene, interval) and share >= scene[DRIFT_ALIKE_SHARE]


def find(scene: Scene) -> Iterator[Found]:
    """Yield timers that count a frame too many or too few."""
    yield from told(
        scene,
        _judged,
        tr("every {interval} instead of every {asked}"),
        tr(
            "Count from the frame in which it was due, and compare with `>=`, so that `{event}` comes every "
            "{asked} frames"
        ),
    )


OFF_BY_ONE = Cause(
    "off-by-one",
    "whole frames off",
    Severity.RISK,
    find,
    THRESHOLDS,
    about="A looping timer is whole frames off in each of its intervals, and rounding up to frames does not explain it.",
    quiet="intervals that hold loading, a hold, a pause or a stall; jitter that does not add up; a timer that keeps the time that its game is told.",
)
