"""Everything in a take that recurs, gathered once."""

from __future__ import annotations

from opossum.findings.scene import Scene
from opossum.take.take import Take
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.recurring_arms import delays, timers
from opossum_desk.pacing.layout.recurring_calls import answers, ticks
from opossum_desk.pacing.layout.recurring_cooldowns import cooldowns
from opossum_desk.pacing.layout.recurring_cues import tracks


def recurring(take: Take) -> list[Recurring]:
    """Return all that recurs in a take, sort by sort."""
    scene = Scene(take)
    if not len(take.frames):
        return []
    return [*timers(scene), *delays(scene), *cooldowns(scene), *tracks(scene), *ticks(scene), *answers(scene)]
