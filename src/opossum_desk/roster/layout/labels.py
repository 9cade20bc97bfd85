"""What the Roster says at the left of its rows, and how tall that makes them."""

from __future__ import annotations

import numpy as np

from opossum.words import counted, tr
from opossum_desk.layout.heights import DETAIL_PX
from opossum_desk.layout.row_picture import Label, RowStack
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.rows import RosterRow, Sort
from opossum_desk.state.peer_prefix import peer_prefix


def stack_rows(known: RosterListeners, rows: list[RosterRow], line_px: float, detail_px: float = DETAIL_PX) -> RowStack:
    """Return the heights of all rows: those with a remark have a second line."""
    return RowStack(np.array([line_px + (detail_px if _has_remark(known, row) else 0.0) for row in rows]))


def _has_remark(known: RosterListeners, row: RosterRow) -> bool:
    if row.sort is Sort.EVENT:
        return known.unheard_count(row.number) > 0
    if row.sort is Sort.LISTENER:
        stale = row.lane == 0 and (known.stale_calls[row.number] > 0 or known.stale_binds[row.number] > 0)
        return bool(stale or row.lane)
    if row.sort is Sort.PILE:
        return bool((known.stale_binds[known.members.rows(row.number)] > 0).any())
    return False


def label_of(known: RosterListeners, row: RosterRow, is_meant: bool) -> Label:
    """Return a row's label, wherever it stands; `is_meant`: findings tell that somebody did not hear its event.

    What was said once is kept: panning says the same of some dozens of rows, over and over.
    """
    label = known.labels.get((row, is_meant))
    if label is None:
        label = known.labels[row, is_meant] = _label(known, row, is_meant)
    return label


def _label(known: RosterListeners, row: RosterRow, is_meant: bool) -> Label:
    take = known.take
    fold, indent, heads, detail, role, detail_role = "", 0.0, False, "", "ink", "quiet"
    if row.sort is Sort.EVENT:
        text, heads = take.text(int(known.code_of_event[row.number])), True
        text = peer_prefix(take, int(known.peer_of_event[row.number])) + text
        detail = event_remark(known, row.number)
        detail_role = "rose" if is_meant else "quiet"
    elif row.sort is Sort.PILE:
        listener = int(known.first_of_group[row.number])
        members = known.members.rows(row.number)
        text = f"{take.class_of(int(known.owner[listener]))} ×{len(members):,}  {_function(known, listener)}"
        fold, indent = "–" if row.opened else "+", 10.0
        stale = int(known.stale_calls[members].sum())
        many = int((known.stale_binds[members] > 0).sum())
        detail, detail_role = (stale_remark(stale, many), "rose") if many else ("", "quiet")
    elif row.sort is Sort.LISTENER:
        owner = take.text(int(known.owner[row.number])) or tr("somebody")
        text = f"{owner}  {_function(known, row.number)}" + (f" {tr('again')}" if row.lane else "")
        indent = 26.0 if row.inside else 10.0
        detail, detail_role = listener_remark(known, row)
    elif row.sort is Sort.VAIN:
        waits = known.vain[row.number]
        table = take.tables["wait"]
        waiter = int(table["o"][waits[0]])
        name = take.text(waiter) if len(waits) == 1 else f"{take.class_of(waiter)} ×{len(waits):,}"
        text, indent = tr("{name}  for {table}", name=name, table=take.text(int(table["ev"][waits[0]]))), 10.0
    else:
        text, heads, role = f"{row.text}  {row.number:,}", True, "quiet"
    return Label(0.0, 0.0, 0, text, detail, role, detail_role, indent, fold, heads, faded=row.faded)


def _function(known: RosterListeners, listener: int) -> str:
    return known.take.text(int(known.function[listener])).rpartition(".")[2]


def event_remark(known: RosterListeners, event: int) -> str:
    """Say how many sends of an event nobody heard; empty where all were heard."""
    unheard = known.unheard_count(event)
    if not unheard:
        return ""
    total = int(known.sends.sizes()[event])
    if unheard == total:
        if total == 1:
            return tr("its one send was heard by nobody")
        return tr("all {total:,} sends were heard by nobody", total=total)
    return tr("{unheard:,} of {sends} heard by nobody", unheard=unheard, sends=counted(total, "send"))


def listener_remark(known: RosterListeners, row: RosterRow) -> tuple[str, str]:
    """Return (what is wrong with a listener's bars, its colour); both empty or quiet where nothing is."""
    if row.lane:
        return tr("bound again while it was bound"), "rose"
    if known.stale_binds[row.number]:
        return stale_remark(int(known.stale_calls[row.number]), 1), "rose"
    if known.stale_calls[row.number]:
        return stale_remark(int(known.stale_calls[row.number]), 1), "rose"
    return "", "quiet"


def stale_remark(calls: int, listeners: int) -> str:
    """Say that listeners stayed bound after they had gone, and how often they were called."""
    if listeners == 1:
        return (
            tr("called {times} after it went", times=counted(calls, "time"))
            if calls
            else tr("listens on after it went")
        )
    listen = tr("{listeners:,} listen on after they went", listeners=listeners)
    return f"{listen}: {counted(calls, 'call')}" if calls else listen
