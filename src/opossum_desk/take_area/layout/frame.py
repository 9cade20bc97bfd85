"""The layout of the panel Frame: one frame, call by call, with causes. Linear in the frame's calls, cut at `MOST_CALLS`."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.take.grouping import distinct
from opossum.take.moment import last_line, values_at
from opossum.words import counted, number, tr
from opossum_desk.layout.wording import short_time
from opossum_desk.state.peer_prefix import peer_prefix
from opossum_desk.state.session import Session

MOST_CALLS = 3000
MOST_SAYS = 200
DEEPEST_INDENT = 9
LONGEST_DATA, MOST_VALUES = 400, 300


class FrameRow(NamedTuple):
    """One line: a phase's name, a log line, or a call with what it says about itself.

    `share`: the call's time as a share of the frame's longest call; `marks`: words such as `twice`, `gone`.
    """

    kind: str
    text: str
    call: int = -1
    depth: int = 0
    event: str = ""
    via: str = ""
    time: str = ""
    start: str = ""
    share: float = 0.0
    marks: tuple[str, ...] = ()


class FramePicture(NamedTuple):
    """The frame's title and its lines."""

    title: str
    subtitle: str
    rows: list[FrameRow]
    left_out: int = 0

    def index_of(self, call: int) -> int:
        """Return the line of a call, -1 where it has none."""
        return next((i for i, row in enumerate(self.rows) if row.call == call), -1)


def _says_of_frame(session: Session, frame: int) -> list[tuple[int, str]]:
    """Return (stream line, text) of the log lines that came in a frame, in order."""
    take, table = session.take, session.take.tables["say"]
    if not len(table):
        return []
    rows = np.flatnonzero(take.frames.rows_of_lines(table["p"], table["line"]) == frame)[:MOST_SAYS]
    return [(int(table["line"][row]), take.text(int(table["text"][row]))) for row in rows.tolist()]


def _late_phases(session: Session, frame: int) -> dict[str, int]:
    """Return the phases that came after a later one in a frame (row), and the stream line at which each began.

    Only where the chosen finding is about that.
    """
    take, finding = session.take, session.finding
    if finding is None or not any(item.k == "phase" for item in finding.evidence) or frame not in finding.frame_rows:
        return {}
    peer = int(take.frames.peer[frame])
    names = take.recording.head_list(peer, "phases")
    table = take.tables["phase"]
    rows = take.recording.rows_of_peer("phase", peer)
    ends = take.frames.line[frame : take.frames.of_peer(peer).stop][:2]  # its own line, and that of the next
    first, last = [*np.searchsorted(np.asarray(table["line"])[rows], ends).tolist(), len(rows)][:2]
    begun: dict[str, int] = {}
    for at in rows[first:last].tolist():
        begun.setdefault(take.text(int(table["name"][at])), int(table["line"][at]))
    late, latest = {}, -1
    for name, line in begun.items():
        if name in names:
            place = names.index(name)
            if place < latest:
                late[name] = line
            latest = max(latest, place)
    return late


def layout_frame(session: Session) -> FramePicture:
    """Return the lines of the selected frame."""
    take, axis = session.take, session.axis
    if session.column < 0:
        return FramePicture(tr("No frame selected"), tr("Click a bead, or press →."), [])
    calls = session.calls_of_column(session.column)
    row = axis.row_of_column(session.column)
    frame_number = int(take.frames.number[row])
    left_out = max(0, len(calls) - MOST_CALLS)
    if left_out and session.call >= 0:
        place = int(np.searchsorted(calls, session.call))
        begin = int(np.clip(place - MOST_CALLS // 2, 0, left_out))
        calls = calls[begin : begin + MOST_CALLS]
    else:
        calls = calls[:MOST_CALLS]
    rows: list[FrameRow] = []
    longest = max(1, int(take.calls.duration_ns[calls].max())) if len(calls) else 1
    depth: dict[int, int] = {}
    phase_now = None
    start_ns = float(take.frames.start_ns[row])
    call_lines, peers = take.tables["call"]["line"], take.tables["call"]["p"]
    late = _late_phases(session, row)
    called = {take.text(int(phase)) for phase in distinct(take.phase_of_call[calls]).tolist()}
    between = [(line, FrameRow("say", text)) for line, text in _says_of_frame(session, row)]
    between += [(line, _late_phase(name)) for name, line in late.items() if name not in called]
    between.sort(key=lambda item: item[0])
    for call in calls.tolist():
        while between and between[0][0] < int(call_lines[call]):
            rows.append(between.pop(0)[1])
        parent = int(take.calls.parent[call])
        depth[call] = depth.get(parent, -1) + 1 if parent in depth else 0
        phase = int(take.phase_of_call[call])
        if phase != phase_now and depth[call] == 0:
            phase_now = phase
            name = take.text(phase)
            is_late = late.pop(name, None) is not None
            rows.append(_late_phase(name) if is_late else FrameRow("phase", name or tr("outside any phase")))
        rows.append(
            FrameRow(
                "call",
                f"{peer_prefix(take, int(peers[call]))}{take.owner_of_call(call)} {take.function_of_call(call).rpartition('.')[2]}",
                call,
                min(depth[call], DEEPEST_INDENT),
                take.event_of_call(call) + _from_earlier(session, call, row),
                take.via_of_send(int(take.calls.send[call])),
                short_time(float(take.calls.duration_ns[call])),
                f"+{number((take.calls.start_ns[call] - start_ns) / 1e6, '.2f')}",
                float(take.calls.duration_ns[call]) / longest,
                call_marks(session, call),
            )
        )
        if session.shows_data:
            rows += _data_of_call(session, call, min(depth[call], DEEPEST_INDENT))
    length = short_time(float(session.frame_lengths[row]))
    loading = tr(" · loading") if take.frames.loading[row] else ""
    title = tr("Frame {number}", number=frame_number) if frame_number >= 0 else tr("Start-up")
    rows += [told for _, told in between]
    if session.shows_data:
        rows += _values_at_end(session, row)
    return FramePicture(
        title,
        tr(
            "{calls} · {length} of work{loading}",
            calls=counted(len(calls) + left_out, "call"),
            length=length,
            loading=loading,
        ),
        rows,
        left_out,
    )


def _late_phase(name: str) -> FrameRow:
    return FrameRow("phase", name, marks=("came too late",))


def call_marks(session: Session, call: int) -> tuple[str, ...]:
    """Return what is to be said of a call in a word or two each: doubled, gone, held, for nothing, raised."""
    take, flags = session.take, session.row_index.flags
    marks = []
    if flags["twin"][call]:
        marks.append(session.doubled_word(call))
    if flags["gone"][call]:
        marks.append("owner gone")
    if not take.calls.returned[call]:
        peer = int(take.frames.peer[int(take.calls.frame[call])])
        held = take.recording.held_at_end(peer)
        marks.append("held here" if held else "still runs" if session.playing else "never returned")
    elif take.calls.effect[call] == 0:
        marks.append("for nothing")
    ret = int(take.calls.ret[call])
    if ret >= 0 and take.tables["ret"]["err"][ret] >= 0:
        marks.append("raised")
    return tuple(marks)


def _data_of_call(session: Session, call: int, depth: int) -> list[FrameRow]:
    """Return a line with the data a call was sent, and one with the values that were set while it ran."""
    take = session.take
    send = int(take.calls.send[call])
    data = take.tables["send"].json("d")[send] if send >= 0 else ""
    return [FrameRow("data", data[:LONGEST_DATA], depth=depth)] if data else []


def _values_at_end(session: Session, row: int) -> list[FrameRow]:
    """Return what its peer's watched values are when a frame ends. A sort of the watch records up to there.

    Which lines of another peer were written before is not known: each has a stream of its own.
    """
    take = session.take
    last = row + 1 >= len(take.frames) or take.frames.peer[row + 1] != take.frames.peer[row]
    line = last_line(take) if last else int(take.frames.line[row + 1]) - 1
    peers = take.tables["watch"]["p"]
    values = [value for value in values_at(take, line) if peers[value.row] == take.frames.peer[row]][:MOST_VALUES]
    if not values:
        return []
    rows = [FrameRow("phase", tr("values when it ends"))]
    for value in values:
        by = (
            tr(", set by {function_of_call}", function_of_call=take.function_of_call(value.call))
            if value.call >= 0
            else ""
        )
        name = f"{value.o} {value.name}".strip()
        rows.append(FrameRow("data", f"{name} = {value.text[:LONGEST_DATA]}{by}"))
    return rows


def _from_earlier(session: Session, call: int, row: int) -> str:
    """Say from which earlier frame a call's cause reaches into this one, if it does."""
    take = session.take
    parent = int(take.calls.parent[call])
    if parent < 0 or take.calls.frame[parent] == row:
        return ""
    return tr(" (from frame {number})", number=take.frames.number[take.calls.frame[parent]])
