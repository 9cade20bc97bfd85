"""Which rows of the Roster the chosen finding is about."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Finding
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.rows import RosterRow, Sort


class MeantRows(NamedTuple):
    """`places` of the rows that are meant; the events of which findings tell that somebody did not hear them, and, (sends,),
    which sends those are."""

    places: frozenset[int]
    unheard_events: frozenset[int]
    unheard: Array


def meant_listeners(known: RosterListeners, finding: Finding | None) -> set[int]:
    """Return the listeners (L) that a finding is about: those it calls or names as proof, else those of its subject."""
    if finding is None:
        return set()
    take = known.take
    number_of = np.full(len(take.listeners), -1, np.int64)
    called = np.flatnonzero(known.called >= 0)
    number_of[known.called[called]] = called
    found = set(number_of[distinct(take.calls.listener[finding.calls])].tolist()) if len(finding.calls) else set()
    found |= {int(known.of_bind[item.row]) for item in finding.evidence if item.k == "bind"}
    return found


def meant_rows(
    known: RosterListeners, rows: list[RosterRow], finding: Finding | None, findings: list[Finding]
) -> MeantRows:
    """Return which rows are meant."""
    unheard = {item.subject.ev for item in findings if item.kind == "unheard"}
    codes = {known.take.code(name) for name in unheard if name}
    events = frozenset(np.flatnonzero(np.isin(known.code_of_event, list(codes))).tolist()) if codes else frozenset()
    flags = np.zeros(len(known.unheard), bool)
    for item in findings:
        if item.kind == "unheard":
            flags[item.sends] = True
    if finding is None:
        return MeantRows(frozenset(), events, flags)
    listeners = meant_listeners(known, finding)
    groups = {int(known.group[listener]) for listener in listeners}
    event = known.take.code(finding.subject.ev) if finding.subject.ev else -2
    lit = set()
    for place, row in enumerate(rows):
        if row.sort is Sort.LISTENER:
            meant = row.number in listeners
        elif row.sort is Sort.PILE:
            meant = row.number in groups
        elif row.sort is Sort.EVENT:
            meant = int(known.code_of_event[row.number]) == event
        elif row.sort is Sort.VAIN:
            meant = int(known.take.tables["wait"]["ev"][known.vain[row.number][0]]) == event
        else:
            meant = False
        if meant:
            lit.add(place)
    return MeantRows(frozenset(lit), events, flags)
