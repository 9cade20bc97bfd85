"""Clips: plays laid over each other, and the grid of marks. Layouts are tested without Qt."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum_desk.clips.layout.clips import LEAST_COLUMN_PX, clip_remark, layout_clips, stack_rows
from opossum_desk.clips.layout.plays import Overlaid
from opossum_desk.clips.layout.rows import Sort, clip_rows
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import RowPicture, RowsView
from opossum_desk.state.session import Session
from tape import Stage

LINE_PX = 20.0


def kitchen() -> Stage:
    """A cook lifts with its right hand, which has a mark, and with its left, which lacks it and is waited for; one is cut."""
    stage = Stage()
    ready = stage.bind("tray_up", "cook#1", "Cook.on_tray_up")
    stage.spawn("cook#1", "Cook")
    later = stage.bind("serve", "cook#1", "Cook.on_serve")

    def lift(clip: str, marks: list, cut: bool = False) -> None:
        begin = stage.number_now
        number = stage.play("cook#1", clip, 1.0, marks)
        stage.wait("cook#1", "tray_up")
        delay = stage.arm("delay", "cook#1", "serve", sec=0.25)
        if marks and not cut:
            stage.at(
                begin + 30, do=lambda: [
                    stage("met", w=stage._counts["w"], s=stage.heard("tray_up", ready, via="clip", y=number, mark="tray_up")),
                ],
            )  # fmt: skip
        stage.at(begin + 15, do=lambda: stage.heard("serve", later, via="delay", a=delay))
        stage.at(begin + (20 if cut else 60), do=lambda: stage("stop", y=number, how="cut" if cut else "end"))

    for frame in (10, 100, 200):
        stage.at(frame, do=lambda: lift("lift_right", [["tray_up", 0.5]]))
    stage.at(300, 400, do=lambda: lift("lift_left", []))
    stage.at(500, do=lambda: lift("lift_right", [["tray_up", 0.5]], cut=True))
    return stage.run(1200)


@pytest.fixture
def session() -> Session:
    session = Session(kitchen().take())
    session.set_findings(examine(session.take))
    return session


def drawn(session: Session, width: float = 900.0) -> RowPicture:
    """Return the picture of a session's Clips."""
    known = Overlaid(session.take)
    rows = clip_rows(known, session)
    view = RowsView(width, 700.0, 0.0, 200.0, LINE_PX)
    return layout_clips(known, session, rows, stack_rows(rows, LINE_PX), view, set())


def test_plays_of_one_clip_lie_over_each_other(session):
    """By class and clip, with the length told and the marks planned."""
    known = Overlaid(session.take)
    told = {
        (clip.cls, clip.clip): (len(clip.plays), clip.seconds, [seconds for _, seconds in clip.planned])
        for clip in known.clips
    }
    assert told == {("Cook", "lift_right"): (4, 1.0, [0.5]), ("Cook", "lift_left"): (2, 1.0, [])}


def test_where_marks_really_came_is_reckoned_in_the_clip(session):
    """Three came at half a second, the cut one did not come."""
    known = Overlaid(session.take)
    came = known.came_at[np.isfinite(known.came_at)]
    assert came == pytest.approx([0.5] * 3, abs=0.02)
    assert known.cut.sum() == known.lost.sum() == 1


def test_the_rows_are_clips_and_then_the_grid(session):
    """Worst first within a class."""
    rows = clip_rows(Overlaid(session.take), session)

    assert [row.sort for row in rows] == [Sort.CLASS, Sort.CLIP, Sort.CLIP, Sort.GRID_HEAD, Sort.GRID, Sort.GRID]


def test_the_grid_shows_the_clip_that_lacks_a_mark(session):
    """Filled where a clip has it; hollow and rose where a finding says that it lacks it."""
    assert "missing-mark" in {finding.kind for finding in session.findings}
    picture = drawn(session)
    cells = {
        (picture.label_at(float(run.ys[0])).text, run.via, run.state) for run in picture.dots if run.kind == "play"
    }
    assert cells == {("lift_right", "clip", BeadState.DID), ("lift_left", "wrong", BeadState.IDLE)}


@pytest.mark.parametrize("marks", [1, 3, 6, 7, 9])
def test_the_grid_leaves_no_mark_out_that_has_room(marks):
    """However wide the view: what a width divided by their number loses in rounding is no column."""
    stage = Stage()
    stage.spawn("cook#1", "Cook")
    names = [[f"m{number}", 0.1 * number] for number in range(marks)]
    stage.at(10, do=lambda: stage.play("cook#1", "lift", 1.0, names))
    stage.at(200, do=lambda: stage.play("cook#1", "drop", 1.0, names))
    session = Session(stage.run(400).take())
    for width in range(240, 1100, 7):
        picture = drawn(session, float(width))
        most = int(picture.scale.width / LEAST_COLUMN_PX)
        left_out = [words.text for words in picture.words if words.text.startswith("and ")]
        assert bool(left_out) == (most < marks), width


def test_a_delay_that_acts_beside_a_clip_is_an_arc(session):
    """From where it was set to where it lands, a dot a landing."""
    picture = drawn(session)
    landings = [run for run in picture.dots if run.kind == "send" and run.size == 6.0]
    assert {round(float(run.xs[0])) for run in landings} == {round(picture.scale.x(0.25))}
    arcs = [lines.ends for lines in picture.lines if lines.role in ("via:delay", "rose") and len(lines.ends) == 16]
    assert len(arcs) == 2
    for ends in arcs:
        assert ends[0, 0] == pytest.approx(picture.scale.x(0.0), abs=1)
        assert ends[-1, 2] == pytest.approx(picture.scale.x(0.25), abs=2)


def test_a_wait_that_was_never_met_is_rose(session):
    """It begins with the clip that lacks the mark and reaches its end; those that were met are quiet."""
    picture = drawn(session)
    dashed = {lines.role: lines.ends for lines in picture.lines if lines.dash == "dash" and len(lines.ends)}
    assert set(dashed) == {"quiet", "rose"}
    assert dashed["quiet"][:, 2] == pytest.approx([picture.scale.x(0.5)] * 3, abs=2)


def test_a_cut_is_ragged_where_it_happened(session):
    """Rose, since the mark was still to come."""
    picture = drawn(session)
    ragged = [
        lines
        for lines in picture.lines
        if lines.role == "rose" and lines.width == 1.3 and not lines.dash and len(lines.ends) == 4
    ]
    (cut,) = ragged
    assert cut.ends[0, 0] == pytest.approx(picture.scale.x(20 / 60), abs=2)


def test_what_is_not_in_view_is_faint(session):
    """Only the plays that reach into the visible stretch are solid."""
    session.set_window(0, 80)
    picture = drawn(session)
    marks = [run for run in picture.dots if run.kind == "send" and run.size == 4.6]
    assert sorted((run.faded, len(run.xs)) for run in marks) == [(False, 1), (True, 2)]


def test_what_is_said_below_a_name(session):
    """How often it played, and what findings tell of it."""
    known = Overlaid(session.take)
    told = {row.clip.clip: clip_remark(known, row) for row in clip_rows(known, session) if row.sort is Sort.CLIP}
    assert told["lift_left"][0].startswith("2 plays of cook#1\n") and told["lift_left"][1] == "rose"
    session.set_findings([])
    told = {row.clip.clip: clip_remark(known, row) for row in clip_rows(known, session) if row.sort is Sort.CLIP}
    assert told["lift_right"] == ("4 plays of cook#1\n1 of them cut before a mark", "quiet")
    assert told["lift_left"] == ("2 plays of cook#1\nno marks", "quiet")


def test_the_sieve_goes_by_class_clip_and_mark(session):
    """A clip passes by the name of a mark it has."""
    session.set_sieve("tray_up")
    rows = clip_rows(Overlaid(session.take), session)
    assert {row.clip.clip: row.faded for row in rows if row.sort is Sort.CLIP} == {
        "lift_right": False,
        "lift_left": True,
    }
    session.set_sieve("cls:Nobody")
    session.set_hide_unmatched(True)
    assert "No clip passes" in drawn(session).empty


def test_a_take_without_clips_says_so():
    """With one sentence."""
    session = Session(Stage().run(5).take())
    assert "holds no clips" in drawn(session).empty
