"""The Roster: who listened to what, and whether they were alive. Layouts are tested without Qt."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.heights import HEADER_PX
from opossum_desk.layout.row_picture import RowPicture, RowsView
from opossum_desk.roster.layout.labels import event_remark, listener_remark, stack_rows
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import meant_listeners, meant_rows
from opossum_desk.roster.layout.roster import layout_roster
from opossum_desk.roster.layout.rows import RosterRow, Sort, roster_rows
from opossum_desk.state.session import Session
from tape import Stage

LINE_PX = 20.0


def street() -> Stage:
    """Three lamps listen to dusk: one is unbound as it goes, one stays bound, one is bound twice; dawn is sent too soon."""
    stage = Stage()
    lamps = {}

    def light(name: str) -> None:
        stage.spawn(name, "Lamp")
        lamps[name] = stage.bind("dusk", name, "Lamp.on_dusk")

    def put_out(name: str) -> None:
        stage("unbind", b=lamps[name].number)
        stage("gone", o=name)
        del lamps[name]

    stage.at(5, do=lambda: stage.send("dawn"))
    stage.at(10, do=lambda: [light(name) for name in ("lamp#1", "lamp#2", "lamp#3")])
    stage.at(12, do=lambda: stage.bind("dawn", "cock#1", "Cock.on_dawn"))
    again = []
    stage.at(15, do=lambda: again.append(stage.bind("dusk", "lamp#3", "Lamp.on_dusk")))
    stage.at(20, 40, 60, 80, do=lambda: stage.heard("dusk", *lamps.values(), *again))
    stage.at(50, do=lambda: put_out("lamp#1"))
    stage.at(70, do=lambda: stage("gone", o="lamp#2"))
    stage.at(90, do=lambda: stage.send("nobody_cares"))
    stage.at(95, do=lambda: stage.wait("lamp#3", "noon"))
    return stage.run(100)


def roster(session: Session, *opened: str) -> tuple[RosterListeners, list[RosterRow]]:
    """Return what is known of a session's listeners, and the rows with the named classes open."""
    known = RosterListeners(session.take)
    groups = {key for key in map(known.key_of_group, range(len(known.first_of_group))) if key[2] in opened}
    return known, roster_rows(known, session, groups)


def drawn(session: Session, *opened: str, width: float = 800.0, height: float = 600.0) -> RowPicture:
    """Return the picture of a session's Roster."""
    known, rows = roster(session, *opened)
    meant = meant_rows(known, rows, session.finding, session.findings)
    view = RowsView(width, height, 0.0, 200.0, LINE_PX)
    return layout_roster(known, session, rows, stack_rows(known, rows, LINE_PX), view, meant)


@pytest.fixture
def session() -> Session:
    session = Session(street().take())
    session.set_findings(examine(session.take))
    return session


def texts(known: RosterListeners, rows: list[RosterRow]) -> list[str]:
    """Return the rows in words."""
    words = []
    for row in rows:
        if row.sort is Sort.EVENT:
            words.append(known.take.text(int(known.code_of_event[row.number])))
        elif row.sort is Sort.LISTENER:
            words.append(known.take.text(int(known.owner[row.number])) + (" again" if row.lane else ""))
        elif row.sort is Sort.PILE:
            words.append(f"pile of {len(known.members.rows(row.number))}")
        else:
            words.append(f"{row.sort.value} {row.text}".strip())
    return words


def test_rows_stand_under_their_events_in_order_of_appearance(session):
    """A class is one pile; at the foot, who waits in vain and what nobody listens to."""
    known, rows = roster(session)
    assert texts(known, rows) == [
        "dawn", "cock#1", "dusk", "pile of 3", "foot Waits in vain", "vain", "foot Nobody listens", "nobody_cares",
    ]  # fmt: skip


def test_an_opened_pile_shows_each_listener_and_each_bind_at_once(session):
    """A second bind of the same listener has a row of its own."""
    known, rows = roster(session, "Lamp")
    assert texts(known, rows)[2:8] == ["dusk", "pile of 3", "lamp#1", "lamp#2", "lamp#3", "lamp#3 again"]


def test_what_is_wrong_with_a_listener_is_said(session):
    """Stale, bound again, and nothing for the one that was unbound as it went."""
    known, rows = roster(session, "Lamp")
    told = [listener_remark(known, row)[0] for row in rows if row.sort is Sort.LISTENER]
    assert told == ["", "", "called 1 time after it went", "", "bound again while it was bound"]


def test_sends_that_nobody_heard_are_counted(session):
    """By event; an event that was always heard says nothing."""
    known, rows = roster(session)
    told = {texts(known, [row])[0]: event_remark(known, row.number) for row in rows if row.sort is Sort.EVENT}
    assert told == {
        "dawn": "its one send was heard by nobody",
        "dusk": "",
        "nobody_cares": "its one send was heard by nobody",
    }


def test_a_bar_goes_from_bind_to_unbind_and_is_dotted_past_the_owners_life(session):
    """On the ground of its owner's life."""
    picture = drawn(session, "Lamp")
    label = next(label for label in picture.labels if label.text.startswith("lamp#2"))
    y = label.top + LINE_PX / 2
    edge = picture.scale.left + picture.scale.width

    def ends(role: str, dash: str) -> list[list[float]]:
        return [
            row for lines in picture.lines if (lines.role, lines.dash) == (role, dash) for row in lines.ends.tolist()
            if row[1] == row[3] == y
        ]  # fmt: skip

    (bound,) = ends("via:zone", "")
    (stale,) = ends("rose", "dot")
    begin, gone = (picture.scale.x(frame) for frame in (10, 70))
    assert bound[0] == pytest.approx(begin, abs=1) and bound[2] == pytest.approx(gone, abs=1)
    assert stale[0] == bound[2] and stale[2] >= edge
    ground = next(boxes for boxes in picture.boxes if boxes.role == "choice").boxes
    mine = ground[ground[:, 1] == y - 6.0]
    assert mine[0, 0] == pytest.approx(begin, abs=1) and mine[0, 0] + mine[0, 2] == pytest.approx(gone, abs=1)


def test_a_dot_stands_where_it_was_called(session):
    """Dotted where its owner was gone by then; the dots of a second bind stand on the second bind's row."""
    picture = drawn(session, "Lamp")

    def dots(name: str) -> list[tuple[int, int]]:
        y = next(label for label in picture.labels if label.text == name).top + LINE_PX / 2
        return sorted(
            (int(session.row_index.column[call]), run.state)
            for run in picture.dots
            if run.kind == "call"
            for call, at in zip(run.rows.tolist(), run.ys.tolist(), strict=True)
            if at == y
        )

    assert dots("lamp#1  on_dusk") == [(20, BeadState.DID), (40, BeadState.DID)]
    assert dots("lamp#2  on_dusk")[-1] == (80, BeadState.GONE)
    assert dots("lamp#3  on_dusk") == dots("lamp#3  on_dusk again") == [(n, BeadState.DID) for n in (20, 40, 60, 80)]


def test_a_send_that_nobody_heard_falls(session):
    """In rose where a finding says so, else quietly."""
    picture = drawn(session)
    falling = {lines.role for lines in picture.lines if lines.dash == "dot" and lines.width == 1.2}
    assert falling == {"rose", "quiet"}
    session.set_findings([])
    falling = {lines.role for lines in drawn(session).lines if lines.dash == "dot" and lines.width == 1.2}
    assert falling == {"quiet"}


def test_a_pile_shows_how_many_are_bound_and_how_many_of_them_are_gone(session):
    """As heights over the axis."""
    picture = drawn(session)
    y = next(label for label in picture.labels if label.text.startswith("Lamp ×3")).top + LINE_PX / 2
    base = y + 7.0

    def height_at(role: str, frame: float) -> float:
        pixel = int(picture.scale.x(frame) - picture.scale.left)
        return sum(
            float(bottoms[pixel] - tops[pixel])
            for bars in picture.bars
            for tops, bottoms in zip(bars.tops, bars.bottoms, strict=True)
            if bars.role == role and bottoms[pixel] == base
        )

    # three lamps, the third bound twice; then one unbound; then one gone and bound still
    assert height_at("via:zone", 30) == pytest.approx(14.0)
    assert height_at("via:zone", 55) == pytest.approx(14.0 * 3 / 4)
    assert [height_at("rose", frame) for frame in (30, 75)] == pytest.approx([0.0, 14.0 / 4])


def test_the_sieve_fades_and_hides(session):
    """By the calls of a listener, or by the names of one that was never called."""
    session.set_sieve("o:cock#1")
    known, rows = roster(session, "Lamp")
    assert [name for name, row in zip(texts(known, rows), rows, strict=True) if not row.faded and row.sort is not Sort.FOOT] == [
        "dawn", "cock#1",
    ]  # fmt: skip
    session.set_hide_unmatched(True)
    assert texts(*roster(session, "Lamp")) == ["dawn", "cock#1"]
    session.set_sieve("nothing_like_it")
    assert "Nothing passes the sieve" in drawn(session).empty


def test_the_chosen_finding_lights_its_rows(session):
    """The stale one its listener, the twice bound one its binds, the unheard one its event."""
    known, rows = roster(session, "Lamp")
    by_cause = {finding.cause: finding for finding in session.findings}
    owners = {
        cause: {known.take.text(int(known.owner[listener])) for listener in meant_listeners(known, finding)}
        for cause, finding in by_cause.items()
    }
    assert owners["called-after-gone"] == {"lamp#2"} and owners["bound-twice"] == {"lamp#3"}
    lit = meant_rows(known, rows, by_cause["sent-before-bind"], session.findings)
    assert texts(known, [rows[place] for place in sorted(lit.places)])[0] == "dawn"


def test_a_take_in_which_nobody_listens_says_so():
    """With one sentence."""
    stage = Stage()
    assert "no bind was recorded" in drawn(Session(stage.run(10).take())).empty


def test_many_sends_and_calls_cost_no_more_than_the_pixels():
    """Thousands in view become at most one tick and one dot a pixel, and the one that nobody heard stays."""
    stage = Stage()
    horn = stage.bind("beep", "horn#1", "Horn.on_beep")
    stage.each(lambda number: stage.heard("beep", horn) if number != 1500 else stage.send("beep"))
    session = Session(stage.run(3000).take())
    picture = drawn(session, width=500.0)
    dots = [run for run in picture.dots if run.kind == "call"]
    assert sum(len(run.xs) for run in dots) <= 300
    ticks = picture.bars[0].bottoms[0] - picture.bars[0].tops[0]
    assert len(ticks) == 300 and 250 <= np.count_nonzero(ticks) <= 300
    assert not [lines for lines in picture.lines if lines.role == "ink"]
    (fall,) = [lines for lines in picture.lines if lines.dash == "dot"]
    assert fall.ends[0, 0] == pytest.approx(picture.scale.x(1500), abs=1.5)


def test_only_what_is_seen_is_drawn():
    """Hundreds of events, of which a screen holds a few."""
    stage = Stage()
    for number in range(300):
        bound = stage.bind(f"event_{number:03}", "box#1", "Box.on_event")
        stage.at(5, do=lambda number=number, bound=bound: stage.heard(f"event_{number:03}", bound))
    session = Session(stage.run(20).take())
    rows = roster(session)[1]
    assert len(rows) == 600
    picture = drawn(session, height=400.0)
    assert len(picture.labels) <= np.ceil((400.0 - HEADER_PX) / LINE_PX) + 1


def test_sends_are_placed_alike_by_column_and_by_moment():
    """Where many frames share a pixel, sends are looked up by their frames; no send is lost, none is a pixel off."""
    stage = Stage()
    lamp = stage.bind("dusk", "lamp#1", "Lamp.on_dusk")
    stage.each(lambda n: n % 7 == 3 and stage.heard("dusk", lamp))
    session = Session(stage.run(6000).take())
    known, _ = roster(session)
    level = known.sends_by_column(session.axis)
    dusk = next(place for place, code in enumerate(known.code_of_event.tolist()) if known.take.text(code) == "dusk")
    columns = np.arange(0, session.axis.columns + 1, 11)
    start = int(known.sends.starts[dusk])
    by_moment = np.searchsorted(
        known.send_times[start : int(known.sends.starts[dusk + 1])], session.axis.starts_ns[columns]
    )
    assert (level.places(dusk, columns) - start).tolist() == by_moment.tolist()
    session.show_all()
    (row,) = [run for run in drawn(session).things if run.kind == "send" and len(run.xs) > 100]
    assert set(np.asarray(known.take.tables["send"]["ev"])[row.rows].tolist()) == {known.take.code("dusk")}
