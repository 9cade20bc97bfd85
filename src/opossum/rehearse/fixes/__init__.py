"""The fixes: for each kind and cause of finding, what would be changed in the game."""

from __future__ import annotations

from collections.abc import Callable

from opossum.findings.finding import Finding
from opossum.rehearse.fixes import double_fire, freezes, lives, moving, polling, zones
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.take.take import Take
from opossum.words import tr, translatable

FIXES: dict[str, Callable[[Take, Finding], Plan]] = {
    "double-fire/bound-twice": double_fire.second_bind,
    "double-fire/two-routes": double_fire.second_route,
    "double-fire/armed-twice": double_fire.first_timer,
    "double-fire/held-input": double_fire.on_press,
    "double-fire/no-latch": double_fire.latch,
    "double-fire/queue-kept": double_fire.queue_kept,
    "stale-listener/called-after-gone": lives.unbound_with_owner,
    "stale-listener/left-bound": lives.unbound_with_owner,
    "stale-listener/sender-gone": lives.unbound_with_sender,
    "timer-left-running/owner-gone": lives.cleared_with_owner,
    "timer-left-running/nobody-listens": lives.never_set,
    "polling-waste": polling.told_once,
    "freeze/event-storm": freezes.first_of_burst,
    "freeze/many-calls": freezes.first_of_burst,
    "freeze/slow-call": freezes.as_long_as_usual,
    "freeze/waiting": freezes.no_standstill,
    "delay-off-mark/early": moving.on_the_mark,
    "delay-off-mark/late": moving.on_the_mark,
    "delay-restacked": double_fire.first_timer,
    "mark-late/late": moving.at_their_places,
    "mark-late/burst": moving.at_their_places,
    "cue-off/early": moving.at_their_places,
    "cue-off/late": moving.at_their_places,
    "cue-off/drifts": moving.at_their_places,
    "unheard/sent-before-bind": moving.after_the_bind,
    "zone-unfiltered": zones.only_who_is_meant,
}
"""The fix of each cause, or of all causes of a kind."""

WHY_NOT = {
    "freeze/endless-loop": translatable("what comes after a loop that never ended was never recorded"),
    "raised": translatable("what would have run after an error was never recorded"),
    "dead-end": translatable("what a call that gave up would have done was never recorded"),
}
"""Why some cannot be rehearsed."""
WITHOUT_A_FIX = translatable("its fix brings calls that were never recorded")
LONGEST_NAME = 200
"""What a finding is called in a sentence is cut beyond this: names come from the game."""


def fix_of(take: Take, finding: Finding) -> Plan:
    """Return the fix of a finding as a plan.

    Raises:
        RehearsalError: there is none that could be told; the message says why.
    """
    cause = f"{finding.kind}/{finding.cause}"
    fix = FIXES.get(cause) or FIXES.get(finding.kind)
    if fix is None:
        why = WHY_NOT.get(cause) or WHY_NOT.get(finding.kind) or WITHOUT_A_FIX
        name = finding.id if len(finding.id) <= LONGEST_NAME else f"{finding.id[:LONGEST_NAME]}…"
        raise RehearsalError(tr("{name} cannot be rehearsed: {why}", name=name, why=tr(why)))
    return fix(take, finding)


def can_be_rehearsed(finding: Finding) -> bool:
    """Say whether there is a fix to try; it may still turn out that the take does not tell enough."""
    return f"{finding.kind}/{finding.cause}" in FIXES or finding.kind in FIXES
