"""Choosing a strand by keys, and going from one thing that happens on it to the next."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from opossum.words import counted, tr
from opossum_desk.flow.layout.strand_moments import Moments, moments_of
from opossum_desk.flow.layout.strand_order import OrderedStrand
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.state.session import Session
from opossum_desk.views.canvas import AxisCanvas


class StrandWalk:
    """Where keys have walked to among the strands of a view, as they stand (`ordered`); what is chosen is `told`."""

    def __init__(
        self, view: AxisCanvas, ordered: Callable[[], list[OrderedStrand]], told: Callable[[str], None]
    ) -> None:
        self._view, self._ordered, self._told = view, ordered, told
        self.row: StrandRow | None = None
        """The strand that is chosen."""

    @property
    def place(self) -> int:
        """Return the place of the chosen strand as they stand, -1 where there is none."""
        return next((place for place, strand in enumerate(self._ordered()) if strand.row is self.row), -1)

    def to(self, place: int) -> None:
        """Choose a strand, bring it into view and say what it is."""
        view = self._view
        assert view.session is not None
        self.row = self._ordered()[place].row
        tall, bar = view.heights().strand, view.scroll_bar
        if place * tall < bar.value():
            bar.setValue(int(place * tall))
        elif (place + 1) * tall > bar.value() + view.height():
            bar.setValue(int((place + 1) * tall - view.height()))
        happens = len(moments_of(view.session, self.row).times_ns)
        view.renew()
        self._told(
            tr(
                "{label}: {kind}, {moments}. Shift+Right goes to the next.",
                label=self.row.label,
                kind=self.row.kind,
                moments=counted(happens, "moment"),
            )
        )

    def step(self, step: int) -> None:
        """Select what happens next (`step` 1), or happened before (-1), on the chosen strand."""
        session = self._view.session
        if session is None or self.row is None:
            self._told(tr("Choose a strand first: Shift+Down walks to the next one."))
            return
        moments = moments_of(session, self.row)
        place = _next(session, moments, step)
        if place < 0:
            self._told(
                tr("Nothing more happens on {label} after this.", label=self.row.label)
                if step > 0
                else tr("Nothing more happens on {label} before this.", label=self.row.label)
            )
            return
        send = int(moments.sends[place])
        calls: Sequence[int] = session.calls_of_send(send).tolist() if send >= 0 else ()
        if calls:
            session.select_call(calls[0])
        else:
            position = session.axis.positions(moments.times_ns[place : place + 1])[0]
            session.select_column(session.axis.column_at(float(position)))


def _next(session: Session, moments: Moments, step: int) -> int:
    """Return the place of the moment after or before what is selected, -1 where there is none."""
    send = int(session.take.calls.send[session.call]) if session.call >= 0 else -1
    starts = session.axis.starts_ns
    if send >= 0 and send in moments.sends:
        return moments.next_after(float(session.take.tables["send"]["t"][send]), send, step)
    if session.column < 0:
        return moments.next_after(float(starts[0]) - 1, -1, step)
    # from a frame's start to its end all is of that frame
    here = float(starts[session.column + 1]) - 1 if step > 0 else float(starts[session.column])
    return moments.next_after(here, -1, step)
