"""Leaving findings out of a session, and counting them again."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum_desk.state.session import Session


def leave_out(session: Session, finding: Finding, name: str) -> str:
    """Count findings like this one no more for one part of its subject (`o`, `cls`, …); return where that was written."""
    left, told = session.wishes.leave_out(session.findings, finding, name)
    session.without(left)
    return told


def count_again(session: Session) -> bool:
    """Undo the last wish not to count something; return whether there was one."""
    before = session.wishes.take_back()
    if before is not None:
        session.set_findings(before)
    return before is not None
