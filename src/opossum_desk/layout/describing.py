"""Calls, sends, records and findings in a few lines of plain text."""

from __future__ import annotations

from opossum.findings.finding import Evidence, Finding
from opossum.foreign_text import shown
from opossum_desk.layout.wording import SEVERITY_TITLES, finding_title, short_time
from opossum_desk.state.session import Session

MOST_FRAMES = 12
"""Frames of a finding that are written out."""


def describe_call(session: Session, call: int) -> str:
    """Return what a bead is, in a few lines."""
    take = session.take
    send = int(take.calls.send[call])
    row = int(take.calls.frame[call])
    lines = [
        f"{take.function_of_call(call)} of {take.owner_of_call(call)}",
        f"for {take.event_of_call(call)} ({take.via_of_send(send)}), frame {take.frames.number[row]}, "
        f"{short_time(float(take.calls.duration_ns[call]))}",
    ]
    parent = int(take.calls.parent[call])
    if parent >= 0:
        lines.append(f"caused by {take.function_of_call(parent)} of {take.owner_of_call(parent)}")
    data = take.tables["send"].json("d")[send] if send >= 0 else ""
    if data:
        lines.append(f"data {data[:120]}")
    effect = int(take.calls.effect[call])
    lines.append("effect unknown" if effect < 0 else "ran for nothing" if effect == 0 else f"changed or sent {effect}")
    return "\n".join(lines)


def name_call(session: Session, call: int) -> str:
    """Return what a bead is, in half a sentence: function, owner, event, frame."""
    return ", ".join(describe_call(session, call).split("\n")[:2])


def describe_send(session: Session, send: int) -> str:
    """Return what a tick of an event's line is, in a few lines."""
    take = session.take
    table = take.tables["send"]
    frame = int(take.sends.frame[send])
    sender = take.text(int(table["o"][send]))
    lines = [
        f"{take.text(int(table['ev'][send]))}{f' sent by {sender}' if sender else ''}",
        f"{take.via_of_send(send)}, frame {take.frames.number[frame]}",
    ]
    cause = int(take.sends.cause[send])
    if cause >= 0:
        lines.append(f"sent from {take.function_of_call(cause)} of {take.owner_of_call(cause)}")
    data = table.json("d")[send]
    if data:
        lines.append(f"data {data[:120]}")
    count = len(session.calls_of_send(send))
    lines.append(
        f"{count:,} {'listener was' if count == 1 else 'listeners were'} called" if count else "nobody was called"
    )
    return "\n".join(lines)


def name_send(session: Session, send: int) -> str:
    """Return what a tick is, in half a sentence: event, sender, how it came about, frame."""
    return ", ".join(describe_send(session, send).split("\n")[:2])


def record_text(session: Session, item: Evidence) -> str:
    """Return a record in a few words."""
    take, row = session.take, item.row
    table = take.tables[item.k]
    if item.k == "call":
        return f"call of {take.function_of_call(row)} ({take.owner_of_call(row)})"
    if item.k == "frame":
        return f"frame {int(table['n'][row])}"
    words = [item.k]
    for field in ("ev", "o", "fn", "q", "what", "at"):
        column = table.columns.get(field)
        if column is not None and (text := take.text(int(column[row]))):
            words.append(text)
    return " ".join(words)


def finding_text(session: Session, finding: Finding) -> str:
    """Return a finding as plain text that can be pasted into a message: what, what to change, where, and its proof."""
    take = session.take
    lines = [
        f"{SEVERITY_TITLES[finding.severity.value]}: {finding_title(finding)}",
        finding.summary.replace("`", ""),
        f"What to change: {finding.advice.replace('`', '')}",
        *(detail.replace("`", "") for detail in finding.details),
    ]
    if finding.frames:
        more = f" and {len(finding.frames) - MOST_FRAMES:,} more" if len(finding.frames) > MOST_FRAMES else ""
        lines.append(f"Frames: {', '.join(str(frame) for frame in finding.frames[:MOST_FRAMES])}{more}")
    for item in finding.evidence:
        source, line = take.line_in_source(item.line)
        lines.append(f"- {record_text(session, item)} – {item.note} ({source}, line {line:,})")
    return "\n".join(shown(line) for line in lines)
