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
from opossum.take.marks import marks_of
from opossum_desk.flow.layout.sounding import Stroke, sounding
from opossum_desk.flow.layout.strand_levels import layout_queue, layout_values
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS, DotRun, Mark, crowd, visible, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strand_timers import layout_timers
from opossum_desk.layout.heights import STRAND_PX, Band
from opossum_desk.layout.row_picture import Boxes, PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MARK_REACH_NS = 500e6
"""A mark's send within this of its planned place is that mark's, and not another one's of the same name."""

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
            elif isinstance(mark, DotRun):
                self.dots.append(mark if mark.kind else mark._replace(kind=kind))
            else:
                self.strokes.append(mark if mark.kind else mark._replace(kind=kind))

    def hit(self, x: float, y: float) -> int:
        """Return the send (row) of the dot or mark nearest to a point, within reach; -1 where there is none."""
        best, distance = -1, REACH_PX
        for stroke in self.strokes:
            if stroke.send >= 0:
                away = max(abs(stroke.x - x), abs((stroke.y + stroke.y2) / 2 - y) - 8)
                if away < distance:
                    best, distance = stroke.send, away
        for run in self.dots:
            if abs(run.y - y) < REACH_PX and len(run.xs):
                nearest = int(np.argmin(np.abs(run.xs - x)))
                away = max(abs(float(run.xs[nearest]) - x), abs(run.y - y))
                if away < distance:
                    best, distance = int(run.sends[nearest]), away
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


def _dot(x: float, y: float, send: int) -> DotRun:
    return DotRun(np.array([x]), y, np.array([send]))


def _delays(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    strokes: list[Mark] = []
    base, peak = band.bottom - 6, band.top + 4
    for place in places.tolist():
        arm = int(row.items[place])
        end = float(row.ends_ns[place])
        hanging = end == NEVER
        stop = float(take.peers[int(take.tables["arm"]["p"][arm])].last_t) if hanging else end
        x, x2 = x_of(session, scale, float(row.starts_ns[place])), x_of(session, scale, stop)
        fired = take.arms.firings.rows(arm)
        landed = len(fired) > 0
        strokes.append(Stroke("arc", x, base, x2, peak, "ok" if landed else "open"))
        if landed:
            strokes.append(_dot(x2, base, int(fired[-1])))
    return strokes


def _clips(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    table, stops, sends = take.tables["play"], take.tables["stop"], take.tables["send"]
    strokes: list[Mark] = []
    for place in places.tolist():
        play = int(row.items[place])
        start, end = float(row.starts_ns[place]), float(row.ends_ns[place])
        x, x2 = x_of(session, scale, start), x_of(session, scale, end)
        stop = int(take.plays.stop[play])
        how = take.text(int(stops["how"][stop])) if stop >= 0 else ""
        shape = "wave" if row.kind == "track" else "bar" if how in ("end", "") else "cut"
        strokes.append(Stroke(shape, x, band.top + 5, x2, band.bottom - 5, "ok", take.text(int(table["clip"][play]))))
        if row.kind == "track":
            strokes += sounding(session, play, scale, (x, x2), band)
        fired: dict[str, list[int]] = {}
        for send in take.plays.fired.rows(play).tolist():
            fired.setdefault(take.text(int(sends["mark"][send])), []).append(send)
        rate = float(table["rate"][play])
        rate = rate if rate > 0 else 1.0
        begin = float(table["from"][play])
        begin = begin if begin == begin else 0.0
        for name, seconds in marks_of(take, play)[:60]:
            moment = start + (seconds - begin) / rate * 1e9
            if seconds < begin:
                continue
            due = x_of(session, scale, moment)
            mine = [send for send in fired.get(name, []) if abs(sends["t"][send] - moment) < MARK_REACH_NS]
            if mine:
                # planned place as a fine line, real place as a strong one: they part where a mark came late
                real = x_of(session, scale, float(sends["t"][mine[0]]))
                strokes.append(Stroke("plan", due, band.top + 2, due, band.bottom - 2, "quiet", name))
                strokes.append(Stroke("mark", real, band.top + 4, real, band.bottom - 4, "ok", name, send=mine[0]))
            elif moment <= end or how in ("cut", "blend"):
                strokes.append(Stroke("mark", due, band.top + 4, due, band.bottom - 4, "open", name))
    return strokes


def _waits(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take, y = session.take, band.middle
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    met_table = take.tables["met"]
    strokes: list[Mark] = []
    for place in places.tolist():
        wait = int(row.items[place])
        x, x2 = x_of(session, scale, float(row.starts_ns[place])), x_of(session, scale, float(row.ends_ns[place]))
        met = int(take.waits.met[wait])
        strokes.append(Stroke("dashed", x, y, x2, y, "ok" if met >= 0 else "quiet"))
        if met >= 0:
            send = int(take.send_ids.rows(met_table["p"][met : met + 1], met_table["s"][met : met + 1])[0])
            strokes.append(_dot(x2, y, send))
        else:
            strokes.append(Stroke("ring", x2, y, x2, y, "quiet" if take.waits.quit[wait] else "open"))
    return strokes


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
    "clip": _clips,
    "track": _clips,
    "wait": _waits,
    "queue": layout_queue,
    "value": layout_values,
    "log": _log,
}
