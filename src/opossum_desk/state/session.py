"""The session: one take on the desk and everything about how it is being looked at.

It joins what is counted (`counts`, `row_index`), where one looks (`viewport`), what is selected (`selection`, `history`)
and what passes the sieve (`sieving`).  Views subscribe to topics and ask for what they need; hands call methods.
One truth, no Qt.  It is longer than other modules for that: what one step changes of several of these is changed here, so that
they fit each other, are published together, and are undone as one.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable
from functools import cached_property
from typing import Any

import numpy as np

from opossum.findings.finding import Finding
from opossum.stream.tables import Array
from opossum.take.grouping import Groups
from opossum.take.sieve import slow_calls
from opossum.take.take import Take
from opossum_desk.state.axis import Axis, AxisMode, make_axis
from opossum_desk.state.beside import Beside
from opossum_desk.state.counts import Counts, count
from opossum_desk.state.history import FIRST_WEAVE, History, Spot
from opossum_desk.state.marks import Marks
from opossum_desk.state.meant_rows import rows_meant
from opossum_desk.state.measuring import Measure, measured
from opossum_desk.state.row_index import Flag, Row, RowIndex
from opossum_desk.state.rules_of_take import RulesOfTake
from opossum_desk.state.selection import Selection
from opossum_desk.state.sieving import Sieve
from opossum_desk.state.sounds import Sounds
from opossum_desk.state.topics import Topics
from opossum_desk.state.trail import Trail, calls_by_cause
from opossum_desk.state.uncounting import WishesOfTake
from opossum_desk.state.viewport import Viewport

DOUBLE_FIRE = "double-fire"
SAME_MOMENT = {"bound-twice", "two-routes"}
"""Causes that run a listener twice at one moment; the others bring it again later."""

FINDING_MARGIN_FRAMES = 20
"""Frames shown on either side of what a finding jumps to."""
STRETCH_MARGIN_SHARE = 0.06
"""Where all frames of a finding are shown, so much of their stretch is shown on either side besides."""


class Session:
    """A take, what was found in it, and what is being looked at."""

    def __init__(self, take: Take, counted: dict[str, Any] | None = None) -> None:
        """Look at a take; `counted`: what `as_values` of a session of the same take gave in another process."""
        self.take = take
        self.playing = False
        """The game still plays: what has not returned yet may well return."""
        self.hold_at: Callable[[str], None] | None = None
        """Has the game that plays held where a tripwire's words say; None where none plays."""
        self.watch_of: Callable[[str], None] | None = None
        """Lets the user choose an attribute of an object that lives, to be told while the game plays; None where none plays."""
        self.sound_of: Callable[[str], None] | None = None
        """Lets the user give a track its sound, or its cues; None where there is nobody to ask."""
        self.findings: list[Finding] = []
        self.wishes = WishesOfTake("")
        self.examined = False
        topics = Topics()
        self.subscribe, self._publish = topics.subscribe, topics.publish
        self.marks, self.sounds = Marks(topics), Sounds(topics)
        self.beside, self.rules = Beside(topics), RulesOfTake(topics)
        self.counts = count(take) if counted is None else Counts(**counted["counts"])
        self.peer = 0
        axis = make_axis(take, 0, AxisMode.FRAME, self.counts.frozen_rows)
        if counted is None:
            self.row_index = RowIndex(take, axis)
            self.row_index.flags["slow"] = slow_calls(take)
        else:
            self.row_index = RowIndex.from_values(take, counted["rows"])
        self.viewport = Viewport(axis)
        self.selection = Selection(take)
        self.sieve = Sieve("" if counted is None else counted["sieve"])
        self.doubles_of: int = -1 if counted is None else counted["doubles_of"]
        """Which examination the doubled calls are marked from, -1: from none."""
        self.unfolded: set[int] = set()
        self.rows: list[Row] = []
        self.awake = 0
        """How many of the rows, the first ones, do something in what is visible; the others are at rest."""
        self.shows_resting = False
        self.shows_data = False
        """Whether the panel Frame tells data and values."""
        self.measured: Measure | None = None
        self.trail: Trail | None = None
        """The chain of causes and effects that is shown, if one is."""
        self._columns_of: dict[str, tuple[Axis, Finding, Array]] = {}
        self._no_columns = np.zeros(0, np.int64)
        self.history = History()
        self.weave = FIRST_WEAVE
        """What the rows of the middle are, by name."""
        self.order_rows()

    def as_values(self) -> dict[str, Any]:
        """Return what was counted over the whole take, for a session of the same take in another process.

        The take has then all indexes that views ask for at once.
        """
        take = self.take
        _ = take.arms, take.plays, take.waits, take.queues
        return {
            "counts": self.counts.as_values(),
            "rows": self.row_index.as_values(),
            "sieve": self.sieve.text,
            "doubles_of": self.doubles_of,
        }

    # --- what views ask all the time -----------------------------------------------------------------

    @property
    def axis(self) -> Axis:
        """Return the axis everything is drawn on."""
        return self.viewport.axis

    @property
    def low(self) -> float:
        """Return where on the axis the view begins."""
        return self.viewport.low

    @property
    def high(self) -> float:
        """Return where on the axis the view ends."""
        return self.viewport.high

    @property
    def visible_columns(self) -> tuple[int, int]:
        """Return the first and last column that are (partly) visible."""
        return self.viewport.visible_columns

    @property
    def column(self) -> int:
        """Return the selected frame's column, -1 for none."""
        return self.selection.column

    @property
    def call(self) -> int:
        """Return the selected call, -1 for none."""
        return self.selection.call

    @property
    def finding(self) -> Finding | None:
        """Return the finding that is shown."""
        return self.selection.finding

    @property
    def frame_lengths(self) -> Array:
        """Return int64 (frames,): ns of work in each frame of the take."""
        return self.counts.frame_lengths

    # --- findings ----------------------------------------------------------------------------------

    def doubled(self, findings: Iterable[Finding]) -> Flag:
        """Return which calls were doubled; linear in the calls, and fit for any thread."""
        from opossum.findings.examine import doubled_calls  # the kinds of findings are not needed before

        return self.row_index.counted(doubled_calls(self.take, list(findings)))

    def set_findings(self, findings: Iterable[Finding], doubled: Flag | None = None) -> None:
        """Take over what an examination found, and which calls were `doubled` if that was counted already."""
        self.findings = list(findings)
        self.examined = True
        self.row_index.set_flag("twin", doubled or self.doubled(self.findings))
        if self.sieve.active:
            self._sieve_calls()
        self._publish("findings")

    def list_findings(self, findings: Iterable[Finding]) -> None:
        """Take over what was found without marking its calls: they will come marked with the next growth."""
        self.findings = list(findings)
        self.examined = True
        self._publish("findings")

    def finding_named(self, name: str) -> Finding | None:
        """Return the finding with an id, or None."""
        return next((item for item in self.findings if item.id == name), None)

    def doubled_word(self, call: int) -> str:
        """Return what a doubled call did: run ``twice`` for one cause, or act ``again`` on later frames."""
        causes = {finding.cause for finding in self.findings if finding.kind == DOUBLE_FIRE and call in finding.calls}
        return "twice" if causes & SAME_MOMENT else "again"

    def without(self, left: Iterable[Finding]) -> None:
        """Take over what still counts of the findings; the chosen one is let go where it does not."""
        self.set_findings(left)
        if self.selection.finding not in self.findings:
            self.selection.finding = None
            self.order_rows()  # those that it was about may fold away again
            self._publish("rows", "selection")

    def show_finding(self, finding: Finding) -> None:
        """Go to a finding: its first frame (its worst, if one froze), its call in the panel Frame, its Story."""
        self._leave("")
        self.selection.finding = finding
        columns = self.columns_of(finding)
        if len(columns):
            first = int(columns[0])
            if finding.kind == "freeze":
                first = int(columns[np.argmax(self.frame_lengths[self.axis.first_row + columns])])
            self._look_at(first, columns)
            in_frame = finding.calls[self.row_index.column[finding.calls] == first]
            call = int(in_frame[-1]) if len(in_frame) else -1
            self.selection.choose(int(first), call)
            if call >= 0:
                self._unhide(call)
            self.order_rows()
        self._publish("rows", "selection", "window")

    def columns_of(self, finding: Finding) -> Array:
        """Return int64 (n,): the axis columns of a finding's frames, ascending; asked once while axis and finding stay."""
        known = self._columns_of.get(finding.id)
        if known is None or known[0] is not self.axis or known[1] is not finding:
            columns = np.array(self.axis_columns(finding.frame_rows), np.int64)
            known = self._columns_of[finding.id] = (self.axis, finding, columns)
        return known[2]

    def _look_at(self, first: int, columns: Array) -> None:
        """Bring a finding's frames into view: the first of them closely in Flow, elsewhere as many as there are."""
        margin = FINDING_MARGIN_FRAMES
        if self.weave != FIRST_WEAVE:
            margin += int((columns[-1] - columns[0]) * STRETCH_MARGIN_SHARE)
            self.viewport.show_columns(int(columns[0]) - margin, int(columns[-1]) + margin + 1)
        else:
            self.viewport.show_columns(first - margin, first + margin + 1)

    def axis_columns(self, frame_rows: Array) -> list[int]:
        """Return the axis columns of frame rows; those of other peers go by their time."""
        return self.axis.columns_of_rows(frame_rows, self.take.frames.start_ns)

    # --- the window --------------------------------------------------------------------------------

    def set_window(self, low: float, high: float, move: str = "") -> None:
        """Show from `low` to `high` of the axis; moves of one name in a row are undone together."""
        self._leave(move)
        self.viewport.show(low, high)
        self._publish("window")

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
            columns = self.row_index.column[[self.call, *self.selection.related]].tolist()
        elif self.finding is not None:
            columns = self.columns_of(self.finding)[[0, -1]].tolist() if len(self.columns_of(self.finding)) else []
        elif self.column >= 0:
            columns = [self.column]
        if columns:
            self._leave("")
            self.viewport.show_columns(min(columns) - 2, max(columns) + 3)
            self._publish("window")

    # --- the selection -----------------------------------------------------------------------------

    def select_call(self, call: int, move: str = "") -> None:
        """Select a call (and its frame)."""
        self._leave(move)
        column = int(self.row_index.column[call]) if call >= 0 else self.column
        self.selection.choose(column, call)
        if self.trail is not None and self.trail.place_of(call) < 0:
            self.show_trail(-1)
        self._tell_selected(call >= 0 and bool(self.axis.columns) and self.viewport.reveal(column))

    def select_column(self, column: int, move: str = "") -> None:
        """Select a frame by its column; no call of it."""
        if not self.axis.columns:
            return
        self._leave(move)
        self.selection.choose(int(np.clip(column, 0, self.axis.columns - 1)), -1)
        self._tell_selected(self.viewport.reveal(self.column))

    def _tell_selected(self, moved: bool) -> None:
        """Publish a selection; where it had to be brought into view, other rows may be awake now."""
        if moved:
            self.order_rows()
        self._publish(*(["rows", "selection", "window"] if moved else ["selection"]))

    def calls_of_column(self, column: int) -> Array:
        """Return the calls of a column in the order they ran, all peers'."""
        if column < 0 or column >= self.axis.columns:
            return np.zeros(0, np.int64)
        if len(self.take.peers) == 1:
            return self.take.calls_by_frame.rows(self.axis.row_of_column(column))
        calls = np.flatnonzero(self.row_index.column == column)
        return calls[np.argsort(self.take.calls.start_ns[calls], kind="stable")]

    def calls_of_send(self, send: int) -> Array:
        """Return the calls (rows) that a send made in its own frame, in order."""
        frame = int(self.take.sends.frame[send]) if send >= 0 else -1
        calls = self.take.calls_by_frame.rows(frame) if frame >= 0 else np.zeros(0, np.int64)
        return calls[self.take.calls.send[calls] == send]

    def first_call_of_send(self, send: int) -> int:
        """Return the first call that a send made in its own frame, -1 where it made none."""
        calls = self.calls_of_send(send)
        return int(calls[0]) if len(calls) else -1

    @cached_property
    def _calls_by_cause(self) -> Groups:
        return calls_by_cause(self.take)

    def show_data(self, show: bool) -> None:
        """Have the panel Frame tell the data of sends and the watched values, or not."""
        self.shows_data = show
        self._publish("selection")

    def show_trail(self, call: int) -> None:
        """Show the chain of causes and effects of a call; -1: show none."""
        self.trail = Trail(self.take, call, self._calls_by_cause) if call >= 0 else None
        self._publish("trail")

    def set_hover(self, call: int) -> None:
        """Say which call the pointer is on (-1: none); its causes and effects light up."""
        if call != self.selection.hover:
            self.selection.point_at(call)
            self._publish("hover")

    # --- sieve, folding, order -----------------------------------------------------------------------

    def set_sieve(self, text: str) -> None:
        """Sieve the calls.

        Raises:
            SieveError: a word cannot be understood; what was sieved before stays.
        """
        self.sieve.set(text)
        self._sieve_calls()
        self.order_rows()
        self._publish("sieve", "rows")

    def _sieve_calls(self) -> None:
        listeners = self.sieve.passed_listeners(self.take)
        if listeners is not None:
            self.row_index.set_flag("matched", self.row_index.counted_by_listener(listeners))
        else:
            self.row_index.set_flag_by_row("matched", self.sieve.passed(self.take, self.row_index.flags["twin"]))

    @property
    def matched_count(self) -> int:
        """Return how many calls pass the sieve."""
        return int(self.row_index.flags["matched"].sum())

    def set_hide_unmatched(self, hide: bool) -> None:
        """Hide, or only fade, what the sieve does not let through."""
        self.sieve.hides = hide
        self.order_rows()
        self._publish("sieve", "rows")

    def toggle_fold(self, row: Row) -> None:
        """Fold a row's class, or unfold it."""
        group = row.number if row.folded else int(self.row_index.class_of_listener[row.number])
        self.unfolded ^= {group}
        self.order_rows()
        self._publish("rows")

    def fold_all(self, fold: bool) -> None:
        """Fold every class, or unfold all of them."""
        self.unfolded = set() if fold else set(range(len(self.row_index.first_of_class)))
        self.order_rows()
        self._publish("rows")

    def _unhide(self, call: int) -> None:
        """Make sure that a call's row is shown (its class may stay folded)."""
        if self.sieve.hides and not self.row_index.flags["matched"][call]:
            self.set_hide_unmatched(False)

    def order_rows(self) -> None:
        """Put the rows in the order they run over what is visible; those that the chosen finding is about never fold away."""
        rows = self.row_index.rows(self.unfolded, self.sieve.hides and self.sieve.active)
        first, last = self.visible_columns
        self.rows = self.row_index.in_order(rows, first, last) if rows else []
        window = np.array([first, last + 1])
        self.awake = bisect_left(self.rows, True, key=lambda row: self.row_index.rests(row, window))
        if self.finding is not None and self.awake < len(self.rows):
            meant, resting = self.rows_meant(self.finding), self.rows[self.awake :]
            self.rows[self.awake :] = sorted(resting, key=lambda row: row not in meant)
            self.awake += sum(row in meant for row in resting)

    def rows_meant(self, finding: Finding) -> set[Row]:
        """Return the rows that a finding is about."""
        return rows_meant(self.take, self.row_index, self.unfolded, finding)

    def show_resting(self, show: bool) -> None:
        """Show the rows that are at rest, or fold them into one line."""
        self.shows_resting = show
        self._publish("rows")

    def settle(self) -> None:
        """Take note that moving has come to rest: rows take the order of what is now visible."""
        before = self.rows, self.awake
        self.order_rows()
        changed = (self.rows, self.awake) != before
        self._publish(*(["rows"] if changed else []), "settled")

    def choose_weave(self, name: str) -> None:
        """Have the rows of the middle be something else; where one looks and what is selected stay."""
        if name != self.weave:
            self._leave("")
            self.weave = name
            columns = self.columns_of(self.finding) if self.finding is not None else self._no_columns
            if len(columns) and name != FIRST_WEAVE:
                self._look_at(int(columns[0]), columns)
            self._publish("weave", *(["window"] if len(columns) else []))

    # --- axis, measuring --------------------------------------------------------------------

    def set_axis_mode(self, mode: AxisMode) -> None:
        """Lay the axis out by frame or by time, keeping the same frames in view."""
        if mode is self.axis.mode:
            return
        self._leave("")
        self.viewport.lay_on(self.axis_by(mode, self.peer))
        self._publish("axis", "window")

    def axis_by(self, mode: AxisMode, peer: int) -> Axis:
        """Return the axis of a peer's frames."""
        return make_axis(self.take, peer, mode, self.counts.frozen_rows)

    def set_peer(self, peer: int) -> None:
        """Lay the axis out by another peer's frames, keeping the same moments in view."""
        if peer == self.peer or not 0 <= peer < len(self.take.peers):
            return
        self._leave("")
        self.lay_out_by(peer, self.axis.mode)
        call = self.call
        self.selection.choose(int(self.row_index.column[call]) if call >= 0 else -1, call)
        self.order_rows()
        self._publish("axis", "rows", "selection", "window")

    def lay_out_by(self, peer: int, mode: AxisMode) -> None:
        """Take the axis of another peer, and gather the calls by its columns."""
        flags = self.row_index.flags
        self.peer = peer
        self.viewport.lay_on_moments(self.axis_by(mode, peer))
        self.row_index = RowIndex(self.take, self.axis)
        for name, values in flags.items():
            self.row_index.set_flag(name, values)

    def measure(self, low: float, high: float) -> Measure:
        """Measure from one axis position to another."""
        self.measured = measured(self.axis, self.row_index.column, low, high)
        self._publish("measure")
        return self.measured

    # --- history ---------------------------------------------------------------------------------------

    def _here(self) -> Spot:
        finding = self.finding.id if self.finding else ""
        return Spot(self.axis.mode, self.peer, self.low, self.high, self.column, self.call, finding, self.weave)

    def _leave(self, move: str) -> None:
        self.history.leave(self._here(), move)

    def go_back(self) -> bool:
        """Go back where we were; say whether there was somewhere."""
        return self._go(self.history.back(self._here()))

    def go_forward(self) -> bool:
        """Undo going back."""
        return self._go(self.history.forward(self._here()))

    def _go(self, spot: Spot | None) -> bool:
        if spot is None:
            return False
        changed = (spot.mode, spot.peer) != (self.axis.mode, self.peer)
        if spot.peer != self.peer:
            self.lay_out_by(spot.peer, spot.mode)
            self.order_rows()
        elif changed:
            self.viewport.lay_on(self.axis_by(spot.mode, self.peer))
        self.viewport.show(spot.low, spot.high)
        self.selection.finding = self.finding_named(spot.finding)
        self.selection.choose(min(spot.column, self.axis.columns - 1), spot.call)
        woven, self.weave = self.weave != spot.weave, spot.weave
        self._publish(*(["axis", "rows"] if changed else []), *(["weave"] if woven else []), "selection", "window")
        return True
