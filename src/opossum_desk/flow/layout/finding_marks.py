"""What findings add to the Loom: sends that nobody heard, how far beside its due time something came, rows that are meant.

Cost: the sends of the findings that fall into the window, found by binary search.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from opossum.findings.finding import Finding
from opossum.stream.tables import Array
from opossum_desk.flow.layout.loom import LoomPicture, folds_resting
from opossum_desk.layout.scale import Scale
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.meant_rows import MOST_MEANT_ROWS
from opossum_desk.state.row_index import Row
from opossum_desk.state.session import Session

UNHEARD = "unheard"
MOST_TICKS = 300
LEAST_OFFSET_PX = 2.0
TICK_ABOVE_PX = 6.0
"""Ticks of senders without a row hang from the header's lower edge, above it so much."""


@dataclass(eq=False, repr=False)
class FindingMarks:
    """All there is to paint on top of the beads.

    `falling`: (x, y) of sends that nobody heard, on their senders' rows (the header where the sender has none);
    `beside`: (x due, x came, y, what to write) of what the chosen finding tells to have come beside its time;
    `lit`: places, among the lines on screen, of the rows that the chosen finding is about.
    """

    falling: list[tuple[float, float]] = field(default_factory=list)
    beside: list[tuple[float, float, float, str]] = field(default_factory=list)
    lit: list[int] = field(default_factory=list)


def finding_marks(session: Session, picture: LoomPicture) -> FindingMarks:
    """Return what findings add to a picture of the Loom."""
    marks = FindingMarks()
    lines = {line.row: place for place, line in enumerate(picture.lines)}
    for finding in session.findings:
        if finding.kind == UNHEARD and len(finding.sends):
            marks.falling += _falling(session, picture, finding, lines)[: MOST_TICKS - len(marks.falling)]
    chosen = session.finding
    if chosen is not None:
        marks.lit = _lit(session, chosen, lines)
        if len(chosen.due_ns):
            marks.beside = _beside(session, picture, chosen, lines)
    return marks


def _visible(session: Session, sends: Array) -> tuple[Array, Array]:
    """Return (sends, their columns) of those that fall into the window of the axis's peer."""
    axis = session.axis
    first, last = session.visible_columns
    column = session.take.sends.frame[sends].astype(np.int64) - axis.first_row
    inside = (column >= first) & (column <= last) & (column >= 0) & (column < axis.columns)
    return sends[inside], column[inside]


def _place(session: Session, scale: Scale, columns: Array, times_ns: Array) -> Array:
    """Return float64 (n,): the pixel at which moments stand, within their frames where the axis counts frames."""
    axis = session.axis
    if axis.mode is AxisMode.TIME:
        return scale.xs(axis.positions(times_ns))
    left, right = axis.edges[columns], axis.edges[columns + 1]
    work = np.maximum(axis.work_ends_ns[columns] - axis.starts_ns[columns], 1.0)
    share = np.clip((times_ns - axis.starts_ns[columns]) / work, 0.0, 1.0)
    return scale.xs(left + (right - left) * (0.06 + 0.82 * share))


def _falling(session: Session, picture: LoomPicture, finding: Finding, lines: dict) -> list[tuple[float, float]]:
    sends, columns = _visible(session, finding.sends)
    if not len(sends):
        return []
    sends, columns = sends[:MOST_TICKS], columns[:MOST_TICKS]
    xs = _place(session, picture.scale, columns, np.asarray(session.take.tables["send"]["t"], np.int64)[sends])
    ticks = []
    table = session.take.tables["send"]
    senders = zip(
        *(column[sends].tolist() for column in (session.take.sends.cause, table["o"], table["p"])), strict=True
    )
    known: dict[tuple[int, int, int], list[Row]] = {}
    for x, sender in zip(xs.tolist(), senders, strict=True):
        rows = known.get(sender)
        if rows is None:
            rows = known[sender] = _rows_of_sender(session, lines, *sender)
        seen = next((row for row in rows if row in lines), None)
        if seen is not None:
            ticks.append((x, picture.lines[lines[seen]].top + picture.heights.row / 2))
        elif not rows:
            ticks.append((x, picture.heights.header - TICK_ABOVE_PX))  # from nobody who has a row
    return ticks


def _rows_of_sender(session: Session, lines: dict, cause: int, owner: int, peer: int) -> list[Row]:
    """Return the row of the call a send came from, else those of its sender's listeners, but for rows at rest that are folded."""
    take = session.take
    if cause >= 0:
        return [session.row_index.row_of_call(cause, session.unfolded)]
    if owner < 0:
        return []
    mine = (take.listeners.owner == owner) & (take.listeners.peer == peer)
    starts = take.calls_by_listener.starts[np.flatnonzero(mine)]
    calls = take.calls_by_listener.order[starts].tolist()
    rows = list(dict.fromkeys(session.row_index.row_of_call(call, session.unfolded) for call in calls))
    if folds_resting(session) and not session.shows_resting:
        first, last = session.visible_columns
        window = np.array([first, last + 1])
        rows = [row for row in rows if row in lines or not session.row_index.rests(row, window)]
    return rows


def _lit(session: Session, finding: Finding, lines: dict) -> list[int]:
    return sorted(lines[row] for row in session.rows_meant(finding) if row in lines)[:MOST_MEANT_ROWS]


def _beside(
    session: Session, picture: LoomPicture, finding: Finding, lines: dict
) -> list[tuple[float, float, float, str]]:
    take, axis = session.take, session.axis
    sends, columns = _visible(session, finding.sends)
    if not len(sends):
        return []
    due = finding.due_ns[np.isin(finding.sends, sends)][: len(sends)]
    sent = np.asarray(take.tables["send"]["t"], np.int64)[sends]
    came_x = _place(session, picture.scale, columns, sent)
    starts = axis.starts_ns
    due_columns = np.clip(np.searchsorted(starts, due, "right") - 1, 0, axis.columns - 1)
    due_x = _place(session, picture.scale, due_columns, due)
    found = []
    for x_due, x_came, send, off in zip(
        due_x.tolist(), came_x.tolist(), sends.tolist(), (sent - due).tolist(), strict=True
    ):
        calls = take.calls_by_frame.rows(int(take.sends.frame[send]))
        calls = calls[take.calls.send[calls] == send]
        row = session.row_index.row_of_call(int(calls[0]), session.unfolded) if len(calls) else None
        if row in lines and abs(x_came - x_due) >= LEAST_OFFSET_PX:
            y = picture.lines[lines[row]].top + picture.heights.row / 2
            found.append((x_due, x_came, y, f"{off / 1e6:+.0f} ms"))
    return found[:MOST_TICKS]
