"""The Roster's layout: what of its rows is visible, as lines, dots and words.

Cost: the rows on screen times the width in pixels, each found by binary search.
"""

from __future__ import annotations

from functools import cache, partial

import numpy as np

from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER
from opossum.words import counted, tr
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.heights import DETAIL_PX
from opossum_desk.layout.row_picture import (
    Boxes,
    Dots,
    Label,
    Lines,
    RowPicture,
    RowStack,
    RowsView,
    StandingBars,
    ground,
    pixel_times,
)
from opossum_desk.layout.scale import Scale, pixel_columns
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import MeantRows
from opossum_desk.roster.layout.rows import RosterRow, Sort
from opossum_desk.state.session import Session

EXACT_CALLS, EXACT_TICKS = 150, 60
"""So many calls and sends of a row in view are placed at their own moments; more of them by the pixel."""
MOST_BARS = 400
GROUND_PX, BAR_PX, PILE_PX = 12.0, 2.6, 14.0
FALLING_PX = 7.0
BOUND_LAYER, OUTLIVED_LAYER, CALLED_LAYER = range(3)
"""What lies over what: how many are bound, how many of them are gone, and their calls."""


def stack_rows(known: RosterListeners, rows: list[RosterRow], line_px: float, detail_px: float = DETAIL_PX) -> RowStack:
    """Return the heights of all rows: those with a remark have a second line."""
    return RowStack(np.array([line_px + (detail_px if _has_remark(known, row) else 0.0) for row in rows]))


def _has_remark(known: RosterListeners, row: RosterRow) -> bool:
    if row.sort is Sort.EVENT:
        return known.unheard_count(row.number) > 0
    if row.sort is Sort.LISTENER:
        stale = row.lane == 0 and (known.stale_calls[row.number] > 0 or known.stale_binds[row.number] > 0)
        return bool(stale or row.lane)
    if row.sort is Sort.PILE:
        return bool((known.stale_binds[known.members.rows(row.number)] > 0).any())
    return False


def layout_roster(
    known: RosterListeners,
    session: Session,
    rows: list[RosterRow],
    stack: RowStack,
    view: RowsView,
    meant: MeantRows,
) -> RowPicture:
    """Return what to paint."""
    scale = Scale(session.low, session.high, view.label_px, max(1.0, view.width - view.label_px))
    if not rows:
        return RowPicture(scale, empty=_why_empty(session))
    picture = ground(session, scale)
    draw = _Drawing(known, session, scale, picture, meant.unheard)
    for place, top, height in stack.seen(view):
        row = rows[place]
        picture.labels.append(_label(known, session, row, place, top, height, meant))
        draw.row(row, top + min(height, view.line_px) / 2)
    draw.finish()
    return picture


def _why_empty(session: Session) -> str:
    if session.sieve.active:
        return tr("Nothing passes the sieve. Empty it to see everybody who listens.")
    return tr("Nobody listened to anything in this take: no bind was recorded, and no send.")


def _label(
    known: RosterListeners, session: Session, row: RosterRow, place: int, top: float, height: float, meant: MeantRows
) -> Label:
    take = known.take
    peers = len(take.peers) > 1
    fold, indent, heads, detail, role, detail_role = "", 0.0, False, "", "ink", "quiet"
    if row.sort is Sort.EVENT:
        text, heads = take.text(int(known.code_of_event[row.number])), True
        if peers:
            text = f"{take.peers[int(known.peer_of_event[row.number])].name}: {text}"
        detail = event_remark(known, row.number)
        detail_role = "rose" if row.number in meant.unheard_events else "quiet"
    elif row.sort is Sort.PILE:
        listener = int(known.first_of_group[row.number])
        members = known.members.rows(row.number)
        text = f"{take.class_of(int(known.owner[listener]))} ×{len(members):,}  {_function(known, listener)}"
        fold, indent = "–" if row.opened else "+", 10.0
        stale = int(known.stale_calls[members].sum())
        many = int((known.stale_binds[members] > 0).sum())
        detail, detail_role = (stale_remark(stale, many), "rose") if many else ("", "quiet")
    elif row.sort is Sort.LISTENER:
        owner = take.text(int(known.owner[row.number])) or tr("somebody")
        text = f"{owner}  {_function(known, row.number)}" + (f" {tr('again')}" if row.lane else "")
        indent = 26.0 if row.inside else 10.0
        detail, detail_role = listener_remark(known, row)
    elif row.sort is Sort.VAIN:
        waits = known.vain[row.number]
        table = take.tables["wait"]
        waiter = int(table["o"][waits[0]])
        name = take.text(waiter) if len(waits) == 1 else f"{take.class_of(waiter)} ×{len(waits):,}"
        text, indent = tr("{name}  for {table}", name=name, table=take.text(int(table["ev"][waits[0]]))), 10.0
    else:
        text, heads, role = f"{row.text}  {row.number:,}", True, "quiet"
    lit = place in meant.places
    return Label(top, height, place, text, detail, role, detail_role, indent, fold, heads, lit, row.faded)


def _function(known: RosterListeners, listener: int) -> str:
    return known.take.text(int(known.function[listener])).rpartition(".")[2]


def event_remark(known: RosterListeners, event: int) -> str:
    """Say how many sends of an event nobody heard; empty where all were heard."""
    unheard = known.unheard_count(event)
    if not unheard:
        return ""
    total = int(known.sends.sizes()[event])
    if unheard == total:
        if total == 1:
            return tr("its one send was heard by nobody")
        return tr("all {total:,} sends were heard by nobody", total=total)
    return tr("{unheard:,} of {sends} heard by nobody", unheard=unheard, sends=counted(total, "send"))


def listener_remark(known: RosterListeners, row: RosterRow) -> tuple[str, str]:
    """Return (what is wrong with a listener's bars, its colour); both empty or quiet where nothing is."""
    if row.lane:
        return tr("bound again while it was bound"), "rose"
    if known.stale_binds[row.number]:
        return stale_remark(int(known.stale_calls[row.number]), 1), "rose"
    if known.stale_calls[row.number]:
        return stale_remark(int(known.stale_calls[row.number]), 1), "rose"
    return "", "quiet"


def stale_remark(calls: int, listeners: int) -> str:
    """Say that listeners stayed bound after they had gone, and how often they were called."""
    if listeners == 1:
        return (
            tr("called {times} after it went", times=counted(calls, "time"))
            if calls
            else tr("listens on after it went")
        )
    listen = tr("{listeners:,} listen on after they went", listeners=listeners)
    return f"{listen}: {counted(calls, 'call')}" if calls else listen


class _Drawing:
    """Gathers strokes of one look from all visible rows, so that each look is drawn at once."""

    def __init__(
        self, known: RosterListeners, session: Session, scale: Scale, picture: RowPicture, unheard: Array
    ) -> None:
        self.unheard_in_findings = unheard
        self.known, self.session, self.scale, self.picture = known, session, scale, picture
        self.columns = pixel_columns(session, scale)
        self.times = pixel_times(session.axis.edges, session.axis.starts_ns, scale)
        self.whole_times = self.times.astype(np.int64)
        self.has_frames_within_pixels = int(self.columns[-1]) - int(self.columns[0]) >= len(self.columns)
        self.window = (float(self.times[0]), float(self.times[-1]))
        self._lines: dict[tuple[str, float, str], list[tuple[float, float, float, float]]] = {}
        self._boxes: dict[tuple[str, int], list[tuple[float, float, float, float]]] = {}
        self._bars = StandingBars(scale.left)

    def row(self, row: RosterRow, y: float) -> None:
        """Draw one row with its middle at y."""
        if row.sort is Sort.EVENT:
            self._event(row.number, y, row.faded)
        elif row.sort is Sort.PILE:
            self._pile(row.number, y, row.faded)
        elif row.sort is Sort.LISTENER:
            self._listener(row, y)
        elif row.sort is Sort.VAIN:
            self._vain(self.known.vain[row.number], y)

    def finish(self) -> None:
        """Hand over what was gathered."""
        self.picture.bars += self._bars.gathered()
        self.picture.boxes += [Boxes(role, np.array(boxes), alpha) for (role, alpha), boxes in self._boxes.items()]
        self.picture.lines += [
            Lines(role, np.array(ends), width, dash) for (role, width, dash), ends in self._lines.items()
        ]

    # --- strokes -----------------------------------------------------------------------------------

    def _line(self, role: str, x: float, y: float, x2: float, y2: float, width: float = 1.4, dash: str = "") -> None:
        self._lines.setdefault((role, width, dash), []).append((x, y, x2, y2))

    def _many(self, role: str, ends: Array, width: float = 1.4) -> None:
        if len(ends):
            self.picture.lines.append(Lines(role, ends, width))

    def _box(self, role: str, x: float, y: float, width: float, height: float, alpha: int = 255) -> None:
        self._boxes.setdefault((role, alpha), []).append((x, y, width, height))

    def _xs(self, times_ns: Array) -> Array:
        """Return the pixels of moments, at most a little beyond the view."""
        # the axis ends with the take's last frame; what lasts beyond it reaches the edge
        xs = self.scale.xs(self.session.axis.positions(times_ns))
        return np.minimum(np.maximum(xs, self.scale.left - 8), self.scale.left + self.scale.width + 8)

    # --- an event: its sends -------------------------------------------------------------------------

    def _event(self, event: int, y: float, faded: bool) -> None:
        known, left = self.known, self.scale.left
        self._line("line", left, y, left + self.scale.width, y, 1.0)
        start, stop = int(known.sends.starts[event]), int(known.sends.starts[event + 1])
        if self.has_frames_within_pixels:
            places = known.sends_by_column(self.session.axis).places(event, self.columns) - start
        else:
            places = np.searchsorted(known.send_times[start:stop], self.whole_times)
        counts = places[1:] - places[:-1]
        unheard_before = known.unheard_before[start + places]
        unheard = unheard_before[1:] - unheard_before[:-1]
        pixels = np.flatnonzero(counts)
        if not len(pixels):
            return
        xs, heard = left + pixels + 0.5, unheard[pixels] == 0
        asked = cache(partial(self._sends_of, start + places, pixels, np.flatnonzero(~heard)))
        role = "faint" if faded else "ink"
        if int(counts.sum()) <= EXACT_TICKS:
            xs = self._xs(np.asarray(known.take.tables["send"]["t"], np.int64)[asked()])
            ticks = xs[heard]
            self._many(role, np.column_stack((ticks, ticks * 0 + y - 6, ticks, ticks * 0 + y + 3)))
        else:
            self._bars.add(role, y + 3, (counts > unheard) * 9.0, layer=CALLED_LAYER)
        if not heard.all():
            in_finding = self.unheard_in_findings[asked()[~heard]]
            for x, wrong in zip(xs[~heard].tolist(), in_finding.tolist(), strict=True):
                self._falling(x, y, "rose" if wrong else "quiet")
        self.picture.when_asked.append(
            lambda: [Dots("direct", BeadState.DID, xs, np.full(len(xs), y - 1.5), "send", asked(), 0.0)]
        )

    def _sends_of(self, places: Array, pixels: Array, mixed: Array) -> Array:
        """Return (pixels,) the send that stands for each pixel; where one is `mixed`, the first that nobody heard."""
        known = self.known
        sends = known.sends.order[places[pixels]]
        for at in mixed.tolist():
            rows = known.sends.order[places[pixels[at]] : places[pixels[at] + 1]]
            sends[at] = rows[known.unheard[rows]][0]
        return sends

    def _falling(self, x: float, y: float, role: str) -> None:
        """Draw a send nobody heard: a hollow head, and a dotted fall."""
        for dx, dy, dx2, dy2 in ((-3, -6, 3, -6), (-3, -6, 0, -1), (3, -6, 0, -1)):
            self._line(role, x + dx, y + dy, x + dx2, y + dy2, 1.2)
        self._line(role, x, y, x, y + FALLING_PX, 1.2, "dot")

    # --- listeners -----------------------------------------------------------------------------------

    def _listener(self, row: RosterRow, y: float) -> None:
        known = self.known
        self._ground(int(known.peer[row.number]), int(known.owner[row.number]), y)
        binds = known.binds_of(row.number, row.lane)
        inside = binds[(known.begin_ns[binds] <= self.window[1]) & (known.end_ns[binds] >= self.window[0])]
        for bind in inside[:MOST_BARS].tolist():
            self._bar(bind, y, row.faded)
        listener = int(known.called[row.number])
        if listener >= 0:
            level = self.session.row_index.single
            lane = row.lane if known.lanes[row.number] else -1
            self._called(level, listener, y, row.faded, lane)

    def _ground(self, peer: int, owner: int, y: float) -> None:
        """Draw the owner's life."""
        for begin, end in self.known.take.objects.lives(peer, owner) if owner >= 0 else ():
            last = self.known.take.peers[peer].last_t if end == NEVER else end
            if begin <= self.window[1] and last >= self.window[0]:
                x, x2 = self._xs(np.array([begin, last])).tolist()
                self._box("choice", x, y - GROUND_PX / 2, max(1.0, x2 - x), GROUND_PX)

    def _bar(self, bind: int, y: float, faded: bool) -> None:
        known = self.known
        begin, end = int(known.begin_ns[bind]), int(known.end_ns[bind])
        stale = bool(known.stale[bind])
        x, x2, gone = self._xs(np.array([begin, end, min(int(known.gone_ns[bind]), end)])).tolist()
        role = "faint" if faded else "via:zone"
        self._line(role, x, y, gone if stale else x2, y, BAR_PX)
        if stale:
            self._line("rose", gone, y, x2, y, BAR_PX, "dot")
        if begin >= self.window[0]:
            self._box(role, x - 2.5, y - 4, 3.0, 8.0)
        if known.unbound[bind] and end <= self.window[1]:
            self._line("rose" if stale else role, x2, y - 5, x2, y + 5, 1.8)

    def _called(self, level: object, group: int, y: float, faded: bool, lane: int = -1) -> None:
        """Draw a dot where a row of calls was called: by moment where there are few, by pixel where there are many."""
        session, known = self.session, self.known
        places = level.places(group, self.columns)  # type: ignore[attr-defined]
        groups = level.groups  # type: ignore[attr-defined]
        total = int(places[-1] - places[0])
        if not total:
            return
        gone = session.row_index.flags["gone"]
        if total <= EXACT_CALLS or (lane >= 0 and total <= 20 * EXACT_CALLS):
            calls = groups.order[places[0] : places[-1]]
            if lane >= 0:
                own = np.append(known.lane, np.int8(0))[known.take.calls.bind[calls]]
                calls = calls[own == lane]
            xs = self._xs(known.take.calls.start_ns[calls])
            wrong = gone[calls]
        else:
            called = places[1:] > places[:-1]

            def which(called: Array = called) -> list[Dots]:
                pixels = np.flatnonzero(called)
                xs, calls = self.scale.left + pixels + 0.5, groups.order[places[pixels]]
                return [Dots("direct", BeadState.DID, xs, np.full(len(xs), y), "call", calls, 0.0)]

            self.picture.when_asked.append(which)
            sums = level.sums["gone"]  # type: ignore[attr-defined]
            if sums[places[-1]] > sums[places[0]]:
                gone_before = sums[places]
                gone_there = gone_before[1:] > gone_before[:-1]
                called = called & ~gone_there
                self._bars.add("rose", y + 3, gone_there * 6.0, layer=CALLED_LAYER)
            self._bars.add("faint" if faded else "ink", y + 2, called * 4.0, layer=CALLED_LAYER)
            return
        ys = np.full(len(xs), y)
        for is_wrong, state in ((False, BeadState.DID), (True, BeadState.GONE)):
            mine = wrong == is_wrong
            if mine.any():
                size = 5.5 if state is BeadState.DID else 8.0
                self.picture.dots.append(Dots("direct", state, xs[mine], ys[mine], "call", calls[mine], size, faded))

    # --- piles ---------------------------------------------------------------------------------------

    def _pile(self, group: int, y: float, faded: bool) -> None:
        """Draw how many of a class are bound at each pixel, and of them how many are gone."""
        known = self.known
        pile, moments = known.pile(group), self.whole_times[:-1]
        bound = pile.bound_at(moments)
        most = int(bound.max(initial=0))
        if most > 0:
            base = y + PILE_PX / 2
            self._steps("faint" if faded else "via:zone", bound / most, base, 200, BOUND_LAYER)
            if len(pile.outlived):
                outlived = pile.outlived_at(moments)
                if outlived.any():
                    self._steps("rose", outlived / most, base, 220, OUTLIVED_LAYER)
        listener = int(known.called[known.members.rows(group)].max())
        if listener >= 0:
            folded = int(self.session.row_index.class_of_listener[listener])
            self._called(self.session.row_index.folded, folded, y + PILE_PX / 2 - 2, faded)

    def _steps(self, role: str, shares: Array, base: float, alpha: int, layer: int) -> None:
        """Draw shares (pixels,) of a pile's height."""
        heights = np.where(shares > 0, np.maximum(shares * PILE_PX, 1.5), 0.0)
        self._bars.add(role, base, heights, alpha, layer)

    def _vain(self, waits: Array, y: float) -> None:
        take = self.known.take
        begins = np.asarray(take.tables["wait"]["t"], np.int64)[waits]
        xs, ends = self._xs(begins), self._xs(take.waits.end_ns[waits])
        for x, end in zip(xs[:MOST_BARS].tolist(), ends[:MOST_BARS].tolist(), strict=True):
            self._line("rose", x, y, end, y, 1.4, "dash")
            self._line("rose", x, y - 4, x, y + 4, 1.4)
