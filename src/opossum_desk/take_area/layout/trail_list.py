"""The Trail as a list in the panel Frame: hop by hop, with the time from one to the next."""

from __future__ import annotations

from opossum.words import counted, tr
from opossum_desk.layout.wording import short_time
from opossum_desk.state.session import Session
from opossum_desk.state.trail import Hop, Trail
from opossum_desk.take_area.layout.frame import DEEPEST_INDENT, FramePicture, FrameRow, call_marks


def layout_trail(session: Session, trail: Trail) -> FramePicture:
    """Return the lines of a Trail: what led to the call, the call, and what sprang from it."""
    take = session.take
    rows: list[FrameRow] = []
    for place, hop in enumerate(trail.hops):
        if place in (0, trail.place, trail.place + 1):
            heading = (
                tr("what led to it")
                if place < trail.place
                else tr("the call")
                if place == trail.place
                else tr("what sprang from it")
            )
            rows.append(FrameRow("phase", heading))
        rows.append(
            FrameRow(
                "call",
                f"{take.owner_of_call(hop.call)} {take.function_of_call(hop.call).rpartition('.')[2]}",
                hop.call,
                min(hop.depth, DEEPEST_INDENT),
                take.event_of_call(hop.call),
                take.via_of_send(int(take.calls.send[hop.call])),
                _time_told(session, trail, hop),
                marks=call_marks(session, hop.call),
            )
        )
    first, last = trail.hops[0], max(trail.hops, key=lambda hop: int(take.calls.start_ns[hop.call]))
    span = int(take.calls.start_ns[last.call] - take.calls.start_ns[first.call])
    told = tr("{calls} over {short_time}", calls=counted(len(trail.hops), "call"), short_time=short_time(span))
    if trail.begins_earlier:
        told += tr("; it begins earlier")
    if trail.left_out:
        told += tr("; more sprang from it than are listed")
    return FramePicture(tr("Trail"), told, rows)


def _time_told(session: Session, trail: Trail, hop: Hop) -> str:
    """Return how long after what it sprang from a hop came: in frames where they differ, and in time."""
    if hop.of < 0:
        number = int(session.take.frames.number[session.take.calls.frame[hop.call]])
        return tr("frame {number}", number=number) if number >= 0 else tr("start-up")
    columns = session.row_index.column
    between = int(columns[hop.call]) - int(columns[trail.hops[hop.of].call])
    frames = f" · {counted(between, 'frame')}" if between else ""
    return f"+{short_time(max(0, hop.after_ns))}{frames}"
