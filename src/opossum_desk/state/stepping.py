"""Going from one thing to the next: findings, frames, calls, events, causes, marks."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum_desk.state.session import Session


def step_finding(session: Session, step: int) -> Finding | None:
    """Go to the next (+1) or previous (-1) finding."""
    if not session.findings:
        return None
    place = next(
        (i for i, item in enumerate(session.findings) if session.finding and item.id == session.finding.id), None
    )
    place = (0 if step > 0 else -1) if place is None else (place + step) % len(session.findings)
    session.show_finding(session.findings[place])
    return session.finding


def step_frame(session: Session, step: int) -> None:
    """Select the next or previous frame."""
    start = session.column if session.column >= 0 else session.visible_columns[0] - (step > 0)
    session.select_column(start + step, "step")


def step_call(session: Session, step: int) -> None:
    """Select the next or previous call, going on into the neighbouring frame."""
    if session.column < 0:
        step_frame(session, 1)
    calls = session.calls_of_column(session.column)
    if session.call >= 0:
        place = int(np.flatnonzero(calls == session.call)[0]) + step
    else:
        place = 0 if step > 0 else len(calls) - 1
    column = session.column
    while not 0 <= place < len(calls):
        column += step
        if not 0 <= column < session.axis.columns:
            return
        calls = session.calls_of_column(column)
        place = 0 if step > 0 else len(calls) - 1
    session.select_call(int(calls[place]), "step")


def step_event(session: Session, step: int) -> None:
    """Select the first call of the same event in the nearest earlier or later frame that has one."""
    if session.call >= 0:
        event = int(session.take.calls.event[session.call])
        found = session.row_index.nearest_of_event(event, session.column, step)
        if found >= 0:
            session.select_call(found, "step")


def step_bookmark(session: Session, step: int) -> None:
    """Select the next or previous marked frame."""
    beyond = [mark for mark in session.marks.columns if (mark > session.column if step > 0 else mark < session.column)]
    if beyond:
        session.select_column(beyond[0] if step > 0 else beyond[-1])


def follow_cause(session: Session) -> bool:
    """Select the call that caused the selected one; say whether there is one."""
    if session.call < 0 or session.take.calls.parent[session.call] < 0:
        return False
    session.select_call(int(session.take.calls.parent[session.call]))
    return True


def toggle_trail(session: Session) -> None:
    """Show the chain of causes and effects of the selected call, or no longer."""
    session.show_trail(session.call if session.trail is None else -1)


def walk_trail(session: Session, step: int) -> bool:
    """Select the next or previous hop of the Trail that is shown; say whether there is one."""
    if session.trail is None:
        return False
    place = session.trail.place_of(session.call) + step
    if not 0 <= place < len(session.trail.hops):
        return False
    session.select_call(session.trail.hops[place].call)
    return True
