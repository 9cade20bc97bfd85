"""Calls, sends, records and findings in a few lines of plain text."""

from __future__ import annotations

from opossum.findings.finding import Evidence, Finding
from opossum.foreign_text import shown
from opossum.words import counted, tr
from opossum_desk.layout.wording import finding_title, severity_title, short_time
from opossum_desk.state.peer_prefix import peer_prefix
from opossum_desk.state.session import Session

MOST_FRAMES = 12
"""Frames of a finding that are written out."""


def describe_call(session: Session, call: int) -> str:
    """Return what a bead is, in a few lines."""
    take = session.take
    send = int(take.calls.send[call])
    row = int(take.calls.frame[call])
    lines = [
        peer_prefix(take, int(take.tables["call"]["p"][call]))
        + tr(
            "{function_of_call} of {owner_of_call}",
            function_of_call=take.function_of_call(call),
            owner_of_call=take.owner_of_call(call),
        ),
        tr(
            "for {event_of_call} ({via_of_send}), frame {number}, {short_time}",
            event_of_call=take.event_of_call(call),
            via_of_send=take.via_of_send(send),
            number=take.frames.number[row],
            short_time=short_time(float(take.calls.duration_ns[call])),
        ),
    ]
    parent = int(take.calls.parent[call])
    if parent >= 0:
        lines.append(
            tr(
                "caused by {function_of_call} of {owner_of_call}",
                function_of_call=take.function_of_call(parent),
                owner_of_call=take.owner_of_call(parent),
            )
        )
    data = take.tables["send"].json("d")[send] if send >= 0 else ""
    if data:
        lines.append(tr("data {data}", data=data[:120]))
    effect = int(take.calls.effect[call])
    lines.append(
        tr("effect unknown")
        if effect < 0
        else tr("ran for nothing")
        if effect == 0
        else tr("changed or sent {effect}", effect=effect)
    )
    return "\n".join(lines)


def name_call(session: Session, call: int) -> str:
    """Return what a bead is, in half a sentence: function, owner, event, frame."""
    return ", ".join(describe_call(session, call).split("\n")[:2])


def describe_send(session: Session, send: int) -> str:
    """Return what a tick of an event's line is, in a few lines."""
    take = session.take
    table = take.tables["send"]
    frame = int(take.sends.frame[send])
    event, sender = take.text(int(table["ev"][send])), take.text(int(table["o"][send]))
    lines = [
        peer_prefix(take, int(table["p"][send]))
        + (tr("{event} sent by {sender}", event=event, sender=sender) if sender else event),
        tr("{via_of_send}, frame {number}", via_of_send=take.via_of_send(send), number=take.frames.number[frame]),
    ]
    cause = int(take.sends.cause[send])
    if cause >= 0:
        lines.append(
            tr(
                "sent from {function_of_call} of {owner_of_call}",
                function_of_call=take.function_of_call(cause),
                owner_of_call=take.owner_of_call(cause),
            )
        )
    data = table.json("d")[send]
    if data:
        lines.append(tr("data {data}", data=data[:120]))
    count = len(session.calls_of_send(send))
    lines.append(tr("{listeners} called", listeners=counted(count, "listener")) if count else tr("nobody was called"))
    return "\n".join(lines)


def name_send(session: Session, send: int) -> str:
    """Return what a tick is, in half a sentence: event, sender, how it came about, frame."""
    return ", ".join(describe_send(session, send).split("\n")[:2])


def record_text(session: Session, item: Evidence) -> str:
    """Return a record in a few words."""
    take, row = session.take, item.row
    table = take.tables[item.k]
    if item.k == "call":
        return tr(
            "call of {function_of_call} ({owner_of_call})",
            function_of_call=take.function_of_call(row),
            owner_of_call=take.owner_of_call(row),
        )
    if item.k == "frame":
        return tr("frame {row}", row=int(table["n"][row]))
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
        f"{severity_title(finding.severity.value)}: {finding_title(finding)}",
        finding.summary.replace("`", ""),
        tr("What to change: {finding}", finding=finding.advice.replace("`", "")),
        *(detail.replace("`", "") for detail in finding.details),
    ]
    if finding.frames:
        more = (
            tr(" and {frames:,} more", frames=len(finding.frames) - MOST_FRAMES)
            if len(finding.frames) > MOST_FRAMES
            else ""
        )
        lines.append(
            tr("Frames: {join}{more}", join=", ".join(str(frame) for frame in finding.frames[:MOST_FRAMES]), more=more)
        )
    for item in finding.evidence:
        source, line = take.line_in_source(item.line)
        lines.append(
            tr(
                "- {record_text} – {note} ({source}, line {line:,})",
                record_text=record_text(session, item),
                note=item.note,
                source=source,
                line=line,
            )
        )
    return "\n".join(shown(line) for line in lines)
