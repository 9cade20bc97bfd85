"""What findings add to the Loom: falling ticks, how far beside, and the rows that are meant."""

from __future__ import annotations

from dataclasses import replace

from findings.scenes import clips, hearing, order, timing
from opossum.findings.examine import examine
from opossum.findings.finding import Subject
from opossum_desk.flow.layout.finding_marks import finding_marks
from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.layout.strand_order import order_strands, strands_of
from opossum_desk.flow.layout.strand_rows import gather_strands
from opossum_desk.layout.heights import HEADER_PX, ROW_PX
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.story import story_html
from tape import Stage


def shown(stage: Stage, frames: int, choose: bool = True) -> Session:
    """Return a session on a scene, its first finding chosen."""
    take = stage.run(frames).take()
    session = Session(take)
    session.set_findings(examine(take))
    if choose:
        session.show_finding(session.findings[0])
    session.settle()
    return session


def test_a_send_that_nobody_heard_falls_from_its_senders_row():
    """Sent from a call, it hangs on that call's row; sent from none, at the top."""
    stage = Stage()
    lever = stage.bind("pull", "lever#1", "Lever.on_pull")
    stage.bind("vent_open", "fan#1", "Fan.spin")
    stage.at(
        100, do=lambda: stage.inside(stage.send("pull"), lever, lambda c: stage.send("Vent_Open", o="lever#1", c=c))
    )
    stage.at(105, do=lambda: stage.send("Vent_Open"))
    session = shown(stage, 300)
    picture = layout_loom(session, 900, 400, 0)
    marks = finding_marks(session, picture)

    row = next(line for line in picture.lines if line.owner == "lever#1")
    assert len(marks.falling) == 2
    (x, y), (other_x, other_y) = marks.falling
    assert (y, other_y) == (row.top + ROW_PX / 2, HEADER_PX - 6)
    assert picture.scale.left < x < other_x
    assert picture.lines[marks.lit[0]].owner == "lever#1"


def test_a_send_from_no_call_falls_from_a_row_of_its_sender_that_is_shown():
    """Not from one that is folded away at rest; from the header where all of them are, and from none that is scrolled away."""
    stage = Stage()
    once, often = (stage.bind(name, "lever#1", f"Lever.on_{name}") for name in ("oil", "push"))
    idle = [stage.bind("dusk", f"lamp#{number}", f"Lamp.on_dusk_{number}") for number in range(8)]
    stage.bind("vent_open", "fan#1", "Fan.spin")
    stage.at(5, do=lambda: stage.heard("oil", once))
    stage.at(8, do=lambda: stage.heard("dusk", *idle))
    stage.at(95, 105, do=lambda: stage.heard("push", often))
    stage.at(100, 200, do=lambda: stage.send("Vent_Open", o="lever#1"))
    session = shown(stage, 300)
    picture = layout_loom(session, 900, 400, 0)
    row = next(line for line in picture.lines if line.function == "on_push")
    assert [y for _, y in finding_marks(session, picture).falling] == [row.top + ROW_PX / 2]
    assert finding_marks(session, layout_loom(session, 900, 400, 5 * ROW_PX)).falling == []

    session.set_window(190.0, 210.0)
    session.settle()
    assert [y for _, y in finding_marks(session, layout_loom(session, 900, 400, 0)).falling] == [HEADER_PX - 6]
    session.show_resting(True)
    picture = layout_loom(session, 900, 400, 0)
    rows = {line.top + ROW_PX / 2 for line in picture.lines if line.owner == "lever#1"}
    ((_, y),) = finding_marks(session, picture).falling
    assert y in rows


def test_rows_that_the_finding_is_about_do_not_fold_away_while_they_rest():
    """Right above the line for the others; once it is let go, they fold with them."""
    stage = Stage()
    often = stage.bind("push", "lever#1", "Lever.on_push")
    idle = [stage.bind(f"dusk_{number}", f"lamp#{number}", f"Lamp.on_dusk_{number}") for number in range(8)]
    stage.bind("vent_open", "fan#1", "Fan.spin")
    for number, bind in enumerate(idle):
        stage.at(8, do=lambda number=number, bind=bind: stage.heard(f"dusk_{number}", bind))
    stage.at(95, 105, do=lambda: stage.heard("push", often))
    stage.at(100, do=lambda: stage.send("Vent_Open"))
    session = shown(stage, 300)
    assert (session.awake, len(session.rows)) == (1, 9)
    session.selection.finding = replace(session.finding, subject=Subject(ev="dusk_5"))
    session.order_rows()
    picture = layout_loom(session, 900, 400, 0)
    assert [line.function for line in picture.lines] == ["on_push", "on_dusk_5"] and picture.resting.rows == 7
    assert finding_marks(session, picture).lit == [1]
    told: list[str] = []
    session.subscribe("rows", lambda: told.append("rows"))
    session.without([])
    assert session.awake == 1 and told == ["rows"]


def test_a_landing_is_joined_to_the_mark_it_missed():
    """By a line from where it was due to where it came, with the offset; only while its finding is chosen."""
    stage = Stage()
    frames = clips.a_delay_lands_before_the_mark(stage)
    session = shown(stage, frames)
    picture = layout_loom(session, 900, 400, 0)
    (due, came, y, text), *_ = finding_marks(session, picture).beside

    assert came < due and text == "-300 ms"
    assert y in [line.top + ROW_PX / 2 for line in picture.lines if line.owner == "cook#1"]
    session.selection.finding = None
    assert finding_marks(session, picture).beside == []


def test_an_order_that_flips_lights_both_rows():
    """The one that usually comes first, and the other."""
    stage = Stage()
    session = shown(stage, order.cart_and_camera_change_places(stage))
    picture = layout_loom(session, 900, 400, 0)

    lit = {picture.lines[place].owner for place in finding_marks(session, picture).lit}
    assert lit == {"cart#1", "camera#1"}


def test_a_finding_without_a_call_lights_the_rows_of_whom_it_names():
    """By function and class: not who else hears the event, and nobody where it names neither event nor function."""
    stage = Stage()
    session = shown(stage, hearing.guests_bind_now_before_now_after_the_wave(stage))
    picture = layout_loom(session, 900, 400, 0)

    assert session.finding.cause == "by-luck" and session.call < 0
    assert {picture.lines[place].owner for place in finding_marks(session, picture).lit} == {"Guest"}
    named = replace(session.finding, subject=Subject(ev="wave_begins"))
    assert len(session.rows_meant(named)) == 2
    assert session.rows_meant(replace(session.finding, subject=Subject(cls="Guest", clip="wave"))) == set()


def test_a_crossed_level_lights_the_value_that_crossed_it():
    """And puts it first: it is known by the records that prove the finding, not by a name in it."""
    stage = Stage()
    session = shown(stage, timing.one_silo_of_two_is_filled_at_once(stage))
    rows = [strand.row for strand in order_strands(session, gather_strands(session.take))]

    assert session.finding.cause == "level"
    assert [rows[place].label for place in strands_of(session, rows)] == ["silo#2 flour"] == [rows[0].label]


def test_the_story_names_what_the_list_names():
    """A clip too; where nothing is named, the game's own thread."""
    stage = Stage()
    session = shown(stage, clips.a_delay_lands_before_the_mark(stage))
    finding = replace(session.findings[0], subject=Subject(clip="wave", mark="up"))
    assert "<b>wave</b> – lands before its mark" in story_html(session, finding, "#000", "#777", "#c00")
    finding = replace(finding, subject=Subject())
    assert "<b>the game&#x27;s thread</b> – lands" in story_html(session, finding, "#000", "#777", "#c00")


def test_what_lies_outside_the_window_costs_nothing():
    """No tick is laid out that could not be seen."""
    stage = Stage()
    frames = hearing.a_name_in_other_letters(stage)
    session = shown(stage, frames, choose=False)
    session.set_window(10, 40)
    session.settle()
    assert finding_marks(session, layout_loom(session, 900, 400, 0)).falling == []


def test_what_is_left_out_is_written_beside_the_take_and_counts_again(tmp_path):
    """From the Story's links; the last wish is undone first."""
    from opossum_desk.state.leaving_out import count_again, leave_out
    from opossum_desk.state.uncounting import WishesOfTake

    stage = Stage()
    session = shown(stage, hearing.a_name_in_other_letters(stage))
    session.wishes = WishesOfTake(str(tmp_path / "night.take"))
    finding = session.findings[0]
    assert 'href="uncount:ev"' in story_html(session, finding, "#000", "#777", "#c00")

    told = leave_out(session, finding, "ev")
    assert session.findings == [] and session.finding is None
    assert told == f"written to {tmp_path / 'opossum.toml'}"
    assert 'ev = "Vent_Open"' in (tmp_path / "opossum.toml").read_text()
    assert count_again(session) and session.findings == [finding]
    assert not (tmp_path / "opossum.toml").exists()
    assert not count_again(session)


def test_where_nothing_can_be_written_it_is_left_out_for_now(tmp_path):
    """And that is said."""
    from opossum_desk.state.leaving_out import leave_out
    from opossum_desk.state.uncounting import WishesOfTake

    stage = Stage()
    session = shown(stage, hearing.a_name_in_other_letters(stage))
    session.wishes = WishesOfTake(str(tmp_path / "no" / "folder" / "night.take"))
    told = leave_out(session, session.findings[0], "ev")
    assert session.findings == [] and told.startswith("only for now: ") and "cannot be written" in told
