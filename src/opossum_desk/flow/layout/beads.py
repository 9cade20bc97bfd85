"""The beads of the Loom: one call each, or several of one row in one frame.  Cost: the visible calls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.scale import Scale
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.row_index import Row
from opossum_desk.state.session import Session

STITCH_FROM_PX = 11.0
"""Beads lean, and are stitched, from this width of a frame on."""
SPREAD_FROM_PX = 44.0
"""From this width of a frame on a bead stands where in its frame it began, not in the middle."""
LEAN = 0.36
"""Share of a frame's width over which its beads lean to the right in the order they ran."""


@dataclass(eq=False, repr=False)
class Beads:
    """Columns over beads: pixel centre `x`, `line` (index of the row on screen), `call` (its first),
    `count`, `state` (`BeadState`), `via` (string code), `stretch` (px to the right), `faded`, `lit`."""

    x: Array
    line: Array
    call: Array
    count: Array
    state: Array
    via: Array
    stretch: Array
    faded: Array
    lit: Array

    def __len__(self) -> int:
        return len(self.x)


def bead_size(frame_px: float) -> float:
    """Return a bead's diameter in px for a frame's width."""
    return float(np.clip(frame_px * 0.8, 5.0, 11.0))


def beads_in_view(session: Session, rows: list[Row], scale: Scale, columns: tuple[int, int], frame_px: float) -> Beads:
    """Return the beads of rows in the columns from one to another, `frame_px` wide each."""
    take, axis, row_index = session.take, session.axis, session.row_index
    found, owners = [], []
    window = np.array([columns[0], columns[1] + 1])
    for index, row in enumerate(rows):
        level = row_index.level(row)
        start, stop = level.places(row.number, window)
        found.append(level.groups.order[start:stop])
        owners.append(np.full(stop - start, index, np.int64))
    calls = np.concatenate(found) if found else np.zeros(0, np.int64)
    line = np.concatenate(owners) if owners else calls
    column = row_index.column[calls].astype(np.int64)
    # calls of one row in one frame share a bead
    key = line * (axis.columns + 1) + column
    order = np.argsort(key, kind="stable")
    calls, line, column, key = calls[order], line[order], column[order], key[order]
    heads = np.flatnonzero(np.concatenate(([True], np.diff(key) != 0))) if len(key) else np.zeros(0, np.int64)
    count = np.diff(np.append(heads, len(key)))
    state = _states(session, calls)
    shared = np.maximum.reduceat(state, heads) if len(heads) else state
    # a bead ran for nothing only if all its calls did
    idle = state == BeadState.IDLE
    all_idle = np.add.reduceat(idle.astype(np.int64), heads) == count if len(heads) else idle
    did = np.add.reduceat((state == BeadState.DID).astype(np.int64), heads) > 0 if len(heads) else idle
    shared = np.where((shared == BeadState.IDLE) & ~all_idle, np.where(did, BeadState.DID, BeadState.UNKNOWN), shared)
    matched = row_index.flags["matched"][calls]
    faded = np.add.reduceat(matched.astype(np.int64), heads) == 0 if len(heads) else matched
    slowest = np.maximum.reduceat(take.calls.duration_ns[calls], heads) if len(heads) else calls
    head_calls, head_columns = calls[heads], column[heads]
    left, right = axis.edges[head_columns], axis.edges[head_columns + 1]
    width_px = (right - left) * scale.per_unit
    work = np.maximum(axis.work_ends_ns[head_columns] - axis.starts_ns[head_columns], 1.0)
    if axis.mode is AxisMode.TIME:
        place = axis.positions(take.calls.start_ns[head_calls])
    elif frame_px >= SPREAD_FROM_PX:
        share = np.clip((take.calls.start_ns[head_calls] - axis.starts_ns[head_columns]) / work, 0.0, 1.0)
        place = left + (right - left) * (0.06 + 0.82 * share)
    else:
        # a frozen frame's beads stand at its left: what came before the stretch of nothing
        usual = np.minimum(right - left, 1.0)
        share = 0.5
        if frame_px >= STITCH_FROM_PX:
            # leaning with the order they ran in, so that a stitch slants
            share = 0.5 + LEAN * (_rank_in_frame(session, head_calls) - 0.5)
        place = left + usual * share
    sends, vias = take.calls.send[head_calls], np.asarray(take.tables["send"]["via"])
    via = np.full(len(head_calls), -1, np.int64)
    via[sends >= 0] = vias[sends[sends >= 0]]
    size = bead_size(frame_px)
    x = scale.xs(place)
    # dear calls stretch to the right, by their share of the frame's work, only where that shows
    budget = np.maximum(work, 2e6)
    stretch = np.where(slowest > 0.2 * budget, slowest / work * width_px * 0.82, 0.0)
    stretch = np.clip(stretch, 0.0, np.maximum(scale.xs(right) - x - size / 2, 0.0))
    lit = np.zeros(len(heads), bool)
    if session.selection.related:
        related = np.isin(calls, list(session.selection.related))
        lit = np.add.reduceat(related.astype(np.int64), heads) > 0 if len(heads) else lit
        if session.call >= 0:
            # the bead answers for the selected call, not for its first
            chosen = np.flatnonzero(calls == session.call)
            if len(chosen):
                head_calls = head_calls.copy()
                head_calls[np.searchsorted(heads, chosen[0], "right") - 1] = session.call
    return Beads(x, line[heads], head_calls, count, shared, via, stretch, faded, lit)


def _rank_in_frame(session: Session, calls: Array) -> Array:
    """Return float64 (n,): 0 for the first call of its frame … 1 for its last."""
    frames = session.take.calls_by_frame
    frame = session.take.calls.frame[calls]
    first = frames.order[np.minimum(frames.starts[frame], len(frames.order) - 1)]
    return (calls - first) / np.maximum(frames.sizes()[frame] - 1, 1)


def _states(session: Session, calls: Array) -> Array:
    effect = session.take.calls.effect[calls]
    flags = session.row_index.flags
    state = np.where(effect == 0, BeadState.IDLE, np.where(effect < 0, BeadState.UNKNOWN, BeadState.DID))
    state = np.where(flags["gone"][calls], BeadState.GONE, state)
    return np.where(flags["twin"][calls], BeadState.TWIN, state).astype(np.int64)
