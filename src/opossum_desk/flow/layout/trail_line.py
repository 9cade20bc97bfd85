"""The Trail as a line through the Loom. Cost: the hops, and one look through the rows."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.loom import LoomPicture, line_of_row
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session


def trail_line(session: Session, picture: LoomPicture, scroll: float) -> Array:
    """Return float64 (n, 4): x, y, x2, y2 from each hop to what sprang from it, those beyond the view too."""
    trail = session.trail
    if trail is None:
        return np.zeros((0, 4))
    places = {row: place for place, row in enumerate(session.rows)}
    calls = np.array([hop.call for hop in trail.hops], np.int64)
    xs = _xs(session, picture, calls)
    rows = [session.row_index.row_of_call(int(call), session.unfolded) for call in calls.tolist()]
    lines = np.array([line_of_row(session, places[row]) if row in places else -1 for row in rows], np.float64)
    ys = picture.heights.header + (lines + 0.5) * picture.heights.row - scroll
    pairs = [(hop.of, place) for place, hop in enumerate(trail.hops) if hop.of >= 0]
    pairs = [(of, place) for of, place in pairs if lines[of] >= 0 and lines[place] >= 0]
    if not pairs:
        return np.zeros((0, 4))
    ofs, own = np.array(pairs).T
    return np.column_stack((xs[ofs], ys[ofs], xs[own], ys[own]))


def _xs(session: Session, picture: LoomPicture, calls: Array) -> Array:
    """Return the pixel of each call: its bead's where it has one in view, else the middle of its frame."""
    axis = session.axis
    if axis.mode is AxisMode.TIME:
        xs = picture.scale.xs(axis.positions(session.take.calls.start_ns[calls]))
    else:
        columns = session.row_index.column[calls]
        xs = picture.scale.xs(axis.edges[columns] + 0.5)
    beads = picture.beads
    if beads is not None and len(beads):
        order = np.argsort(beads.call)
        found = np.minimum(np.searchsorted(beads.call[order], calls), len(order) - 1)
        hit = beads.call[order][found] == calls
        xs = np.where(hit, beads.x[order][found], xs)
    return xs
