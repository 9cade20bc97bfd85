"""What is asked again and again is told once: calls that found nothing go."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.take import Take
from opossum.words import counted, tr


def _polls(take: Take, wasted: Array) -> Array:
    """Return all calls of the listeners of some calls."""
    return np.flatnonzero(np.isin(take.calls.listener, distinct(take.calls.listener[wasted])))


def _asking(take: Take, polls: Array) -> Array:
    """Return the timers and delays that had polls run and called nobody else, and those that polls set and the take's end met."""
    calls, sends = take.calls, take.tables["send"]
    arm_of_send = np.append(take.arm_ids.rows(sends["p"], sends["a"]), np.int32(-1))
    others = np.ones(len(calls), bool)
    others[polls] = False
    asked, serve = (distinct(arm_of_send[calls.send[rows]]) for rows in (polls, np.flatnonzero(others)))
    arms = np.setdiff1d(asked[asked >= 0], serve).astype(np.int64)
    pending = np.isin(take.arms.cause, polls) & np.isin(take.arms.event, take.arms.event[arms])
    return np.union1d(arms, np.flatnonzero(pending & (take.arms.firings.sizes() == 0)))


def told_once(take: Take, finding: Finding) -> Plan:
    """Take away the calls that did nothing; those that found something stay, as the event that replaces the asking.

    The timers and delays that asked go, where they called nobody else.
    """
    polls = _polls(take, finding.calls)
    arms = _asking(take, polls)
    fired = take.arms.firings.rows_of_all(arms).astype(np.int64)
    idle = polls[np.isin(take.calls.send[polls], fired) & (take.calls.effect[polls] == 0)]
    wasted = np.union1d(finding.calls, idle)
    found = np.setdiff1d(polls, wasted)
    instead = tr(" by `{instead}`", instead=finding.instead) if finding.instead else ""
    unseen = int(((take.calls.effect[found] < 0) & (take.calls.own[found] < 0)).sum())
    stay = (tr("what {calls} found that nobody looked at: they stay", calls=counted(unseen, "call")),) if unseen else ()
    return Plan(
        done=tr(
            "`{fn}` is called{instead} when there is something, no longer to look",
            fn=finding.subject.function,
            instead=instead,
        ),
        calls=wasted,
        arms=arms,
        events=np.intersect1d(fired, take.calls.send[found]),
        unknown=(tr("what it costs to send the event instead"), *stay),
    )
