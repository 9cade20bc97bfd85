"""Ignored: only the first delay lands; setting it again does nothing."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.delay_restacked.piling import DELAY_REARMS, Pile, frames_of_landings, piles, told
from opossum.findings.delay_restacked.restarted import is_restarted
from opossum.findings.delay_restacked.stacked import is_stacked
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.words import tr


def is_ignored(scene: Scene, pile: Pile) -> bool:
    """Say whether the first delay of a pile landed, and no other that was set while one that landed was pending."""
    if not pile.landed[0] or is_stacked(pile) or is_restarted(pile):
        return False
    landed = pile.arms[pile.landed]
    set_lines = np.asarray(scene.take.tables["arm"]["line"], np.int64)[landed]
    return bool((set_lines[1:] > scene.take.arms.end_line[landed[:-1]]).all())


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays of which only the first counts."""
    ignored = [(pile, frames_of_landings(scene, pile)) for pile in scene.once(piles) if is_ignored(scene, pile)]
    yield from told(
        scene,
        ignored,
        None,
        tr(
            "A delay for `{event}` of {owners} was set {asked} while one was pending and "
            "{landed}: only the first counts."
        ),
        tr("Say in {cls} whether setting it again should begin anew, add, or do nothing, as now"),
    )


IGNORED = Cause(
    "ignored",
    "only the first lands",
    Severity.NOTE,
    find,
    (DELAY_REARMS,),
    about="A delay is set again three times or more while one is pending, and only the first lands.",
    quiet="twice; two that land though one was set while the other was pending.",
)
