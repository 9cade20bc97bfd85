"""The Roster's layout: what of its rows is visible, as lines, dots and words.

Cost: the rows on screen times the width in pixels, each found by binary search.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from opossum.stream.tables import Array, held_at
from opossum.take.indexes.objects import NEVER
from opossum.words import tr
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import (
    Boxes,
    Dots,
    Lines,
    RowPicture,
    RowStack,
    RowsView,
    StandingBars,
    ground,
    pixel_times,
)
from opossum_desk.layout.scale import Scale, pixel_columns
from opossum_desk.roster.layout.labels import label_of
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import MeantRows
from opossum_desk.roster.layout.rows import RosterRow, Sort
from opossum_desk.state.row_index import Level
from opossum_desk.state.session import Session

EXACT_CALLS, EXACT_TICKS = 150, 60
"""So many calls and sends of a row in view are placed at their own moments; more of them by the pixel."""
MOST_BARS = 400
GROUND_PX, BAR_PX, PILE_PX = 12.0, 2.6, 14.0
FALLING_PX = 7.0
BOUND_LAYER, OUTLIVED_LAYER, CALLED_LAYER = range(3)
"""What lies over what: how many are bound, how many of them are gone, and their calls."""


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
        label = label_of(known, row, row.sort is Sort.EVENT and row.number in meant.unheard_events)
        picture.labels.append(label._replace(top=top, height=height, row=place, lit=place in meant.places))
        draw.row(row, top + min(height, view.line_px) / 2)
    draw.finish()
    return picture


def _why_empty(session: Session) -> str:
    if session.sieve.active:
        return tr("Nothing passes the sieve. Empty it to see everybody who listens.")
    return tr("Nobody listened to anything in this take: no bind was recorded, and no send.")


class _Asked:
    """What is worked out when it is first asked for: a wrapper of `functools` costs more to make than most rows to draw."""

    __slots__ = ("_known", "_work")

    def __init__(self, work: Callable[[], Array]) -> None:
        self._work = work
        self._known: Array | None = None

    def __call__(self) -> Array:
        if self._known is None:
            self._known = self._work()
        return self._known


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
        # what NumPy does to all rows at once costs little more than to one
        self._exact: list[tuple[float, bool, Array]] = []
        """Of rows of few calls the height, whether they are faded, and the calls."""
        self._crowded: dict[Level, list[tuple[float, bool, Array]]] = {}
        """Of rows of many calls the same, but before which of the level's calls each pixel begins, (pixels + 1,)."""
        self._piles: list[tuple[float, bool, Array]] = []
        """Of piles the foot, whether they are faded, and at each pixel, (pixels,), the share of those bound, of the most."""
        self._outlived: list[tuple[float, Array]] = []
        """Of piles the foot and the share of those that have outlived their owners, of the most bound."""

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
        self._finish_piles()
        self._finish_exact()
        for level, rows in self._crowded.items():
            self._finish_crowded(level, rows)
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
        asked = _Asked(lambda: self._sends_of(start + places, pixels, np.flatnonzero(~heard)))
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

    def _called(self, level: Level, group: int, y: float, faded: bool, lane: int = -1) -> None:
        """Draw a dot where a row of calls was called: by moment where there are few, by pixel where there are many."""
        places = level.places(group, self.columns)
        total = int(places[-1] - places[0])
        if total <= EXACT_CALLS or (lane >= 0 and total <= 20 * EXACT_CALLS):
            calls = level.groups.order[places[0] : places[-1]]
            if lane >= 0:
                own = held_at(self.known.lane, self.known.take.calls.bind[calls], 0)
                calls = calls[own == lane]
            self._exact.append((y, faded, calls))
        else:
            self._crowded.setdefault(level, []).append((y, faded, places))

    def _finish_exact(self) -> None:
        """Draw the dots of rows of few calls."""
        if not self._exact:
            return
        ys, faded, each = zip(*self._exact, strict=True)
        counts, calls = [len(own) for own in each], np.concatenate(each)
        xs = self._xs(self.known.take.calls.start_ns[calls])
        y_of_call, is_faded = np.repeat(ys, counts), np.repeat(faded, counts)
        wrong = self.session.row_index.flags["gone"][calls]
        for state, size in ((BeadState.DID, 5.5), (BeadState.GONE, 8.0)):
            for pale in (False, True):
                mine = (wrong == (state is BeadState.GONE)) & (is_faded == pale)
                if mine.any():
                    dots = Dots("direct", state, xs[mine], y_of_call[mine], "call", calls[mine], size, pale)
                    self.picture.dots.append(dots)

    def _finish_crowded(self, level: Level, rows: list[tuple[float, bool, Array]]) -> None:
        """Draw a bar at each pixel at which rows of many calls were called, rose where their owner was gone."""
        ys, faded = np.array([y for y, _, _ in rows]), np.array([own for _, own, _ in rows])
        places = np.stack([own for _, _, own in rows])
        called = places[:, 1:] > places[:, :-1]

        def which(called: Array = called) -> list[Dots]:
            row, pixel = np.nonzero(called)
            calls = level.groups.order[places[row, pixel]]
            return [Dots("direct", BeadState.DID, self.scale.left + pixel + 0.5, ys[row], "call", calls, 0.0)]

        self.picture.when_asked.append(which)
        sums = level.sums["gone"]
        having = np.flatnonzero(sums[places[:, -1]] > sums[places[:, 0]])
        if len(having):
            gone_before = sums[places[having]]
            gone_there = gone_before[:, 1:] > gone_before[:, :-1]
            called = called.copy()
            called[having] &= ~gone_there
            self._bars.add("rose", ys[having] + 3, gone_there * 6.0, layer=CALLED_LAYER)
        for pale in (False, True):
            mine = faded == pale
            if mine.any():
                self._bars.add("faint" if pale else "ink", ys[mine] + 2, called[mine] * 4.0, layer=CALLED_LAYER)

    # --- piles ---------------------------------------------------------------------------------------

    def _pile(self, group: int, y: float, faded: bool) -> None:
        """Draw how many of a class are bound at each pixel, and of them how many are gone."""
        known = self.known
        pile, moments = known.pile(group), self.whole_times[:-1]
        bound = pile.bound_at(moments)
        most = int(bound.max(initial=0))
        if most > 0:
            base = y + PILE_PX / 2
            self._piles.append((base, faded, bound / most))
            if len(pile.outlived):
                outlived = pile.outlived_at(moments)
                if outlived.any():
                    self._outlived.append((base, outlived / most))
        listener = int(known.called[known.members.rows(group)].max())
        if listener >= 0:
            folded = int(self.session.row_index.class_of_listener[listener])
            self._called(self.session.row_index.folded, folded, y + PILE_PX / 2 - 2, faded)

    def _finish_piles(self) -> None:
        """Draw all piles."""
        for pale in (False, True):
            piles = [(base, shares) for base, own, shares in self._piles if own == pale]
            self._steps("faint" if pale else "via:zone", piles, 200, BOUND_LAYER)
        self._steps("rose", self._outlived, 220, OUTLIVED_LAYER)

    def _steps(self, role: str, piles: list[tuple[float, Array]], alpha: int, layer: int) -> None:
        """Draw piles, each as its foot and shares (pixels,) of a pile's height."""
        if piles:
            shares = np.stack([own for _, own in piles])
            heights = np.where(shares > 0, np.maximum(shares * PILE_PX, 1.5), 0.0)
            self._bars.add(role, np.array([base for base, _ in piles]), heights, alpha, layer)

    def _vain(self, waits: Array, y: float) -> None:
        take = self.known.take
        begins = np.asarray(take.tables["wait"]["t"], np.int64)[waits]
        xs, ends = self._xs(begins), self._xs(take.waits.end_ns[waits])
        for x, end in zip(xs[:MOST_BARS].tolist(), ends[:MOST_BARS].tolist(), strict=True):
            self._line("rose", x, y, end, y, 1.4, "dash")
            self._line("rose", x, y - 4, x, y + 4, 1.4)
