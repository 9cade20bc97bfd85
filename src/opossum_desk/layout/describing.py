"""A call in a few lines of plain text."""

from __future__ import annotations

from opossum_desk.layout.wording import short_time
from opossum_desk.state.session import Session


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
