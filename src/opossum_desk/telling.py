"""What the status line says: of the take, of what is selected, of what was found."""

from __future__ import annotations

from collections.abc import Sequence

from opossum.findings.finding import Finding, Severity
from opossum.findings.wording import plural
from opossum_desk.layout.wording import SEVERITY_TITLES, finding_title
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session

MOST_WRONG = 3
"""So many findings about a selected call are said aloud."""


def axis_told(session: Session) -> str:
    """Return the take in one line: game, length, frames, records, and what its axis is laid out by."""
    take = session.take
    mode = "by frame" if session.axis.mode is AxisMode.FRAME else "by time"
    seconds = f"{take.duration_ns / 1e9:.1f} s"
    return f"{take.game} · {seconds} · {take.game_frames:,} frames · {take.records:,} records · {mode}"


def selection_told(session: Session) -> str:
    """Return what is selected, empty where nothing is."""
    if session.call >= 0:
        from opossum_desk.layout.describing import describe_call

        return " · ".join(describe_call(session, session.call).split("\n")[:2])
    if session.column < 0:
        return ""
    row = session.axis.row_of_column(session.column)
    number = int(session.take.frames.number[row])
    calls = len(session.calls_of_column(session.column))
    name = f"Frame {number}" if number >= 0 else "Start-up"
    return f"{name} · {session.frame_lengths[row] / 1e6:.2f} ms of work · {plural(calls, 'call')}"


def selection_spoken(session: Session) -> str:
    """Return what is selected and what is wrong with it, for those who listen; empty where nothing is."""
    told = selection_told(session)
    if session.call >= 0:
        wrong = [finding for finding in session.findings if session.call in finding.calls][:MOST_WRONG]
        told += "".join(f". {SEVERITY_TITLES[item.severity.value]}: {finding_title(item)}" for item in wrong)
    return told.replace(" · ", ", ")


def examined_told(findings: Sequence[Finding]) -> str:
    """Return what an examination came to."""
    if not findings:
        return "Examined: nothing found."
    faults = sum(1 for finding in findings if finding.severity is Severity.FAULT)
    things = "1 finding" if len(findings) == 1 else f"{len(findings)} findings"
    return f"Examined: {things}, {faults} of them {'a fault' if faults == 1 else 'faults'}. Press N for the first."
