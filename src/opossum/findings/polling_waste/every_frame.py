"""A poll on every frame: it hangs on a tick."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.polling_waste.wasting import THRESHOLDS, Schedule, wasted
from opossum.findings.scene import Scene
from opossum.words import tr, translatable

SCHEDULE = Schedule(
    lambda interval: tr("on every frame"),
    translatable("Let whatever changes the value send an event, and bind {function} to it instead of the tick{where}."),
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield wasteful ticks. Cost: linear in the calls of ticks."""
    ticked = np.flatnonzero(scene.counted & (scene.via == scene.take.code("tick")))
    yield from wasted(scene, ticked, SCHEDULE)


EVERY_FRAME = Cause(
    "every-frame",
    "on every frame",
    Severity.WASTE,
    find,
    THRESHOLDS,
    springs_from=FROM_STALE_CALLS,
    about="A function runs on every frame and mostly for nothing.",
    quiet="ticks that do work, however dear; unknown effects.",
)
