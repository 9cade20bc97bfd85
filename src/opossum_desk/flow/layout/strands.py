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
from opossum.take.take import Take
from opossum_desk.flow.layout.sounding import Stroke, sounding
from opossum_desk.flow.layout.strand_levels import layout_queue, layout_values
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS, DotRun, Mark, crowd, visible
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strand_timers import layout_timers
from opossum_desk.layout.heights import STRAND_PX, Band
from opossum_desk.layout.row_picture import Boxes, PixelBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session

MARK_REACH_NS = 500e6
"""A mark's send within this of its planned place is that mark's, and not another one's of the same name."""

MOST_OVERLAID = 24
"""So many things of a row may lie over each other, on the average of what is in view."""
MOST_MARKS = 60
"""So many marks of one play are drawn."""
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


def _delays(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    arms, firings = row.items[places], take.arms.firings
    ends = row.ends_ns[places].astype(np.float64)
    lasts = np.array([span.last_t for span in take.peers], np.float64)
    stops = np.where(ends == NEVER, lasts[np.asarray(take.tables["arm"]["p"])[arms]], ends)
    xs, x2s = _pixels(session, scale, row.starts_ns[places]), _pixels(session, scale, stops)
    if _too_many_lie_over_each_other(xs, x2s, scale):
        return crowd(session, scale, band, row, places)
    after = firings.starts[arms + 1]
    landed = after > firings.starts[arms]
    base, peak = band.bottom - 6, band.top + 4
    marks: list[Mark] = [
        Stroke("arc", x, base, x2, peak, "ok" if has_landed else "open", kind="delay")
        for x, x2, has_landed in zip(xs.tolist(), x2s.tolist(), landed.tolist(), strict=True)
    ]
    if landed.any():
        marks.append(DotRun(x2s[landed], base, firings.order[after[landed] - 1]))
    return marks


def _too_many_lie_over_each_other(xs: Array, x2s: Array, scale: Scale) -> bool:
    """Say whether so many things lie over each other that none can be told apart, and all would take long to draw."""
    right = scale.left + scale.width
    return bool((np.clip(x2s, scale.left, right) - np.clip(xs, scale.left, right)).sum() > MOST_OVERLAID * scale.width)


def _pixels(session: Session, scale: Scale, times_ns: Array) -> Array:
    return scale.xs(session.axis.positions(times_ns))


class _MarkSeen(NamedTuple):
    """A mark of a play: its name, when it was due and when it came (ns), and the send it came with, -1 where it did not."""

    name: str
    due_ns: float
    came_ns: float
    send: int


def _clips(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take = session.take
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    clips, hows = take.tables["play"]["clip"], take.tables["stop"]["how"]
    strokes: list[Mark] = []
    seen: list[_MarkSeen] = []
    xs, x2s = _pixels(session, scale, row.starts_ns[places]), _pixels(session, scale, row.ends_ns[places])
    for place, x, x2 in zip(places.tolist(), xs.tolist(), x2s.tolist(), strict=True):
        play, end = int(row.items[place]), float(row.ends_ns[place])
        stop = int(take.plays.stop[play])
        how = take.text(int(hows[stop])) if stop >= 0 else ""
        shape = "wave" if row.kind == "track" else "bar" if how in ("end", "") else "cut"
        name = take.text(int(clips[play]))
        strokes.append(Stroke(shape, x, band.top + 5, x2, band.bottom - 5, "ok", name, kind=row.kind))
        if row.kind == "track":
            strokes += sounding(session, play, scale, (x, x2), band)
        marks = _marks_of_play(take, play, float(row.starts_ns[place]))
        seen += [mark for mark in marks if mark.send >= 0 or mark.due_ns <= end or how in ("cut", "blend")]
    return strokes + _mark_strokes(session, seen, scale, band, row.kind)


def _marks_of_play(take: Take, play: int, start_ns: float) -> list[_MarkSeen]:
    """Return the marks of a play that began at a time, of the part that it played."""
    table, sends = take.tables["play"], take.tables["send"]
    fired: dict[str, list[int]] = {}
    for send in take.plays.fired.rows(play).tolist():
        fired.setdefault(take.text(int(sends["mark"][send])), []).append(send)
    rate, begin = float(table["rate"][play]), float(table["from"][play])
    rate, begin = rate if rate > 0 else 1.0, begin if begin == begin else 0.0
    marks = []
    for name, seconds in marks_of(take, play)[:MOST_MARKS]:
        if seconds < begin:
            continue
        due = start_ns + (seconds - begin) / rate * 1e9
        mine = [send for send in fired.get(name, ()) if abs(sends["t"][send] - due) < MARK_REACH_NS]
        marks.append(_MarkSeen(name, due, float(sends["t"][mine[0]]) if mine else due, mine[0] if mine else -1))
    return marks


def _mark_strokes(session: Session, seen: list[_MarkSeen], scale: Scale, band: Band, kind: str) -> list[Mark]:
    """Return marks: the planned place as a fine line, the real one as a strong one; they part where a mark came late."""
    dues, cames = (
        _pixels(session, scale, np.array(times)) for times in ([m.due_ns for m in seen], [m.came_ns for m in seen])
    )
    strokes: list[Mark] = []
    for mark, due, came in zip(seen, dues.tolist(), cames.tolist(), strict=True):
        if mark.send >= 0:
            strokes.append(Stroke("plan", due, band.top + 2, due, band.bottom - 2, "quiet", mark.name, kind=kind))
        state = "ok" if mark.send >= 0 else "open"
        strokes.append(Stroke("mark", came, band.top + 4, came, band.bottom - 4, state, mark.name, mark.send, kind))
    return strokes


def _waits(session: Session, row: StrandRow, scale: Scale, band: Band, window: Array) -> list[Mark]:
    take, y = session.take, band.middle
    places = visible(row, window)
    if len(places) > MOST_ITEMS:
        return crowd(session, scale, band, row, places)
    waits = row.items[places]
    met, has_quit = np.asarray(take.waits.met)[waits], np.asarray(take.waits.quit)[waits]
    xs, x2s = _pixels(session, scale, row.starts_ns[places]), _pixels(session, scale, row.ends_ns[places])
    if _too_many_lie_over_each_other(xs, x2s, scale):
        return crowd(session, scale, band, row, places)
    marks: list[Mark] = []
    for x, x2, is_met, quits in zip(xs.tolist(), x2s.tolist(), (met >= 0).tolist(), has_quit.tolist(), strict=True):
        marks.append(Stroke("dashed", x, y, x2, y, "ok" if is_met else "quiet", kind="wait"))
        if not is_met:
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
    "clip": _clips,
    "track": _clips,
    "wait": _waits,
    "queue": layout_queue,
    "value": layout_values,
    "log": _log,
}
