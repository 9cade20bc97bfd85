"""A row of the Loom in a few lines of plain text."""

from __future__ import annotations

from opossum.words import counted, tr
from opossum_desk.flow.layout.loom import RowLine
from opossum_desk.state.session import Session


def describe_line(session: Session, line: RowLine) -> str:
    """Return what a row of the Loom stands for, in a few lines."""
    take = session.take
    listener = int(session.row_index.listeners_of(line.row)[0])
    function = take.text(int(take.listeners.function[listener]))
    event = take.text(int(take.listeners.event[listener]))
    calls = len(session.row_index.calls_of(line.row))
    many = (
        tr("{members} listeners of class {owner}", members=line.members, owner=line.owner)
        if line.row.folded
        else line.owner
    )
    return tr(
        "{many}\n{function} for {event}\n{calls}, phase {phase}",
        many=many,
        function=function,
        event=event,
        calls=counted(calls, "call"),
        phase=line.phase or "none",
    )
