"""The Roster's rows: an event, below it who listens, and at the foot who waits in vain and what nobody listens to."""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.sieve import passes_by_name
from opossum.words import tr
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.state.session import Session


class Sort(Enum):
    """What a row is."""

    EVENT = "event"
    PILE = "pile"
    LISTENER = "listener"
    VAIN = "vain"
    FOOT = "foot"


class RosterRow(NamedTuple):
    """One row: an event, a folded or opened group of listeners (`number` is its group), one listener's lane, a group of
    waits, or a heading at the foot (`number` of things below it)."""

    sort: Sort
    number: int
    lane: int = 0
    opened: bool = False
    inside: bool = False
    faded: bool = False
    text: str = ""


def roster_rows(known: RosterListeners, session: Session, opened: set[tuple[str, str, str, str]]) -> list[RosterRow]:
    """Return all rows as they are folded (`opened` groups are not) and sieved. Linear in groups and opened listeners."""
    passed = _passed(known, session)
    hides = session.sieve.hides and session.sieve.active
    rows: list[RosterRow] = []
    unheard_by_all: list[RosterRow] = []
    for event in known.order.tolist():
        if known.code_of_event[event] < 0:
            continue
        groups = known.groups_of_event.rows(event)
        below: list[RosterRow] = []
        for group in groups.tolist():
            below += _group_rows(known, group, opened, passed, hides)
        if not len(groups):
            name = known.take.text(int(known.code_of_event[event]))
            faded = session.sieve.active and not passes_by_name(session.sieve.terms, event=name)
            if not (faded and hides):
                unheard_by_all.append(RosterRow(Sort.EVENT, event, faded=faded))
        elif below or not hides:
            rows.append(RosterRow(Sort.EVENT, event, faded=all(row.faded for row in below)))
            rows += below
    return rows + _foot(known, session, unheard_by_all, hides)


def _group_rows(
    known: RosterListeners, group: int, opened: set[tuple[str, str, str, str]], passed: Array | None, hides: bool
) -> list[RosterRow]:
    members = known.members.rows(group)
    alone = len(members) == 1
    is_open = not alone and known.key_of_group(group) in opened if opened else False
    meant = members if passed is None else members[passed[members]]
    if hides and not len(meant):
        return []
    faded = not len(meant)
    rows: list[RosterRow] = []
    if not alone:
        rows.append(RosterRow(Sort.PILE, group, opened=is_open, faded=faded))
    for listener in members.tolist() if alone or is_open else []:
        own = faded or (passed is not None and not passed[listener])
        if hides and own:
            continue
        lanes = int(known.lanes[listener]) + 1
        rows += [RosterRow(Sort.LISTENER, listener, lane, inside=not alone, faded=own) for lane in range(lanes)]
    return rows


def _foot(known: RosterListeners, session: Session, unheard_by_all: list[RosterRow], hides: bool) -> list[RosterRow]:
    rows: list[RosterRow] = []
    waits = []
    table, take = known.take.tables["wait"], known.take
    for place, group in enumerate(known.vain):
        event, owner = take.text(int(table["ev"][group[0]])), int(table["o"][group[0]])
        faded = session.sieve.active and not passes_by_name(
            session.sieve.terms, event=event, owner=take.text(owner), cls=take.class_of(owner)
        )
        if not (faded and hides):
            waits.append(RosterRow(Sort.VAIN, place, faded=faded))
    for text, found in ((tr("Waits in vain"), waits), (tr("Nobody listens"), unheard_by_all)):
        if found:
            rows.append(RosterRow(Sort.FOOT, len(found), text=text))
            rows += found
    return rows


def _passed(known: RosterListeners, session: Session) -> Array | None:
    """Return a boolean array (L,): the listener passes the sieve, by a call of it or by its names; None: nothing is sieved."""
    if not session.sieve.active:
        return None
    level = session.row_index.single
    sums, starts = level.sums["matched"], level.groups.starts
    by_calls = np.append(sums[starts[1:]] > sums[starts[:-1]], False)[known.called]
    take = known.take
    uncalled = np.flatnonzero(known.called < 0)
    for listener in uncalled.tolist():
        by_calls[listener] = passes_by_name(
            session.sieve.terms,
            event=take.text(int(known.event[listener])),
            owner=take.text(int(known.owner[listener])),
            function=take.text(int(known.function[listener])),
            cls=take.class_of(int(known.owner[listener])),
        )
    return by_calls
