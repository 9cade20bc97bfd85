"""What the causes with timers and delays share: which arm fired each call, and whether it loops."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.scene import Scene
from opossum.stream.tables import Array


class Timed(NamedTuple):
    """Calls (rows) by what fires them: a looping timer, or a delay that the called function sets again itself."""

    by_timer: Array
    by_own_delay: Array


def timed_calls(scene: Scene) -> Timed:
    """Return the calls of play that timers and delays make. Linear in the calls."""
    take, calls = scene.take, scene.take.calls
    sends, arms = take.tables["send"], take.tables["arm"]
    timer, delay = take.code("timer"), take.code("delay")
    rows = np.flatnonzero(scene.counted & ((scene.via == timer) | (scene.via == delay)))
    send = calls.send[rows]
    arm = take.arm_ids.rows(np.asarray(sends["p"])[send], np.asarray(sends["a"])[send]).astype(np.int64)
    looping = np.append(np.asarray(arms["loop"]) == 1, False)[arm]
    unknown = (arm < 0) & (scene.via[rows] == timer)
    # a delay belongs to a loop when the function it calls is the one that set it
    setter = np.append(take.arms.cause.astype(np.int64), -1)[arm]
    by_itself = (setter >= 0) & (calls.listener[np.maximum(setter, 0)] == calls.listener[rows])
    return Timed(rows[looping | unknown], rows[~looping & by_itself])
