"""What the status line says: of the take, of what is selected, of what was found."""

from __future__ import annotations

from collections.abc import Sequence

from opossum.findings.finding import Finding, Severity
from opossum.words import counted, tr
from opossum_desk.layout.wording import finding_title, severity_title, short_time
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session

MOST_WRONG = 3
"""So many findings about a selected call are said aloud."""


def axis_told(session: Session) -> str:
    """Return the take in one line: game, length, frames, records, and what its axis is laid out by."""
    take = session.take
    mode = tr("by frame") if session.axis.mode is AxisMode.FRAME else tr("by time")
    return tr(
        "{game} · {time} · {frames} · {records} · {mode}",
        game=take.game,
        time=short_time(float(take.duration_ns)),
        frames=counted(take.game_frames, "frame"),
        records=counted(take.records, "record"),
        mode=mode,
    )


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
    name = tr("Frame {number}", number=number) if number >= 0 else tr("Start-up")
    return tr(
        "{name} · {time} of work · {calls}",
        name=name,
        time=short_time(float(session.frame_lengths[row])),
        calls=counted(calls, "call"),
    )


def selection_spoken(session: Session) -> str:
    """Return what is selected and what is wrong with it, for those who listen; empty where nothing is."""
    told = selection_told(session)
    if session.call >= 0:
        wrong = [finding for finding in session.findings if session.call in finding.calls][:MOST_WRONG]
        told += "".join(f". {severity_title(item.severity.value)}: {finding_title(item)}" for item in wrong)
    return told.replace(" · ", ", ")


def examined_told(findings: Sequence[Finding]) -> str:
    """Return what an examination came to."""
    if not findings:
        return tr("Examined: nothing found.")
    faults = sum(1 for finding in findings if finding.severity is Severity.FAULT)
    return tr(
        "Examined: {findings}, {faults} among them. Press N for the first.",
        findings=counted(len(findings), "finding"),
        faults=counted(faults, "fault"),
    )
