"""The Strands' layout: timers, delays, clips, tracks, waits, queues and values on the shared axis.

Things of one class, kind and event share a row, as listeners of the Loom do when folded (`strand_rows`); a picture costs
what is visible, at most a few strokes a pixel.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum_desk.flow.layout.strand_clips import layout_plays
from opossum_desk.flow.layout.strand_levels import layout_queue, layout_values
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS, DotRun, Mark, crowd, pixels_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strand_timers import layout_timers
from opossum_desk.flow.layout.strokes import Stroke, StrokeRun
from opossum_desk.layout.heights import STRAND_PX, Band
from opossum_desk.layout.row_picture import Boxes, PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MOST_OVERLAID = 24
"""So many things of a row may lie over each other, on the average of what is in view."""
REACH_PX = 7.0
LOG_TEXT_PX = 60.0


class StrandLine(NamedTuple):
    """A row on screen: its top in px, kind, label, and its place among all rows."""

    top: float
    kind: str
    label: str
    place: int = 0


@dataclass(eq=False, repr=False)
class StrandPicture:
    """All there is to paint."""

    scale: Scale
    lines: list[StrandLine]
    strokes: list[Stroke] = field(default_factory=list)
    runs: list[StrokeRun] = field(default_factory=list)
    dots: list[DotRun] = field(default_factory=list)
    bars: list[PixelBars] = field(default_factory=list)
    boxes: list[Boxes] = field(default_factory=list)

    def add(self, marks: list[Mark], kind: str) -> None:
        """Add what a strand of a kind is drawn of."""
        for mark in marks:
            if isinstance(mark, PixelBars):
                self.bars.append(mark)
            elif isinstance(mark, Boxes):
                self.boxes.append(mark)
            elif isinstance(mark, StrokeRun):
                self.runs.append(mark)
            elif isinstance(mark, DotRun):
                self.dots.append(mark if mark.kind else mark._replace(kind=kind))
            else:
                self.strokes.append(mark if mark.kind else mark._replace(kind=kind))

    def hit(self, x: float, y: float) -> int:
        """Return the send (row) of the dot or mark nearest to a point, within reach; -1 where there is none."""
        best, distance = -1, REACH_PX
        for run in self.runs:
            if len(run.sends):
                middles = (run.ends[:, 1] + run.ends[:, 3]) / 2
                aways = np.maximum(np.abs(run.ends[:, 0] - x), np.abs(middles - y) - 8)
                nearest = int(np.argmin(aways))
                if aways[nearest] < distance and run.sends[nearest] >= 0:
                    best, distance = int(run.sends[nearest]), float(aways[nearest])
        for dots in self.dots:
            if abs(dots.y - y) < REACH_PX and len(dots.xs):
                nearest = int(np.argmin(np.abs(dots.xs - x)))
                away = max(abs(float(dots.xs[nearest]) - x), abs(dots.y - y))
                if away < distance:
                    best, distance = int(dots.sends[nearest]), away
        return best


def layout_strands(
    session: Session,
    rows: list[StrandRow],
    width: float,
    height: float,
    scroll: float,
    label_px: float,
    strand_px: float = STRAND_PX,
) -> StrandPicture:
    """Return what to paint on `width` × `height` px with the rows, `strand_px` tall each, scrolled by `scroll` px."""
    scale = Scale(session.low, session.high, label_px, max(1.0, width - label_px))
    first = max(0, int(scroll // strand_px))
    last = min(len(rows), int((scroll + height) // strand_px) + 1)
    picture = StrandPicture(scale, [])
    timers: list[tuple[StrandRow, Band]] = []
    window = np.interp([session.low, session.high], session.axis.edges, session.axis.starts_ns)
    for index in range(first, last):
        row, band = rows[index], Band(index * strand_px - scroll, strand_px)
        picture.lines.append(StrandLine(band.top, row.kind, row.label, index))
        if row.kind == "timer":
            timers.append((row, band))
        else:
            picture.add(_LAYOUTS[row.kind](session, row, scale, band, window), row.kind)
    picture.add(layout_timers(session, timers, scale, window), "timer")
    return picture


def _delays(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = row.visible(window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    arms, firings = row.items[places], take.arms.firings
    ends = row.ends_ns[places].astype(np.float64)
    lasts = np.array([span.last_t for span in take.peers], np.float64)
    stops = np.where(ends == NEVER, lasts[np.asarray(take.tables["arm"]["p"])[arms]], ends)
    xs, x2s = pixels_of(session, scale, row.starts_ns[places]), pixels_of(session, scale, stops)
    after = firings.starts[arms + 1]
    landed = after > firings.starts[arms]
    base, peak = band.bottom - 6, band.top + 4
    marks: list[Mark] = []
    if _too_many_lie_over_each_other(xs, x2s, scale):
        marks += crowd(session, scale, band, row, places, at_once=True)
    else:
        ends_px = np.column_stack((xs, np.full(len(xs), base), x2s, np.full(len(xs), peak)))
        for mine, state in ((landed, "ok"), (~landed, "open")):
            if mine.any():
                marks.append(StrokeRun("arc", ends_px[mine], "delay", state))
    if landed.any():
        marks.append(DotRun(x2s[landed], base, firings.order[after[landed] - 1]))
    return marks


def _too_many_lie_over_each_other(xs: Array, x2s: Array, scale: Scale) -> bool:
    """Say whether so many things lie over each other that none can be told apart, and all would take long to draw."""
    right = scale.left + scale.width
    return bool((np.clip(x2s, scale.left, right) - np.clip(xs, scale.left, right)).sum() > MOST_OVERLAID * scale.width)


def _waits(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take, y = session.take, band.middle
    places = row.visible(window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    waits = row.items[places]
    met, has_quit = np.asarray(take.waits.met)[waits], np.asarray(take.waits.quit)[waits]
    xs, x2s = pixels_of(session, scale, row.starts_ns[places]), pixels_of(session, scale, row.ends_ns[places])
    marks: list[Mark] = []
    if _too_many_lie_over_each_other(xs, x2s, scale):
        marks += crowd(session, scale, band, row, places, at_once=True)
    else:
        level = np.full(len(xs), y)
        ends = np.column_stack((xs, level, x2s, level))
        for mine, state in ((met >= 0, "ok"), (met < 0, "quiet")):
            if mine.any():
                marks.append(StrokeRun("dashed", ends[mine], "wait", state))
    for x2, quits in zip(x2s[met < 0].tolist(), has_quit[met < 0].tolist(), strict=True):
        marks.append(Stroke("ring", x2, y, x2, y, "quiet" if quits else "open", kind="wait"))
    if (met >= 0).any():
        table, came = take.tables["met"], met[met >= 0]
        sends = take.send_ids.rows(np.asarray(table["p"])[came], np.asarray(table["s"])[came])
        marks.append(DotRun(x2s[met >= 0], y, sends))
    return marks


def _log(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    """Return a tick for each log line in view, at most one a pixel, with its text where there is room."""
    low, high = np.searchsorted(row.starts_ns, window.astype(np.int64))
    items = row.items[low:high]
    if not len(items):
        return []
    xs = np.round(scale.xs(session.axis.positions(row.starts_ns[low:high])))
    heads = np.flatnonzero(np.concatenate(([True], np.diff(xs) != 0)))
    strokes: list[Mark] = []
    texts = session.take.tables["say"]["text"]
    for place, head in enumerate(heads.tolist()):
        x = float(xs[head])
        strokes.append(Stroke("tick", x, band.top + 5, x, band.bottom - 5))
        following = float(xs[heads[place + 1]]) if place + 1 < len(heads) else scale.left + scale.width
        if following - x >= LOG_TEXT_PX and len(strokes) < MOST_ITEMS:
            said = session.take.text(int(texts[items[head]])).split("\n")[0]
            text = said[: int((following - x - 6) / 6)]
            strokes.append(Stroke("text", x + 4, band.top + 4, x + 4, band.bottom - 4, "quiet", text))
    return strokes


_LAYOUTS = {
    "delay": _delays,
    "clip": layout_plays,
    "track": layout_plays,
    "wait": _waits,
    "queue": layout_queue,
    "value": layout_values,
    "log": _log,
}
