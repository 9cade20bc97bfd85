"""Others do nothing: for visitors of one class it changes something, for all the others nothing."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.zone_unfiltered.visiting import OTHER_VISITS, tell, visits
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield zone listeners that are called for nothing by visitors of other classes."""
    effect = scene.take.calls.effect
    for visit in scene.once(visits):
        acts = [cls for cls in visit.classes if (effect[visit.calls[visit.cls == cls]] > 0).any()]
        if len(acts) != 1:
            continue
        others = visit.calls[visit.cls != acts[0]]
        if np.count_nonzero(effect[others] == 0) == len(others) >= scene[OTHER_VISITS]:
            yield tell(
                scene,
                visit,
                others,
                tr(
                    "{function} is called for {others} too, {times} times for nothing; it changes something for "
                    "{served} only."
                ),
            )


OTHERS_DO_NOTHING = Cause(
    "others-do-nothing",
    "does nothing for the others",
    Severity.WASTE,
    find,
    (OTHER_VISITS,),
    springs_from=FROM_STALE_CALLS,
    about="A zone's listener is called for visitors of several classes and changes something for one of them only.",
    quiet="fewer than twenty calls for the others.",
)
