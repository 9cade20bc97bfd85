"""Which order Pacing's rows stand in, and which findings they prove."""

from __future__ import annotations

import numpy as np

from opossum.findings.catalogue import weave_of
from opossum.findings.finding import Finding
from opossum.take.sieve import passes_by_name
from opossum_desk.pacing.layout.pacing import PacedRow
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.state.session import Session

SORTS = ("timer", "delay", "cooldown", "cue", "tick", "answer")
POLLING = "polling-waste"
NAMED = ("any", "ev", "o", "cls", "fn")


def paced_rows(session: Session, all_rows: list[Recurring]) -> list[PacedRow]:
    """Return the rows, worst first: what findings tell of by severity, then by what runs for nothing, then the rest."""
    hides = session.sieve.hides and session.sieve.active
    rows = []
    for item in all_rows:
        faded = session.sieve.active and not passes(session, item)
        if not (faded and hides):
            rows.append(PacedRow(item, _worst(session.findings, item), faded))
    return sorted(rows, key=_badness)


def passes(session: Session, item: Recurring) -> bool:
    """Say whether a row passes the sieve by its names; words that name no thing let all rows through."""
    terms = [term for term in session.sieve.terms if term.subject in NAMED]
    return passes_by_name(terms, event=item.event, owner=item.owner or item.cls, function=item.function, cls=item.cls)


def _badness(row: PacedRow) -> tuple[int, int, float]:
    severity = row.finding.severity.rank if row.finding is not None else 9
    wasted = row.recurring.cost_ns * np.nan_to_num(row.recurring.wasted)
    return severity, SORTS.index(row.recurring.sort), -float(wasted or row.recurring.cost_ns)


def _worst(findings: list[Finding], item: Recurring) -> Finding | None:
    mine = [finding for finding in findings if tells_of(finding, item)]
    return min(mine, key=lambda finding: finding.severity.rank) if mine else None


def tells_of(finding: Finding, item: Recurring) -> bool:
    """Say whether a finding that Pacing proves is about a row."""
    if weave_of(finding.kind, finding.cause) != "pacing":
        return False
    subject = finding.subject
    if item.peer and subject.peer and subject.peer != item.peer:
        return False
    if item.sort == "answer":
        return False
    if item.sort == "cue":
        return bool(subject.clip) and subject.clip == item.clip
    if item.sort in ("tick", "cooldown"):
        return bool(subject.fn) and subject.fn == item.function and subject.cls in ("", item.cls)
    # a poll's finding is about who is called, a drift's about whose timer it is
    own = subject.cls in ("", item.cls) or finding.kind == POLLING
    return bool(subject.ev) and subject.ev == item.event and own
