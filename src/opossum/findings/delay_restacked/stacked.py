"""Stacked: every one of the delays lands, so the effect comes as often as it was asked for."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.delay_restacked.piling import DELAY_REARMS, Pile, frames_of_landings, piles, told
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.words import tr


def is_stacked(pile: Pile) -> bool:
    """Say whether more than half of a pile landed: so not the first or the last alone."""
    return int(pile.landed.sum()) > len(pile.arms) / 2


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays that pile up."""
    summary = tr("A delay for `{event}` of {owners} was set {asked} while one was pending, and {landed}")
    advice = tr("Clear the pending delay for `{event}` before it is set again, or do not set it while one is pending")
    stacked = [pile for pile in scene.once(piles) if is_stacked(pile)]
    acting = [(pile, frames_of_landings(scene, pile)) for pile in stacked if pile.acted[pile.landed].all()]
    others = [(pile, frames_of_landings(scene, pile)) for pile in stacked if not pile.acted[pile.landed].all()]
    yield from told(scene, acting, None, summary + tr(": its effect comes as often as it was asked for."), advice)
    yield from told(
        scene, others, Severity.NOTE, summary + tr("; not every landing is known to change something."), advice
    )


STACKED = Cause(
    "stacked",
    "every one lands",
    Severity.FAULT,
    find,
    (DELAY_REARMS,),
    springs_from=FROM_STALE_CALLS,
    about="A delay is set again three times or more while one is pending, and all land and change something.",
    quiet="landings told apart by their data; delays that set themselves.",
)
