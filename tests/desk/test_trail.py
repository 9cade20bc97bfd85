"""The Trail: the whole chain of causes and effects of a call, as a list, a line, and something to walk."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from test_window import bakery

from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.layout.trail_line import trail_line
from opossum_desk.layout.heights import HEADER_PX, ROW_PX
from opossum_desk.state.session import Session
from opossum_desk.state.stepping import toggle_trail, walk_trail
from opossum_desk.state.trail import MOST_CAUSES, MOST_EFFECTS, Trail, calls_by_cause
from opossum_desk.take_area.layout.frame import layout_frame
from opossum_desk.take_area.layout.trail_list import layout_trail
from tape import Stage, Tape

__all__ = ["bakery"]


def mill() -> Stage:
    """A lever sets a delay; ten frames later it opens the sluice, which turns the wheel and wets the mouse."""
    stage = Stage()
    lever = stage.bind("pull", "lever#1", "Lever.on_pull")
    sluice = stage.bind("open", "sluice#1", "Sluice.on_open")
    wheel = stage.bind("flow", "wheel#1", "Wheel.on_flow")
    mouse = stage.bind("flow", "mouse#1", "Mouse.on_flow")
    arms = []
    stage.at(
        5, do=lambda: stage.inside(stage.send("pull", via="input"), lever, lambda c: arms.append(stage.arm("delay", "sluice#1", "open", sec=0.16, c=c)))
    )  # fmt: skip

    def land() -> None:
        s = stage.send("open", via="delay", a=arms[0])
        stage.inside(
            s, sluice, lambda c: [stage.call(f, who) for f in [stage.send("flow", c=c)] for who in (wheel, mouse)]
        )

    stage.at(15, do=land)
    return stage.run(30)


def names(session: Session, trail: Trail) -> list[tuple[int, str]]:
    """Return (depth, function) of each hop."""
    return [(hop.depth, session.take.function_of_call(hop.call)) for hop in trail.hops]


@pytest.fixture
def session() -> Session:
    return Session(mill().take())


def call_of(session: Session, function: str) -> int:
    """Return the first call of a function."""
    return next(call for call in range(len(session.take.calls)) if session.take.function_of_call(call) == function)


def test_it_goes_through_the_delay_and_to_all_that_sprang_from_it(session):
    """Causes from the outermost on, then the call, then its effects; each with the time since the one it sprang from."""
    session.select_call(call_of(session, "Sluice.on_open"))
    toggle_trail(session)
    trail = session.trail
    assert names(session, trail) == [
        (0, "Lever.on_pull"),
        (1, "Sluice.on_open"),
        (2, "Wheel.on_flow"),
        (2, "Mouse.on_flow"),
    ]
    assert [hop.of for hop in trail.hops] == [-1, 0, 1, 1]
    assert trail.hops[1].after_ns == pytest.approx(10 / 60 * 1e9, rel=0.01)
    toggle_trail(session)
    assert session.trail is None


def test_it_is_walked_hop_by_hop_and_ends_when_one_goes_elsewhere(session):
    """Enter goes on, Shift+Enter back; another call than its own ends it."""
    session.select_call(call_of(session, "Lever.on_pull"))
    session.show_trail(session.call)
    seen = [session.take.function_of_call(session.call)]
    while walk_trail(session, 1):
        seen.append(session.take.function_of_call(session.call))
    assert seen == ["Lever.on_pull", "Sluice.on_open", "Wheel.on_flow", "Mouse.on_flow"]
    assert walk_trail(session, -1) and session.take.function_of_call(session.call) == "Wheel.on_flow"
    stage = mill()
    other = stage.bind("x", "other#1", "Other.on_x")
    stage.at(35, do=lambda: stage.heard("x", other))
    session = Session(stage.run(10).take())
    session.show_trail(call_of(session, "Lever.on_pull"))
    session.select_call(call_of(session, "Other.on_x"))
    assert session.trail is None


def test_the_list_tells_frames_and_time_between_hops(session):
    """In the panel of the frame, under what led to it, the call, and what sprang from it."""
    session.select_call(call_of(session, "Sluice.on_open"))
    session.show_trail(session.call)
    told = layout_trail(session, session.trail)
    assert told.title == "Trail" and told.subtitle.startswith("4 calls over ")
    assert [row.text for row in told.rows if row.kind == "phase"] == [
        "what led to it",
        "the call",
        "what sprang from it",
    ]
    times = [row.time for row in told.rows if row.kind == "call"]
    assert (
        times[0] == "frame 5"
        and times[1].startswith("+166.")
        and times[1].endswith("ms · 10 frames")
        and times[2].startswith("+")
    )


def test_its_line_joins_the_beads(session):
    """From each hop to what sprang from it, at their rows' heights, those scrolled away too."""
    session.select_call(call_of(session, "Sluice.on_open"))
    session.show_trail(session.call)
    session.set_window(0, 20)
    session.settle()
    picture = layout_loom(session, 900, 400, 0)
    ends = trail_line(session, picture, 0)
    assert len(ends) == 3
    heights = {line.function: line.top + ROW_PX / 2 for line in picture.lines}
    assert ends[0, [1, 3]].tolist() == [heights["on_pull"], heights["on_open"]]
    beads = dict(zip(picture.beads.call.tolist(), picture.beads.x.tolist(), strict=True))
    assert ends[0, 0] == beads[call_of(session, "Lever.on_pull")]
    scrolled = trail_line(session, layout_loom(session, 900, 400, ROW_PX), ROW_PX)
    assert (scrolled[:, 1] == ends[:, 1] - ROW_PX).all()
    session.show_trail(-1)
    assert len(trail_line(session, picture, 0)) == 0
    assert heights["on_pull"] > HEADER_PX


def test_what_crosses_the_net_belongs_to_it():
    """The same send heard on another peer sprang from the first."""
    tape = Tape()
    tape("head", opossum=1, game="test", peer="client", p="client").frame()("frame", n=0, p="client")
    tape("send", s=1, ev="hit", net="hit-7")("call", c=1, s=1, o="cat#1", fn="Cat.on_hit")("ret", c=1)
    tape("send", s=1, ev="hit", net="hit-7", via="net", p="client")
    tape("call", c=1, s=1, o="cat#1", fn="Cat.shows_hit", p="client")("ret", c=1, p="client")
    session = Session(tape.take())
    session.show_trail(0)
    assert names(session, session.trail) == [(0, "Cat.on_hit"), (1, "Cat.shows_hit")]


def test_a_trail_that_is_cut_says_so():
    """How many there are beyond what is listed is not known, so no number is told."""
    stage = Stage()
    root = stage.bind("go", "root#1", "Root.on_go")
    ears = [stage.bind("all", f"ear#{n}", "Ear.on_all") for n in range(MOST_EFFECTS + 50)]
    stage.at(
        5,
        do=lambda: stage.inside(
            stage.send("go"), root, lambda c: [stage.call(s, ear) for s in [stage.send("all", c=c)] for ear in ears]
        ),
    )
    session = Session(stage.run(10).take())
    trail = Trail(session.take, 0, calls_by_cause(session.take))
    assert len(trail.hops) <= MOST_EFFECTS + 2 and trail.left_out and not trail.begins_earlier
    assert "more sprang from it than are listed" in layout_trail(session, trail).subtitle
    few = Trail(session.take, len(session.take.calls) - 1, calls_by_cause(session.take))
    assert not few.left_out and ";" not in layout_trail(session, few).subtitle


def test_causes_beyond_the_first_listed_are_said():
    """A chain longer than is listed does not seem to begin where the list does."""
    stage = Stage()
    bound = stage.bind("again", "echo#1", "Echo.on_again")

    def deeper(left: int, cause: int | None = None) -> None:
        sent = stage.send("again") if cause is None else stage.send("again", c=cause)
        if left:
            stage.inside(sent, bound, lambda c: deeper(left - 1, c))

    stage.at(5, do=lambda: deeper(MOST_CAUSES + 20))
    session = Session(stage.run(10).take())
    groups = calls_by_cause(session.take)
    for call, earlier in ((MOST_CAUSES - 1, False), (MOST_CAUSES, True)):
        trail = Trail(session.take, call, groups)
        assert trail.begins_earlier is earlier
        assert ("it begins earlier" in layout_trail(session, trail).subtitle) is earlier


def test_the_keys_show_walk_and_end_it(bakery, qtbot):
    """E shows it, Enter and Shift+Enter walk it, Escape ends it; the panel Frame lists it meanwhile."""
    session, loom = bakery.session, bakery.take_area.flow.loom
    loom.setFocus()
    qtbot.keyClick(loom, Qt.Key.Key_E)
    assert "Select a call first" in bakery.told.toolTip()
    call = int(np.flatnonzero(session.take.causes >= 0)[0])
    session.select_call(call)
    qtbot.keyClick(loom, Qt.Key.Key_E)
    assert session.trail is not None and bakery.take_area.frame.picture.title == "Trail"
    before = session.call
    qtbot.keyClick(loom, Qt.Key.Key_Return, Qt.KeyboardModifier.ShiftModifier)
    assert session.call == session.take.causes[before]
    qtbot.keyClick(loom, Qt.Key.Key_Return)
    assert session.call == before
    assert not loom.grab().isNull() and not bakery.take_area.frame.grab().isNull()
    qtbot.keyClick(loom, Qt.Key.Key_Escape)
    assert session.trail is None and bakery.take_area.frame.picture.title.startswith("Frame")


def test_data_and_values_are_told_on_request():
    """The data of each send below its call, and what the values are when the frame ends."""
    stage = Stage()
    till = stage.bind("pay", "till#1", "Till.on_pay")
    stage.at(
        3,
        do=lambda: stage.inside(
            stage.send("pay", d={"coins": 7}), till, lambda c: stage("watch", o="till#1", name="sum", v=7)
        ),
    )
    stage.at(4, do=lambda: stage("watch", o="till#1", name="sum", v=9))
    session = Session(stage.run(8).take())
    session.select_column(int(session.axis.columns_of_times(session.take.calls.start_ns[:1])[0]))
    assert not [row for row in layout_frame(session).rows if row.kind == "data"]
    session.show_data(True)
    rows = layout_frame(session).rows
    assert [row.text for row in rows if row.kind == "data"] == ['{"coins":7}', "till#1 sum = 7, set by Till.on_pay"]
    session.select_column(session.column + 1)
    assert layout_frame(session).rows[-1].text == "till#1 sum = 9"
