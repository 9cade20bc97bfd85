"""Others undone: what it does for visitors of other classes, another listener of its owner undoes right after."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.zone_unfiltered.visiting import OTHER_VISITS, Visits, tell, visits
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import tr

UNDONE_FRAMES = Threshold("undone_frames", 2, "frames", "what is taken back later was true for a while")
UNDONE_SHARE = Threshold(
    "undone_share", 0.9, "share of the calls", "what is undone less often is not undone on purpose"
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield zone listeners whose work for other visitors is undone. Cost: a sort of the owners' calls."""
    effect = scene.take.calls.effect
    for visit in scene.once(visits):
        acting = visit.calls[effect[visit.calls] > 0]
        if len(acting) < scene[OTHER_VISITS]:
            continue
        undone = _undone(scene, visit, acting)
        cls = visit.cls[np.searchsorted(visit.calls, acting)]
        shares = {number: float(undone[cls == number].mean()) for number in np.unique(cls).tolist()}
        others = [number for number, share in shares.items() if share >= scene[UNDONE_SHARE]]
        served = [number for number, share in shares.items() if share <= 1 - scene[UNDONE_SHARE]]
        rows = acting[np.isin(cls, others)]
        if len(served) == 1 and others and len(rows) >= scene[OTHER_VISITS]:
            yield tell(
                scene,
                visit,
                rows,
                tr(
                    "What {function} does for {others} is undone within two frames, {times} times; only for {served} "
                    "it lasts."
                ),
            )


def _undone(scene: Scene, visit: Visits, rows: Array) -> Array:
    """Return a boolean array (n,): another listener of the same owner changed something within so many frames after."""
    take, calls = scene.take, scene.take.calls
    owners = np.unique(scene.owner[rows])
    function, event = scene.function[rows[0]], take.code("tick")
    mine = np.flatnonzero(
        np.isin(scene.owner, owners) & (scene.function != function) & (calls.effect > 0) & (scene.via != event)
    )
    found = np.zeros(len(rows), bool)
    if not len(mine):
        return found
    group, _ = factorised(
        np.concatenate((scene.owner[rows], scene.owner[mine])), np.concatenate((scene.peer[rows], scene.peer[mine]))
    )
    stride = len(calls) + 1
    placed = np.sort(group[len(rows) :].astype(np.int64) * stride + mine)
    asked = group[: len(rows)].astype(np.int64) * stride + rows
    following = np.searchsorted(placed, asked, "right")
    has = following < len(placed)
    after = placed[np.minimum(following, len(placed) - 1)]
    same = has & (after // stride == asked // stride)
    call = np.where(same, after % stride, 0)
    found[:] = same & (calls.frame[call] - calls.frame[rows] <= scene[UNDONE_FRAMES])
    return found


OTHERS_UNDONE = Cause(
    "others-undone",
    "undone again for the others",
    Severity.RISK,
    find,
    (OTHER_VISITS, UNDONE_FRAMES, UNDONE_SHARE),
    springs_from=FROM_STALE_CALLS,
    about="What a zone's listener does for visitors of other classes another listener of its owner takes back within two frames.",
    quiet="what lasts longer.",
)
