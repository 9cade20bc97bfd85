"""What outlives its owner ends with it: listeners are unbound, timers cleared."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum.take.take import Take
from opossum.words import tr


def unbound_with_owner(take: Take, finding: Finding) -> Plan:
    """Unbind where the owner goes."""
    return _unbound(take, finding, take.binds.owner_gone_line, tr("its owner goes"))


def unbound_with_sender(take: Take, finding: Finding) -> Plan:
    """Unbind where the only sender goes."""
    return _unbound(take, finding, take.binds.source_gone_line, tr("what it listens to goes"))


def _unbound(take: Take, finding: Finding, gone: Array, when: str) -> Plan:
    table, subject = take.tables["bind"], finding.subject
    late = (gone != NEVER) & (take.binds.unbind_line > gone)
    late &= np.asarray(table["fn"]) == take.code(subject.fn)
    if subject.ev:
        late &= np.asarray(table["ev"]) == take.code(subject.ev)
    binds = np.flatnonzero(late)
    if subject.cls:
        owners = np.asarray(table["o"])[binds].tolist()
        binds = binds[[take.class_of(owner) == subject.cls for owner in owners]]
    if not len(binds):
        raise RehearsalError(tr("the take does not tell which bind outlived its owner"))
    return Plan(
        done=tr("`{fn}` is unbound from `{ev}` where {when}", fn=subject.function, ev=subject.ev, when=when),
        unbound=(binds, gone[binds]),
    )


def cleared_with_owner(take: Take, finding: Finding) -> Plan:
    """Clear where the owner goes."""
    table = take.tables["arm"]
    gone, _ = take.objects.next_gone(table["p"], table["o"], table["line"])
    arms = np.flatnonzero(
        (gone != NEVER) & (take.arms.end_line > gone) & (take.arms.event == take.code(finding.subject.ev))
    )
    if not len(arms):
        raise RehearsalError(tr("the take does not tell which timer outlived its owner"))
    return Plan(
        done=tr("the timer `{ev}` is cleared where its owner goes", ev=finding.subject.ev), cleared=(arms, gone[arms])
    )


def never_set(take: Take, finding: Finding) -> Plan:
    """Take away timers that nobody listens to."""
    told = np.array([item.row for item in finding.evidence if item.k == "arm"], np.int64)
    same = np.isin(take.arms.event, take.arms.event[told]) & np.isin(
        take.tables["arm"]["o"], np.asarray(take.tables["arm"]["o"])[told]
    )
    return Plan(
        done=tr("the timer `{ev}`, which nobody hears, is not set", ev=finding.subject.ev), arms=np.flatnonzero(same)
    )
