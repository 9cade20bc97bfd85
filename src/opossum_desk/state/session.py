"""The session: one take on the desk and everything about how it is being looked at.

Views subscribe to topics and ask for what they need; hands call methods.  One truth, no Qt.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

import numpy as np

from opossum.findings import freeze
from opossum.findings.finding import Finding
from opossum.findings.scene import Scene
from opossum.findings.thresholds import Thresholds
from opossum.stream.tables import Array
from opossum.take.flow import chain_of, effects_of, same_on_other_peers
from opossum.take.ids import distinct
from opossum.take.sieve import parse_sieve, sieve_calls, slow_calls
from opossum.take.take import Take
from opossum_desk.state.axis import Axis, AxisMode, make_axis
from opossum_desk.state.threads import Flag, Row, Threads

MOST_HISTORY = 200
NARROWEST_FRAMES = 3.0
"""The closest zoom by frame; by time, the shortest span of seconds is below."""
SHORTEST_SECONDS = 0.002

DOUBLE_FIRE = "double-fire"
SAME_MOMENT = {"bound-twice", "two-routes"}
"""Causes that run a listener twice at one moment; the others bring it again later."""

FINDING_MARGIN_FRAMES = 20
"""Frames shown on either side of what a finding jumps to."""


class Place(NamedTuple):
    """Where somebody is looking: enough to come back to it."""

    low: float
    high: float
    column: int
    call: int
    finding: str
    mode: AxisMode


class Measure(NamedTuple):
    """A stretch that was measured."""

    frames: int
    duration_ns: float
    calls: int


Listener = Callable[[], None]
TOPICS = ("window", "selection", "hover", "sieve", "findings", "rows", "axis", "bookmarks", "measure")


class Session:
    """A take, what was found in it, and what is being looked at."""

    def __init__(self, take: Take, counted: dict[str, Any] | None = None) -> None:
        """Look at a take; `counted`: what `as_values` of a session of the same take gave in another process."""
        self.take = take
        self.findings: list[Finding] = []
        self.examined = False
        self._subscribers: dict[str, list[Listener]] = {topic: [] for topic in TOPICS}
        self.peer = 0
        if counted is None:
            lengths = freeze.frame_lengths(Scene(take, Thresholds()))
            self.frame_lengths: Array = lengths
            self.frozen_rows: Array = np.array(freeze.frozen_frames(Scene(take, Thresholds()), lengths), np.int64)
        else:
            self.frame_lengths, self.frozen_rows = counted["frame_lengths"], counted["frozen_rows"]
        self.axis: Axis = make_axis(take, 0, AxisMode.FRAME, self.frozen_rows)
        if counted is None:
            self.threads = Threads(take, self.axis)
            self.threads.flags["slow"] = slow_calls(take)
        else:
            self.threads = Threads.from_values(take, counted["threads"])
        self.low, self.high = self.axis.extent
        self.column = -1
        self.call = -1
        self.finding: Finding | None = None
        self.hover = -1
        self.related: frozenset[int] = frozenset()
        self.sieve_text: str = "" if counted is None else counted["sieve"]
        self.sieved = bool(self.sieve_text)
        self.doubles_of: int = -1 if counted is None else counted["doubles_of"]
        """Which examination the doubled calls are marked from, -1: from none."""
        self.hide_unmatched = False
        self.unfolded: set[int] = set()
        self.rows: list[Row] = []
        self.bookmarks: list[int] = []
        self.measured: Measure | None = None
        self._past: list[Place] = []
        self._future: list[Place] = []
        self._last_move = ""
        self.order_rows()

    def as_values(self) -> dict[str, Any]:
        """Return what was counted over the whole take, for a session of the same take in another process."""
        return {
            "frame_lengths": self.frame_lengths,
            "frozen_rows": self.frozen_rows,
            "threads": self.threads.as_values(),
            "sieve": self.sieve_text,
            "doubles_of": self.doubles_of,
        }

    # --- being told --------------------------------------------------------------------------------

    def subscribe(self, topics: str, listener: Listener) -> None:
        """Have `listener` called when any of the topics (words) changes."""
        for topic in topics.split():
            self._subscribers[topic].append(listener)

    def _tell(self, *topics: str) -> None:
        for listener in dict.fromkeys(listener for topic in topics for listener in self._subscribers[topic]):
            listener()

    # --- findings ----------------------------------------------------------------------------------

    def doubled(self, findings: Iterable[Finding]) -> Flag:
        """Return which calls were doubled; linear in the calls, and fit for any thread."""
        from opossum.findings.examine import doubled_calls  # the kinds of findings are not needed before

        return self.threads.counted(doubled_calls(self.take, list(findings)))

    def set_findings(self, findings: Iterable[Finding], doubled: Flag | None = None) -> None:
        """Take over what an examination found, and which calls were `doubled` if that was counted already."""
        self.findings = list(findings)
        self.examined = True
        self.threads.set_flag("twin", doubled or self.doubled(self.findings))
        if self.sieved:
            self._sieve_calls()
        self._tell("findings")

    def list_findings(self, findings: Iterable[Finding]) -> None:
        """Take over what was found without marking its calls: they will come marked with the next growth."""
        self.findings = list(findings)
        self.examined = True
        self._tell("findings")

    def doubled_word(self, call: int) -> str:
        """Return what a doubled call did: run ``twice`` for one cause, or act ``again`` on later frames."""
        causes = {finding.cause for finding in self.findings if finding.kind == DOUBLE_FIRE and call in finding.calls}
        return "twice" if causes & SAME_MOMENT else "again"

    def show_finding(self, finding: Finding) -> None:
        """Go to a finding: its first frame (its worst, if one froze), its call in the Slice, its Story."""
        self._remember("")
        self.finding = finding
        columns = self.axis_columns(finding.frame_rows)
        if len(columns):
            first = columns[0]
            if finding.kind == "freeze":
                first = max(columns, key=lambda column: self.frame_lengths[self.axis.row_of_column(column)])
            self.column = int(first)
            self._show_columns(first - FINDING_MARGIN_FRAMES, first + FINDING_MARGIN_FRAMES + 1)
            in_frame = (
                finding.calls[self.threads.column[finding.calls] == first] if len(finding.calls) else finding.calls
            )
            self.call = int(in_frame[-1]) if len(in_frame) else -1
            self._relate(self.call)
            if self.call >= 0:
                self._unfold_to(self.call)
            self.order_rows()
        self._tell("rows", "selection", "window")

    def step_finding(self, step: int) -> Finding | None:
        """Go to the next (+1) or previous (-1) finding."""
        if not self.findings:
            return None
        place = next((i for i, item in enumerate(self.findings) if self.finding and item.id == self.finding.id), None)
        place = (0 if step > 0 else -1) if place is None else (place + step) % len(self.findings)
        self.show_finding(self.findings[place])
        return self.finding

    def axis_columns(self, frame_rows: Array) -> list[int]:
        """Return the axis columns of frame rows; those of other peers go by their time."""
        rows = np.asarray(frame_rows, np.int64)
        rows = rows[rows >= 0]
        if not len(rows):
            return []
        columns = rows - self.axis.first_row
        foreign = (columns < 0) | (columns >= self.axis.columns)
        columns[foreign] = self.axis.columns_of_times(self.take.frames.start_ns[rows[foreign]])
        return distinct(columns).tolist()

    # --- the window --------------------------------------------------------------------------------

    @property
    def visible_columns(self) -> tuple[int, int]:
        """Return the first and last column that are (partly) visible."""
        # a frame that reaches into the window by less than any pixel is not seen
        sliver = (self.high - self.low) * 1e-9
        return self.axis.column_at(self.low + sliver), self.axis.column_at(self.high - sliver)

    def set_window(self, low: float, high: float, move: str = "") -> None:
        """Show from `low` to `high` of the axis; moves of one name in a row are undone together."""
        self._remember(move)
        self._clip_window(low, high)
        self._tell("window")

    def _clip_window(self, low: float, high: float) -> None:
        first, last = self.axis.extent
        shortest = NARROWEST_FRAMES if self.axis.mode is AxisMode.FRAME else SHORTEST_SECONDS
        width = float(np.clip(high - low, min(shortest, last - first), last - first))
        centre = (low + high) / 2
        low = float(np.clip(centre - width / 2, first, last - width))
        self.low, self.high = low, low + width

    def zoom(self, factor: float, at: float) -> None:
        """Zoom by `factor` (over 1: closer), keeping axis position `at` where it is."""
        self.set_window(at - (at - self.low) / factor, at + (self.high - at) / factor, "zoom")

    def pan(self, by: float) -> None:
        """Move the window along the axis."""
        self.set_window(self.low + by, self.high + by, "pan")

    def show_all(self) -> None:
        """Show the whole take."""
        self.set_window(*self.axis.extent)

    def fit_selection(self) -> None:
        """Show what is selected: the finding's frames, else the call and its relations, else the frame."""
        columns: list[int] = []
        if self.call >= 0:
            columns = self.threads.column[[self.call, *self.related]].tolist()
        elif self.finding is not None:
            columns = self.axis_columns(self.finding.frame_rows)
        elif self.column >= 0:
            columns = [self.column]
        if columns:
            self._remember("")
            self._show_columns(min(columns) - 2, max(columns) + 3)
            self._tell("window")

    def _show_columns(self, first: int, last: int) -> None:
        edges = self.axis.edges
        count = self.axis.columns
        self._clip_window(float(edges[np.clip(first, 0, count)]), float(edges[np.clip(last, 0, count)]))

    def _reveal_column(self, column: int) -> bool:
        """Move the window so that a column is well inside; say whether it had to move."""
        low, high = float(self.axis.edges[column]), float(self.axis.edges[column + 1])
        width = self.high - self.low
        if low >= self.low and high <= self.high:
            return False
        centre = (low + high) / 2
        self._clip_window(centre - width / 2, centre + width / 2)
        return True

    # --- the selection -----------------------------------------------------------------------------

    def select_call(self, call: int, move: str = "") -> None:
        """Select a call (and its frame)."""
        self._remember(move)
        self.call = call
        self._relate(call)
        topics = ["selection"]
        if call >= 0:
            self.column = int(self.threads.column[call])
            if self._reveal_column(self.column):
                topics.append("window")
        self._tell(*topics)

    def select_column(self, column: int, move: str = "") -> None:
        """Select a frame by its column; no call of it."""
        if not self.axis.columns:
            return
        self._remember(move)
        self.column = int(np.clip(column, 0, self.axis.columns - 1))
        self.call = -1
        self._relate(-1)
        self._tell(*(["selection", "window"] if self._reveal_column(self.column) else ["selection"]))

    def step_frame(self, step: int) -> None:
        """Select the next or previous frame."""
        start = self.column if self.column >= 0 else self.visible_columns[0] - (step > 0)
        self.select_column(start + step, "step")

    def calls_of_column(self, column: int) -> Array:
        """Return the calls of a column in the order they ran, all peers'."""
        if column < 0 or column >= self.axis.columns:
            return np.zeros(0, np.int64)
        if len(self.take.peers) == 1:
            return self.take.calls_by_frame.rows(self.axis.row_of_column(column))
        calls = np.flatnonzero(self.threads.column == column)
        return calls[np.argsort(self.take.calls.start_ns[calls], kind="stable")]

    def step_call(self, step: int) -> None:
        """Select the next or previous call, going on into the neighbouring frame."""
        if self.column < 0:
            self.step_frame(1)
        calls = self.calls_of_column(self.column)
        place = int(np.searchsorted(calls, self.call)) + step if self.call >= 0 else (0 if step > 0 else len(calls) - 1)
        column = self.column
        while not 0 <= place < len(calls):
            column += step
            if not 0 <= column < self.axis.columns:
                return
            calls = self.calls_of_column(column)
            place = 0 if step > 0 else len(calls) - 1
        self.select_call(int(calls[place]), "step")

    def step_event(self, step: int) -> None:
        """Select the call of the same event in the nearest earlier or later frame that has one."""
        if self.call < 0:
            return
        same = np.flatnonzero(self.take.calls.event == self.take.calls.event[self.call])
        columns = self.threads.column[same]
        beyond = same[columns > self.column] if step > 0 else same[columns < self.column]
        if len(beyond):
            chosen = beyond[0] if step > 0 else beyond[-1]
            if step < 0:  # the first call of that frame, as on the way forward
                chosen = beyond[np.searchsorted(self.threads.column[beyond], self.threads.column[chosen])]
            self.select_call(int(chosen), "step")

    def follow_cause(self) -> bool:
        """Select the call that caused the selected one; say whether there is one."""
        if self.call < 0 or self.take.calls.parent[self.call] < 0:
            return False
        self.select_call(int(self.take.calls.parent[self.call]))
        return True

    def set_hover(self, call: int) -> None:
        """Say which call the pointer is on (-1: none); its causes and effects light up."""
        if call != self.hover:
            self.hover = call
            self._relate(call if call >= 0 else self.call)
            self._tell("hover")

    def _relate(self, call: int) -> None:
        if call < 0:
            self.related = frozenset()
            return
        causes = chain_of(self.take.calls.parent, call, 200)
        elsewhere = same_on_other_peers(self.take, call)
        self.related = frozenset(causes) | frozenset(effects_of(self.take.children, call)) | frozenset(elsewhere)

    # --- sieve, folding, order -----------------------------------------------------------------------

    def set_sieve(self, text: str) -> None:
        """Sieve the calls.

        Raises:
            SieveError: a word cannot be understood; what was sieved before stays.
        """
        terms = parse_sieve(text)
        self.sieve_text = text
        self.sieved = bool(terms)
        self._sieve_calls()
        self.order_rows()
        self._tell("sieve", "rows")

    def _sieve_calls(self) -> None:
        twice = self.threads.flags["twin"]
        self.threads.set_flag("matched", sieve_calls(self.take, parse_sieve(self.sieve_text), twice))

    @property
    def matched_count(self) -> int:
        """Return how many calls pass the sieve."""
        return int(self.threads.flags["matched"].sum())

    def set_hide_unmatched(self, hide: bool) -> None:
        """Hide, or only fade, what the sieve does not let through."""
        self.hide_unmatched = hide
        self.order_rows()
        self._tell("sieve", "rows")

    def toggle_fold(self, row: Row) -> None:
        """Fold a thread's class, or unfold it."""
        group = row.number if row.folded else int(self.threads.class_of_listener[row.number])
        self.unfolded ^= {group}
        self.order_rows()
        self._tell("rows")

    def fold_all(self, fold: bool) -> None:
        """Fold every class, or unfold all of them."""
        self.unfolded = set() if fold else set(range(len(self.threads.first_of_class)))
        self.order_rows()
        self._tell("rows")

    def _unfold_to(self, call: int) -> None:
        """Make sure that a call's row is shown (its class may stay folded)."""
        if self.hide_unmatched and not self.threads.flags["matched"][call]:
            self.set_hide_unmatched(False)

    def order_rows(self) -> None:
        """Put the threads in the order they run over what is visible."""
        rows = self.threads.rows(self.unfolded, self.hide_unmatched and self.sieved)
        self.rows = self.threads.in_order(rows, *self.visible_columns) if rows else []

    def settle(self) -> None:
        """Say that moving has come to rest: threads take the order of what is now visible."""
        before = self.rows
        self.order_rows()
        if self.rows != before:
            self._tell("rows")

    # --- axis, bookmarks, measuring --------------------------------------------------------------------

    def set_axis_mode(self, mode: AxisMode) -> None:
        """Lay the axis out by frame or by time, keeping the same frames in view."""
        if mode is self.axis.mode:
            return
        self._remember("")
        self._change_axis(mode)
        self._tell("axis", "window")

    def _change_axis(self, mode: AxisMode) -> None:
        old = self.axis
        self.axis = make_axis(self.take, self.peer, mode, self.frozen_rows)
        self._clip_window(
            float(np.interp(self.low, old.edges, self.axis.edges)),
            float(np.interp(self.high, old.edges, self.axis.edges)),
        )

    def set_peer(self, peer: int) -> None:
        """Lay the axis out by another peer's frames, keeping the same moments in view."""
        if peer == self.peer or not 0 <= peer < len(self.take.peers):
            return
        self._remember("")
        moments = np.interp([self.low, self.high], self.axis.edges, self.axis.starts_ns)
        flags = self.threads.flags
        self.peer = peer
        self.axis = make_axis(self.take, peer, self.axis.mode, self.frozen_rows)
        self.threads = Threads(self.take, self.axis)
        for name, values in flags.items():
            self.threads.set_flag(name, values)
        self._clip_window(*np.interp(moments, self.axis.starts_ns, self.axis.edges).tolist())
        self.column = int(self.threads.column[self.call]) if self.call >= 0 else -1
        self._past.clear()  # places before were columns of the other peer
        self.order_rows()
        self._tell("axis", "rows", "selection", "window")

    def toggle_bookmark(self) -> bool:
        """Mark the selected frame, or unmark it; say whether it is marked now."""
        if self.column < 0:
            return False
        self.bookmarks = sorted(set(self.bookmarks) ^ {self.column})
        self._tell("bookmarks")
        return self.column in self.bookmarks

    def step_bookmark(self, step: int) -> None:
        """Select the next or previous marked frame."""
        beyond = [mark for mark in self.bookmarks if (mark > self.column if step > 0 else mark < self.column)]
        if beyond:
            self.select_column(beyond[0] if step > 0 else beyond[-1])

    def measure(self, low: float, high: float) -> Measure:
        """Measure from one axis position to another."""
        low, high = min(low, high), max(low, high)
        first, last = self.axis.column_at(low), self.axis.column_at(high)
        times = np.interp([low, high], self.axis.edges, self.axis.starts_ns)
        columns = self.threads.column
        calls = int(((columns >= first) & (columns <= last)).sum())
        self.measured = Measure(last - first + 1, float(times[1] - times[0]), calls)
        self._tell("measure")
        return self.measured

    def carry_over(self, other: Session) -> None:
        """Go on looking as in `other`, a session of the same stream before it grew."""
        at_end = other.high >= other.axis.extent[1] - 1e-9
        self._change_axis(other.axis.mode) if other.axis.mode is not self.axis.mode else None
        width = other.high - other.low
        whole = width >= other.axis.extent[1] - other.axis.extent[0] - 1e-9
        if whole:
            self._clip_window(*self.axis.extent)
        elif at_end:
            self._clip_window(self.axis.extent[1] - width, self.axis.extent[1])
        else:
            self._clip_window(other.low, other.high)
        self.column, self.call = other.column, other.call
        self.bookmarks = other.bookmarks
        self._past = other._past
        self.hide_unmatched = other.hide_unmatched
        if len(self.take.peers) == len(other.take.peers) == 1:
            # one peer's records only follow those before: what was found still stands where it stood
            self.findings, self.examined, self.finding = other.findings, other.examined, other.finding
            if self.findings and self.doubles_of < 0:
                self.set_findings(self.findings)
        unfolded = {other.threads.class_key(group) for group in other.unfolded}
        groups = range(len(self.threads.first_of_class))
        self.unfolded = {group for group in groups if self.threads.class_key(group) in unfolded}
        if other.sieve_text != self.sieve_text:
            self.set_sieve(other.sieve_text)
        self._relate(self.call)
        self.order_rows()

    # --- history ---------------------------------------------------------------------------------------

    def _here(self) -> Place:
        return Place(
            self.low, self.high, self.column, self.call, self.finding.id if self.finding else "", self.axis.mode
        )

    def _remember(self, move: str) -> None:
        """Keep where we are before going elsewhere; a run of moves of one name counts as one."""
        if move and move == self._last_move:
            return
        self._last_move = move
        here = self._here()
        if not self._past or self._past[-1] != here:
            self._past.append(here)
            del self._past[:-MOST_HISTORY]
        self._future.clear()

    def go_back(self) -> bool:
        """Go back where we were; say whether there was somewhere."""
        return self._go(self._past, self._future)

    def go_forward(self) -> bool:
        """Undo going back."""
        return self._go(self._future, self._past)

    def _go(self, source: list[Place], other: list[Place]) -> bool:
        here = self._here()
        while source:
            place = source.pop()
            if place != here:
                break
        else:
            return False
        other.append(here)
        self._last_move = ""
        changed_axis = place.mode is not self.axis.mode
        if changed_axis:
            self._change_axis(place.mode)
        self.low, self.high, self.column, self.call = place.low, place.high, place.column, place.call
        self.finding = next((item for item in self.findings if item.id == place.finding), None)
        self._relate(self.call)
        self._tell(*(["axis"] if changed_axis else []), "selection", "window")
        return True
