"""The Strands' layout: timers, delays, clips, tracks, waits, queues and values on the shared axis.

Things of one class, kind and event share a row, as listeners of the Loom do when folded (`strand_rows`); a picture costs
what is visible, at most a few strokes a pixel.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum.take.marks import marks_of
from opossum.take.pauses import paused_stretches
from opossum_desk.flow.layout.sounding import Stroke, sounding
from opossum_desk.flow.layout.strand_levels import layout_queue, layout_values
from opossum_desk.flow.layout.strand_marks import DotRun, Mark, x_of
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.layout.heights import STRAND_PX, Band
from opossum_desk.layout.row_picture import PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MOST_ITEMS = 300
"""Items of one row drawn one by one; beyond, they are drawn as one quiet bar that says how many."""

MARK_REACH_NS = 500e6
"""A mark's send within this of its planned place is that mark's, and not another one's of the same name."""

REACH_PX = 7.0
LOG_TEXT_PX = 60.0
DENSE_PX = 5.0
"""Firings closer together than this are drawn as one thick stretch of their line, not as dots."""


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
    lines: list[StrandLine] = []
    strokes: list[Stroke] = []
    dots: list[DotRun] = []
    bars: list[PixelBars] = []
    window = np.interp([session.low, session.high], session.axis.edges, session.axis.starts_ns)
    for index in range(first, last):
        top = index * strand_px - scroll
        row = rows[index]
        lines.append(StrandLine(top, row.kind, row.label, index))
        for mark in _LAYOUTS[row.kind](session, row, scale, Band(top, strand_px), window):
            if isinstance(mark, DotRun):
                dots.append(mark._replace(kind=row.kind))
            elif isinstance(mark, PixelBars):
                bars.append(mark)
            else:
                strokes.append(mark._replace(kind=row.kind))
    return StrandPicture(scale, lines, strokes, dots, bars)


def _visible(row: StrandRow, window: Array) -> Array:
    """Return the places of the row's items that reach into the window (ns)."""
    return np.flatnonzero((row.starts_ns <= window[1]) & (row.ends_ns >= window[0]))


def _crowd(session: Session, scale: Scale, band: Band, row: StrandRow, places: Array) -> list[Mark]:
    """Return one quiet bar for more items than can be told apart."""
    end = min(float(row.ends_ns[places].max()), float(session.axis.starts_ns[-1]))
    x, x2 = x_of(session, scale, float(row.starts_ns[places].min())), x_of(session, scale, end)
    return [Stroke("crowd", x, band.middle, x2, band.middle, "quiet", f"{len(places):,}")]


def _firings(session: Session, arms: list[int], ys: list[float], scale: Scale, window: Array) -> list[Mark]:
    """Return timers' firings in view, each on its height: dots, or a thick stretch where dots would run together."""
    take = session.take
    firings, send_times = take.arms.firings, np.asarray(take.tables["send"]["t"])
    since, until = int(window[0]), int(window[1])
    # read as plain numbers: NumPy would make an object for each that is looked at
    order, time_of = firings.order.data, send_times.data.__getitem__
    numbers = np.asarray(arms, np.int64)
    firsts, lasts = firings.starts[numbers].tolist(), firings.starts[numbers + 1].tolist()
    seen: list[tuple[float, Array]] = []
    ends: list[int] = []
    for first, last, y in zip(firsts, lasts, ys, strict=True):
        # sought in place: what an arm fired in a long take is not copied for the little of it that is seen
        low = bisect_left(order, since, first, last, key=time_of)
        high = bisect_left(order, until, low, last, key=time_of)
        if high > low:
            seen.append((y, firings.order[low:high]))
            ends += (time_of(order[low]), time_of(order[high - 1]))
    xs = scale.xs(session.axis.positions(np.array(ends))).tolist()
    marks: list[Mark] = []
    dotted: list[tuple[float, Array]] = []
    for (y, sends), left, right in zip(seen, xs[::2], xs[1::2], strict=True):
        if len(sends) > 2 and (right - left) / (len(sends) - 1) < DENSE_PX:
            marks.append(Stroke("dense", left, y, right, y))
        else:
            dotted.append((y, sends))
    if dotted:
        # all at once: there may be a timer for each of a hundred objects
        places = scale.xs(session.axis.positions(send_times[np.concatenate([sends for _, sends in dotted])]))
        done = 0
        for y, sends in dotted:
            marks.append(DotRun(places[done : done + len(sends)], y, sends))
            done += len(sends)
    return marks


def _dot(x: float, y: float, send: int) -> DotRun:
    return DotRun(np.array([x]), y, np.array([send]))


def _timers(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take, y = session.take, band.middle
    places = _visible(row, window)
    if len(places) > MOST_ITEMS:
        return _crowd(session, scale, band, row, places)
    strokes: list[Mark] = []
    # timers of one row that live together lie beside each other
    lanes: list[float] = []
    ys: list[float] = []
    last_ns = float(session.axis.starts_ns[-1])
    begins = scale.xs(session.axis.positions(row.starts_ns[places]))
    stops = scale.xs(session.axis.positions(np.minimum(row.ends_ns[places].astype(np.float64), last_ns)))
    arms = row.items[places].tolist()
    lives = zip(
        arms,
        *(column[places].tolist() for column in (row.starts_ns, row.ends_ns, row.gone_ns, row.paused)),
        begins.tolist(),
        stops.tolist(),
        strict=True,
    )
    for arm, start, end, gone_ns, is_paused, x, x2 in lives:
        lane = next((i for i, busy in enumerate(lanes) if busy <= start), len(lanes))
        lanes[lane : lane + 1] = [end]
        own_y = y + (lane % 4 - min(3, len(lanes) - 1) / 2) * 5
        if gone_ns == gone_ns:
            gone_x = x_of(session, scale, gone_ns)
            strokes.append(Stroke("dashed", gone_x, own_y, x2, own_y, "wrong"))
            x2 = gone_x
        strokes.append(Stroke("line", x, own_y, x2, own_y, "ok"))
        if is_paused:
            for begin, finish in paused_stretches(take, arm):
                strokes.append(
                    Stroke("gap", x_of(session, scale, begin), own_y, x_of(session, scale, finish), own_y, "quiet")
                )
        ys.append(own_y)
    return strokes + _firings(session, arms, ys, scale, window)


def _delays(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = _visible(row, window)
    if len(places) > MOST_ITEMS:
        return _crowd(session, scale, band, row, places)
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
    places = _visible(row, window)
    if len(places) > MOST_ITEMS:
        return _crowd(session, scale, band, row, places)
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
    places = _visible(row, window)
    if len(places) > MOST_ITEMS:
        return _crowd(session, scale, band, row, places)
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
    "timer": _timers,
    "delay": _delays,
    "clip": _clips,
    "track": _clips,
    "wait": _waits,
    "queue": layout_queue,
    "value": layout_values,
    "log": _log,
}
