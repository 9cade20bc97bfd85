"""Restarted: each time it is set the delay begins anew, so that a steady trigger puts it off for ever."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.declaring import Cause
from opossum.findings.delay_restacked.piling import DELAY_REARMS, Pile, frames_of_rearms, piles, told
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.words import tr


def is_restarted(pile: Pile) -> bool:
    """Say whether no delay of a pile landed but the last; where not even that, the first must have made way for the others."""
    return not pile.landed[:-1].any() and bool(pile.landed[-1] or pile.made_way)


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays that are put off again and again."""
    again = [(pile, frames_of_rearms(scene, pile)) for pile in scene.once(piles) if is_restarted(pile)]
    yield from told(
        scene,
        again,
        None,
        tr(
            "A delay for `{event}` of {owners} was set {asked} while one was pending and "
            "{landed}: each time it begins anew, and a steady trigger puts it off for ever."
        ),
        tr("Set the delay for `{event}` only while none is pending, or bound how often {cls} may put it off"),
    )


RESTARTED = Cause(
    "restarted",
    "begun anew each time",
    Severity.RISK,
    find,
    (DELAY_REARMS,),
    about="A delay is set again three times or more while one is pending, or is cleared in the same frame for it, and only the last lands.",
    quiet="twice.",
)
