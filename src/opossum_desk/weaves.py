"""The weaves, in the order of the rail. A new one is a folder, and one line here."""

from __future__ import annotations

from opossum_desk.flow.weave import FlowWeave
from opossum_desk.views.look import Look
from opossum_desk.weaving.weave import Weave, WeaveView


def _make_roster(look: Look) -> WeaveView:
    from opossum_desk.roster.weave import RosterWeave  # made when first wanted: the desk starts with Flow

    return RosterWeave(look)


def _make_pacing(look: Look) -> WeaveView:
    from opossum_desk.pacing.weave import PacingWeave

    return PacingWeave(look)


def _make_clips(look: Look) -> WeaveView:
    from opossum_desk.clips.weave import ClipsWeave

    return ClipsWeave(look)


def _make_compare(look: Look) -> WeaveView:
    from opossum_desk.compare.weave import CompareWeave

    return CompareWeave(look)


def _make_rules(look: Look) -> WeaveView:
    from opossum_desk.rules.weave import RulesWeave

    return RulesWeave(look)


WEAVES: list[Weave] = [
    Weave("flow", "Flow", "Alt+2", "what ran in which order, frame by frame", "See the order", FlowWeave),
    Weave(
        "roster", "Roster", "Alt+3", "who listened to what, and whether they were alive", "See the lives", _make_roster
    ),
    Weave("pacing", "Pacing", "Alt+4", "how regular, how wasteful", "See how regular", _make_pacing),
    Weave("clips", "Clips", "Alt+5", "clips laid over each other, and their marks", "See the clips", _make_clips),
    Weave("compare", "Compare", "Alt+6", "this take beside another one", "See it compared", _make_compare),
    Weave("rules", "Rules", "Alt+7", "what must hold, and where it broke", "See the rules", _make_rules),
]


def weave_named(name: str) -> Weave:
    """Return the weave of a name; the first for one that is not known."""
    return next((weave for weave in WEAVES if weave.name == name), WEAVES[0])
