"""Clips and tracks as strands: a bar for each play, ragged where it was cut, its marks where they were planned and where they came."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array, held_at
from opossum.take.grouping import distinct, factorised
from opossum_desk.flow.layout.sounding import sounding
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS, Mark, crowd, pixels_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strokes import Stroke, StrokeRun
from opossum_desk.layout.heights import Band
from opossum_desk.layout.scale import Scale
from opossum_desk.layout.wording import LETTER_PX
from opossum_desk.state.session import Session

NAME_FROM_PX = 44.0
"""A bar as wide as this has its clip's name written on it."""
MARGIN_PX = 8.0


def layout_plays(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return what a row of clips, or of tracks, is drawn of. Cost: the plays in view and their marks, in NumPy."""
    take = session.take
    places = row.visible(window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    if not len(places):
        return []
    plays = row.items[places]
    hows = held_at(take.tables["stop"]["how"], take.plays.stop[plays], -1)
    is_cut = np.isin(hows, [take.code("cut"), take.code("blend")]) & (hows >= 0)
    xs, x2s = pixels_of(session, scale, row.starts_ns[places]), pixels_of(session, scale, row.ends_ns[places])
    is_ragged = ~np.isin(hows, [-1, take.code("end"), take.code("")])
    shapes = np.where(row.kind == "track", "wave", np.where(is_ragged, "cut", "bar"))
    top, bottom = np.full(len(xs), band.top + 5), np.full(len(xs), band.bottom - 5)
    ends = np.column_stack((xs, top, x2s, bottom))
    marks: list[Mark] = []
    for shape in distinct(shapes).tolist():
        marks.append(StrokeRun(str(shape), ends[shapes == shape], row.kind))
    if row.kind == "track":
        for play, x, x2 in zip(plays.tolist(), xs.tolist(), x2s.tolist(), strict=True):
            marks += sounding(session, play, scale, (x, x2), band)
    clips, free = take.tables["play"]["clip"], -np.inf
    for place in np.flatnonzero(x2s - xs > NAME_FROM_PX).tolist():
        # of bars that lie over each other the first is named
        x, x2 = float(xs[place]), float(x2s[place])
        if max(x, scale.left) >= free:
            name = take.text(int(clips[plays[place]]))
            marks.append(Stroke("name", x, band.top + 5, x2, band.bottom - 5, "ok", name, kind=row.kind))
            free = min(max(x, scale.left) + LETTER_PX * len(name), x2)
    return marks + _marks_of_plays(session, row, places, is_cut, scale, band)


def _marks_of_plays(
    session: Session, row: StrandRow, places: Array, is_cut: Array, scale: Scale, band: Band
) -> list[Mark]:
    """Return the marks of plays: the planned place as a fine line, the real one as a strong one; they part where one came late.

    One that did not come is hollow, where its clip reached it or was cut off before.
    """
    take, known = session.take, session.take.marks
    if not len(known.play):
        return []
    plays = row.items[places]
    sought = plays.astype(known.play.dtype)  # needles of another type would have NumPy convert all marks first
    first, stop = known.play.searchsorted(sought), known.play.searchsorted(sought, "right")
    counts = stop - first
    of_play = np.repeat(np.arange(len(plays)), counts)
    rows = np.arange(len(of_play)) + np.repeat(first - np.cumsum(counts) + counts, counts)
    begin = np.asarray(take.tables["play"]["from"])[plays].astype(np.float64)
    due = row.starts_ns[places][of_play] + (known.due_ns[rows] - known.begin_ns[plays][of_play])
    sends = known.send[rows].astype(np.int64)
    reached = (sends >= 0) | (due <= row.ends_ns[places][of_play]) | is_cut[of_play]
    kept = reached & ~(known.seconds[rows] < np.nan_to_num(begin)[of_play])
    due, sends = due[kept], sends[kept]
    came_ns = held_at(take.tables["send"]["t"], sends, 0)
    dues, cames = pixels_of(session, scale, due), pixels_of(session, scale, np.where(sends >= 0, came_ns, due))
    right = scale.left + scale.width + MARGIN_PX
    marks: list[Mark] = []
    for came, shape, state, xs in (
        (True, "plan", "quiet", dues), (True, "mark", "ok", cames), (False, "mark", "open", cames),
    ):  # fmt: skip
        seen = np.flatnonzero(((sends >= 0) == came) & (xs > scale.left - MARGIN_PX) & (xs < right))
        # of those on one pixel the first stands for all
        seen = seen[factorised(np.round(xs[seen]).astype(np.int64))[1]]
        inset = 2 if shape == "plan" else 4
        if len(seen):
            at, tall = xs[seen], np.full(len(seen), band.bottom - inset)
            ends = np.column_stack((at, np.full(len(seen), band.top + inset), at, tall))
            own = sends[seen] if shape == "mark" else np.full(len(seen), -1)
            marks.append(StrokeRun(shape, ends, row.kind, state, own))
    return marks
