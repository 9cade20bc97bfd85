"""A call, or a row of the Loom, in a few lines of plain text."""

from __future__ import annotations

from opossum_desk.flow.layout.loom import RowLine
from opossum_desk.flow.layout.slice import short_time
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


def describe_line(session: Session, line: RowLine) -> str:
    """Return what a row of the Loom stands for, in a few lines."""
    take = session.take
    listener = int(session.row_index.listeners_of(line.row)[0])
    function = take.text(int(take.listeners.function[listener]))
    event = take.text(int(take.listeners.event[listener]))
    calls = len(session.row_index.calls_of(line.row))
    many = f"{line.members} listeners of class {line.owner}" if line.row.folded else line.owner
    return f"{many}\n{function} for {event}\n{calls:,} calls, phase {line.phase or 'none'}"
