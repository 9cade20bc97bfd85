"""A poll on every frame that somebody stays in a zone."""

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
    lambda interval: tr("on every frame somebody stayed in the zone"),
    translatable("Act in {function} on `enter` and `leave`, or on the event it waits for, not on every `stay`{where}."),
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield wasteful stays. Cost: linear in the calls of zones."""
    take = scene.take
    stays = np.flatnonzero(scene.counted & (scene.via == take.code("zone")) & (scene.edge == take.code("stay")))
    yield from wasted(scene, stays, SCHEDULE)


STAY_LOOP = Cause(
    "stay-loop",
    "on every frame of a stay",
    Severity.WASTE,
    find,
    THRESHOLDS,
    springs_from=FROM_STALE_CALLS,
    about="A zone's `stay` calls a function on every frame, mostly for nothing.",
    quiet="work on each frame of a stay.",
)
