"""What the desk looks at: axis, window, selection, history, sieve, folding. No Qt in any of it."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum.take.sieve import SieveError
from opossum_desk.state.axis import FROZEN_WIDTH, AxisMode, make_axis
from opossum_desk.state.carrying_over import carry_over
from opossum_desk.state.row_index import Row
from opossum_desk.state.session import Session
from opossum_desk.state.stepping import follow_cause, step_bookmark, step_call, step_event, step_finding, step_frame
from tape import Tape, read


def shop() -> Tape:
    """Return thirty frames: two ovens tick in each, a door opens in every fifth and wakes a cat."""
    tape = Tape(hz=60, phases=["input", "update"]).frame()
    for name in ("oven#1", "oven#2"):
        tape("spawn", o=name, cls="Oven")
    ovens = [tape.bind("tick", name, "Oven.on_tick") for name in ("oven#1", "oven#2")]
    door = tape.bind("press", "door#1", "Door.on_press")
    cat = tape.bind("opened", "cat#1", "Cat.on_opened")
    for number in range(1, 30):
        tape.frame()
        if number % 5 == 0:
            tape("phase", name="input")
            c = tape.open_call(tape.send("press", via="input", key="E", edge="down"), door)
            tape.heard("opened", cat, c=c)
            tape("ret", c=c, eff=1)
        tape("phase", name="update")
        tape.heard("tick", *ovens, via="tick", eff=number % 2, takes_ms=400 if number == 20 else 0.02)
    return tape


@pytest.fixture
def session() -> Session:
    """Return a session on the shop, examined."""
    session = Session(shop().take())
    session.set_findings(examine(session.take))
    return session


class Ear:
    """Counts what a session tells."""

    def __init__(self, session: Session, topics: str) -> None:
        self.count = 0
        session.subscribe(topics, self.hear)

    def hear(self) -> None:
        self.count += 1


# --- axis ----------------------------------------------------------------------------------------


def test_by_frame_every_frame_is_one_wide_save_the_frozen(session):
    """Frame 20 froze: two slow calls of four hundred milliseconds."""
    widths = np.diff(session.axis.edges)

    assert session.axis.frozen.tolist() == [20]
    assert widths[20] == FROZEN_WIDTH
    assert set(widths.tolist()) == {1.0, FROZEN_WIDTH}


def test_by_time_positions_are_seconds(session):
    """The edges are the frames' beginnings."""
    session.set_axis_mode(AxisMode.TIME)

    assert session.axis.edges[0] == 0
    assert np.diff(session.axis.edges)[20] == pytest.approx(0.816, rel=0.02)


def test_positions_and_columns_answer_each_other(session):
    """A position in a frame leads to its column; a moment too."""
    axis = session.axis
    for column in (0, 5, 20, 29):
        middle = float(axis.edges[column] + axis.edges[column + 1]) / 2
        assert axis.column_at(middle) == column
        time = np.interp(middle, axis.edges, axis.starts_ns)
        assert axis.columns_of_times(np.array([time])).tolist() == [column]
        assert axis.positions(np.array([time]))[0] == pytest.approx(middle)
    assert axis.column_at(-50) == 0
    assert axis.column_at(1e9) == 29


def test_a_take_without_frames_has_an_axis_all_the_same():
    """Nothing to show, nothing raised."""
    session = Session(read(b""))
    assert session.axis.columns == 0
    assert session.rows == []
    for act in (
        session.show_all,
        session.fit_selection,
        session.settle,
        lambda: step_frame(session, 1),
        lambda: step_call(session, 1),
    ):
        act()
    assert step_finding(session, 1) is None
    assert make_axis(read(b""), 0, AxisMode.TIME, np.zeros(0)).extent == (0.0, 1.0)


# --- window --------------------------------------------------------------------------------------


def test_the_window_stays_within_the_take_and_never_closes(session):
    """Neither beyond the ends nor narrower than a few frames."""
    session.set_window(-100, 5)
    assert (session.low, session.high) == (0.0, 36.0)
    session.set_window(4, 4.001)
    assert session.high - session.low == pytest.approx(3.0)
    session.set_window(34, 60)
    assert session.high == 36.0


def test_zooming_keeps_the_place_under_the_pointer(session):
    """What is pointed at stays."""
    session.set_window(0, 20)
    session.zoom(2, 5)
    assert (5 - session.low) / (session.high - session.low) == pytest.approx(0.25)
    session.zoom(0.5, 5)
    assert (session.low, session.high) == pytest.approx((0, 20))


def test_switching_the_axis_keeps_the_frames_in_view(session):
    """By frame or by time, the same frames are seen."""
    session.set_window(10, 15)
    before = session.visible_columns
    session.set_axis_mode(AxisMode.TIME)
    assert session.visible_columns == before
    session.set_axis_mode(AxisMode.FRAME)
    assert session.visible_columns == before


def test_changes_are_told_to_those_who_asked(session):
    """Once each, by topic."""
    window, selection = Ear(session, "window"), Ear(session, "selection hover")
    session.set_window(3, 9)
    assert (window.count, selection.count) == (1, 0)
    session.select_call(0)
    assert selection.count == 1
    session.set_hover(3)
    session.set_hover(3)
    assert selection.count == 2


# --- selection -----------------------------------------------------------------------------------


def test_frames_and_calls_are_stepped_through_in_order(session):
    """Down goes on into the next frame, up into the one before."""
    session.select_column(4)
    step_call(session, 1)
    first = session.call
    assert session.column == 4
    step_call(session, 1)
    step_call(session, 1)
    assert session.column == 5
    for _ in range(2):
        step_call(session, -1)
    assert (session.column, session.call) == (4, first)
    step_frame(session, 1)
    assert (session.column, session.call) == (5, -1)
    step_frame(session, -1)
    assert session.column == 4


def test_stepping_stops_at_the_ends(session):
    """Nothing before the first call, nothing after the last."""
    session.select_call(0)
    step_call(session, -1)
    assert session.call == 0
    last = len(session.take.calls) - 1
    session.select_call(last)
    step_call(session, 1)
    assert session.call == last


def test_the_same_event_before_and_after(session):
    """Comma and full stop."""
    opened = [call for call in range(len(session.take.calls)) if session.take.event_of_call(call) == "opened"]
    session.select_call(opened[1])
    step_event(session, 1)
    assert session.call == opened[2]
    step_event(session, -1)
    step_event(session, -1)
    assert session.call == opened[0]
    step_event(session, -1)
    assert session.call == opened[0]


def test_following_the_cause(session):
    """The cat woke because the door opened; nothing called the door."""
    cat = next(call for call in range(len(session.take.calls)) if session.take.event_of_call(call) == "opened")
    session.select_call(cat)
    assert session.selection.related >= {cat, cat - 1}
    assert follow_cause(session)
    assert session.take.event_of_call(session.call) == "press"
    assert not follow_cause(session)


def test_selecting_brings_the_frame_into_view(session):
    """The window moves, its width stays."""
    session.set_window(0, 6)
    session.select_column(25)
    first, last = session.visible_columns
    assert first <= 25 <= last
    assert session.high - session.low == pytest.approx(6)


def test_a_finding_is_shown_with_its_frame_call_and_neighbourhood(session):
    """The frozen frame, the slow call in it."""
    freeze = next(finding for finding in session.findings if finding.kind == "freeze")
    session.show_finding(freeze)

    assert session.column == 20
    assert session.take.function_of_call(session.call) == "Oven.on_tick"
    assert session.visible_columns[0] <= 20 <= session.visible_columns[1]


def test_findings_are_stepped_through_in_a_ring():
    """After the last comes the first."""
    tape = shop()
    pair = [tape.bind("bread", "counter#1", "Counter.on_bread") for _ in range(2)]
    tape.frame().heard("bread", *pair)
    session = Session(tape.take())
    session.set_findings(examine(session.take))
    assert len(session.findings) == 2
    seen = [step_finding(session, 1).id for _ in range(3)]
    assert seen == [session.findings[0].id, session.findings[1].id, session.findings[0].id]
    assert step_finding(session, -1).id == session.findings[1].id
    assert session.row_index.flags["twin"].sum() == 2


# --- history -------------------------------------------------------------------------------------


def test_every_jump_can_be_undone(session):
    """Window, frame, call, finding and axis come back."""
    start = (session.low, session.high, session.column, session.call)
    session.select_call(8)
    session.show_finding(session.findings[0])
    session.set_axis_mode(AxisMode.TIME)
    session.set_window(0.01, 0.05)
    for _ in range(4):
        assert session.go_back()
    assert (session.low, session.high, session.column, session.call) == start
    assert session.axis.mode is AxisMode.FRAME
    assert session.finding is None
    assert not session.go_back()
    assert session.go_forward()
    assert session.call == 8


def test_a_run_of_steps_is_undone_at_once(session):
    """Holding an arrow key is one move."""
    session.select_call(8)
    for _ in range(10):
        step_frame(session, 1)
    assert session.column != 8
    session.go_back()
    assert session.call == 8


# --- sieve, folding, order -----------------------------------------------------------------------


def test_sieving_counts_and_hides(session):
    """What does not match fades; hidden, its threads are gone from the rows."""
    all_rows = len(session.rows)
    session.set_sieve("cat")
    assert session.matched_count == 5
    assert len(session.rows) == all_rows
    session.set_hide_unmatched(True)
    assert [session.row_index.label(row)[0] for row in session.rows] == ["cat#1"]
    session.set_sieve("")
    assert len(session.rows) == all_rows
    with pytest.raises(SieveError):
        session.set_sieve("frame:x")
    assert session.sieve.text == ""


def test_classes_fold_and_unfold(session):
    """Two ovens are one row until unfolded."""
    folded = next(row for row in session.rows if row.folded)
    assert session.row_index.label(folded) == ("Oven", "on_tick")
    session.toggle_fold(folded)
    ovens = [row for row in session.rows if session.row_index.label(row)[0].startswith("oven")]
    assert ovens == [Row(False, row.number) for row in ovens]
    assert len(ovens) == 2
    session.toggle_fold(ovens[0])
    assert folded in session.rows
    session.fold_all(False)
    assert not any(row.folded for row in session.rows)
    session.fold_all(True)
    assert folded in session.rows


@pytest.mark.parametrize(
    ("owner", "function", "told"),
    [
        ("cat#1", "Cat.on_door", ("cat#1", "on_door")),
        ("cat#1", None, ("cat#1", "door.opened")),
        (None, "Cat.on_door", ("", "Cat.on_door")),
        (None, None, ("", "door.opened")),
    ],
)
def test_a_row_whose_owner_or_function_no_record_tells_is_named_by_what_there_is(owner, function, told):
    """By its event, or by the class that its function names."""
    tape = Tape().frame().frame()
    tape.heard("door.opened", tape.bind("door.opened", owner, function))
    session = Session(tape.take())
    assert [session.row_index.label(row) for row in session.rows] == [told]


def test_threads_stand_in_the_order_they_run(session):
    """Input before update; a cause before its effect; resting threads last."""
    names = [session.row_index.label(row)[1] for row in session.rows]
    assert names == ["on_press", "on_opened", "on_tick"]
    session.set_window(1, 4.5)
    session.settle()
    assert session.row_index.label(session.rows[0])[1] == "on_tick"


def test_marks_and_measures(session):
    """Frames are marked and gone to; a stretch is measured in frames, time and calls."""
    assert not session.marks.toggle(session.column)
    for column in (3, 12):
        session.select_column(column)
        assert session.marks.toggle(session.column)
    session.select_column(7)
    step_bookmark(session, 1)
    assert session.column == 12
    step_bookmark(session, -1)
    assert session.column == 3
    assert not session.marks.toggle(session.column)
    assert session.marks.columns == [12]
    measure = session.measure(4.5, 2.0)
    assert (measure.frames, measure.calls) == (3, 6)
    assert measure.duration_ns == pytest.approx(2.5 * 16.07e6, rel=0.05)


def test_a_session_of_a_grown_stream_goes_on_where_the_old_one_was():
    """At the end it follows the end; elsewhere it stays."""
    tape = shop()
    old = Session(tape.take(bye=False))
    longer = Session(tape.frames(10).take(bye=False))
    carry_over(longer, old)
    assert longer.high == longer.axis.extent[1]
    old.set_window(5, 9)
    old.set_sieve("cat")
    old.fold_all(False)
    old.set_findings(examine(old.take))
    again = Session(tape.take(bye=False))
    carry_over(again, old)
    assert (again.low, again.high) == (5, 9)
    assert len(again.rows) == len(old.rows) == 4
    assert (again.findings, again.examined) == (old.findings, True)
    assert again.matched_count == old.matched_count


def test_several_peers_share_one_axis():
    """The first peer's frames are the axis; the others' calls go by their time."""
    tape = Tape(peer="host")
    tape("head", opossum=1, peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("bind", b=1, ev="pay", o="till#1", fn="Till.on_pay", p=peer)
    for n in range(4):
        tape("frame", n=n, p="host")("frame", n=n, p="guest").ms(8)
        tape("send", s=n + 1, ev="pay", p="guest")(
            "call", c=n + 1, s=n + 1, b=1, o="till#1", fn="Till.on_pay", p="guest"
        )
        tape("ret", c=n + 1, p="guest").ms(8)
    session = Session(tape.take(bye=False))

    assert session.axis.columns in (4, 5)
    assert len(session.calls_of_column(session.axis.columns - 2)) == 1
    session.select_call(2)
    assert session.column == session.axis.columns - 2
    assert session.row_index.label(session.rows[0]) == ("guest: till#1", "Till.on_pay".rpartition(".")[2])
    session.set_peer(1)
    assert session.axis.peer == 1
    assert session.axis.numbers[session.column] == 2
    assert session.calls_of_column(session.column).tolist() == [2]
    session.set_peer(9)
    assert session.peer == 1


# --- several peers -----------------------------------------------------------------------------------


def session_of_two(frames: int = 6, guest_frames: bool = True) -> Tape:
    """Return a tape of a host and a guest that pay each other."""
    tape = Tape(peer="host")
    tape("head", opossum=1, peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("bind", b=1, ev="pay", o="till#1", fn="Till.on_pay", p=peer)
    for n in range(frames):
        tape("frame", n=n, p="host")
        if guest_frames:
            tape("frame", n=n + 100, p="guest")
        tape("send", s=n + 1, ev="pay", p="host")("call", c=n + 1, s=n + 1, b=1, o="till#1", fn="Till.on_pay", p="host")
        tape.ms(400 if n == 4 else 8)("ret", c=n + 1, eff=1, p="host").ms(8)("idle", p="host")
        if guest_frames:
            tape("idle", p="guest")
    return tape


def test_going_back_goes_back_to_the_other_peers_axis():
    """Changing the peer is a jump like any other: undone, and done again."""
    session = Session(session_of_two().take(bye=False))
    session.select_call(2)
    column = session.column
    session.set_peer(1)
    session.select_column(3)
    assert (session.peer, session.axis.peer) == (1, 1)
    session.go_back()
    session.go_back()
    assert (session.peer, session.axis.peer, session.column, session.call) == (0, 0, column, 2)
    assert session.row_index.column[2] == column
    assert session.go_forward()
    assert (session.peer, session.axis.peer) == (1, 1)


def test_growing_keeps_the_peers_axis_and_what_was_gone_back_from():
    """The guest's frames stay the axis; forward still leads where one was."""
    old = Session(session_of_two().take(bye=False))
    old.set_peer(1)
    old.select_column(2)
    old.select_column(4)
    old.go_back()
    grown = Session(session_of_two(8).take(bye=False))
    carry_over(grown, old)
    assert (grown.peer, grown.axis.peer, grown.column) == (1, 1, 2)
    assert grown.axis.numbers[grown.column] == old.axis.numbers[old.column]
    assert grown.go_forward() and grown.column == 4


def test_a_finding_is_shown_while_the_axis_is_that_of_a_peer_without_frames():
    """There is nowhere to go; nothing raises, and the finding is told."""
    tape = session_of_two(guest_frames=False)
    session = Session(tape.take(bye=False))
    session.set_findings(examine(session.take))
    assert [finding.cause for finding in session.findings] == ["slow-call"]
    session.set_peer(1)
    assert session.axis.peer == 1
    session.show_finding(session.findings[0])
    assert session.finding is session.findings[0]
    session.set_axis_mode(AxisMode.TIME)
    session.fit_selection()
    session.go_back()
    session.set_peer(0)
    session.show_finding(session.findings[0])
    assert session.axis.numbers[session.column] == 4
