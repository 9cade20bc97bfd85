"""The weaves on the desk, driven as a user drives them: rail, keys, mouse, history."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt, QUrl
from PySide6.QtWidgets import QMenu
from test_window import bakery, has_colour, opened, picture

from moonrise_bakery.night import record_night
from opossum.findings.catalogue import KINDS, weave_of
from opossum.rehearse.rehearsal import rehearse
from opossum_desk.layout.colours import DAY, NIGHT
from opossum_desk.layout.heights import HEADER_PX
from opossum_desk.rules_on_desk import check_files
from opossum_desk.weaves import WEAVES
from opossum_desk.weaving import gathered_weave
from tape import Stage

__all__ = ["bakery"]
NAMES = [weave.name for weave in WEAVES]
GATHERED = ["roster", "pacing", "clips"]
"""Those that show what is gathered of the take alone."""
ROWS = [*GATHERED, "compare", "rules"]
BAKERY_RULES = Path(__file__).parents[2] / "docs" / "examples" / "bakery.rules"


def finding_of(desk, cause: str):
    """Return the first finding of a cause."""
    return next(finding for finding in desk.session.findings if finding.cause == cause)


def canvas(desk, name: str):
    """Return a weave's canvas, the weave being shown and having something to show."""
    session = desk.session
    if name == "compare" and session.beside.comparison is None:
        told = rehearse(session.take, finding_of(desk, "bound-twice"), session.findings)
        session.beside.show(told.comparison, told.lines())
    if name == "rules" and (session.rules.checked is None or not session.rules.checked.files):
        desk.takes.rules.stop()
        session.rules.show(check_files(session, [BAKERY_RULES]))
    session.choose_weave(name)
    return desk.take_area.weave(name).focusable()[0]


def test_every_kind_and_cause_names_a_weave_that_there_is():
    """What proves a finding is declared with it."""
    for kind in KINDS:
        for cause in kind.causes:
            assert weave_of(kind.name, cause.name) in NAMES, (kind.name, cause.name)


@pytest.mark.parametrize("name", NAMES)
def test_the_rail_goes_to_a_weave_and_back_undoes_it(bakery, qtbot, name):
    """Pulse, findings, Frame and Story stay; one looks at the same frames, and Backspace goes back."""
    session = bakery.session
    session.select_column(792)
    session.choose_weave(NAMES[-1] if name == NAMES[0] else NAMES[0])
    before = session.weave, session.low, session.high, session.column
    qtbot.mouseClick(bakery.rail.buttons[name], Qt.MouseButton.LeftButton)
    assert session.weave == name
    assert bakery.take_area.middle.currentWidget() is bakery.take_area.weave(name)
    assert bakery.rail.buttons[name].isChecked()
    assert (session.low, session.high, session.column) == before[1:]
    session.go_back()
    assert (session.weave, session.low, session.high, session.column) == before
    assert bakery.rail.buttons[before[0]].isChecked()


@pytest.mark.parametrize("name", ["flow", *ROWS])
def test_names_are_written_anew_where_they_change(bakery, qtbot, name):
    """Panning leaves them as they are; the look, the selection or the row walked to shows in them at once."""
    view = canvas(bakery, name)
    qtbot.waitUntil(view.isVisible, timeout=10_000)
    bakery.session.set_window(700.0, 800.0)
    bakery.session.settle()

    def labels():
        return picture(view)[int(HEADER_PX) + 2 : -4, 4 : int(view.label_px) - 10]

    before = labels()
    bakery.session.pan(0.2)
    assert np.array_equal(labels(), before)
    if name == "flow":
        call = next(line for line in view.current().lines if not line.rests).row
        bakery.session.select_call(int(bakery.session.row_index.calls_of(call)[0]))
        bakery.session.set_window(700.0, 800.0)
    else:
        view.walk_to(min(1, len(view.stack) - 1))
    assert not np.array_equal(labels(), before)
    bakery.look.choose("night")
    assert has_colour(labels(), NIGHT.paper) and not has_colour(before, NIGHT.paper)


def test_clicking_the_chosen_finding_again_goes_where_it_is_proved(bakery, qtbot):
    """The first click shows it here, the second in its weave."""
    listed = bakery.take_area.findings
    item = next(item for item in listed.items() if "called after" in item.text())
    listed.scrollTo(item.index())
    at = listed.visualRect(item.index()).center()
    qtbot.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert bakery.session.finding.cause == "called-after-gone" and bakery.session.weave == "flow"
    qtbot.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert bakery.session.weave == "roster"
    qtbot.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert bakery.session.weave == "roster"


def test_the_story_offers_the_weave_that_proves_it(bakery):
    """In its own words, and no more once one is there; P does the same."""
    session, story = bakery.session, bakery.take_area.story
    session.show_finding(finding_of(bakery, "called-after-gone"))
    assert "See the lives" in story.toPlainText()
    story.anchorClicked.emit(QUrl("weave:roster"))
    assert session.weave == "roster" and "See the lives" not in story.toPlainText()
    session.show_finding(finding_of(bakery, "every-frame"))
    assert "See how regular" in story.toPlainText()


@pytest.mark.parametrize(("cause", "weave"), [("every-frame", "pacing"), ("early", "clips"), ("slow-call", "flow")])
def test_p_goes_where_a_finding_is_proved(bakery, qtbot, cause, weave):
    """By keyboard, from wherever one is; without a finding it says what to do."""
    view = canvas(bakery, "roster")
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_P)
    assert "Choose a finding first" in bakery.told.toolTip()
    bakery.session.show_finding(finding_of(bakery, cause))
    qtbot.keyClick(view, Qt.Key.Key_P)
    assert bakery.session.weave == weave


def test_all_frames_of_a_finding_are_in_view_where_lives_are_looked_at(bakery):
    """In the Roster the first frame alone proves nothing."""
    session = bakery.session
    finding = finding_of(bakery, "called-after-gone")
    session.show_finding(finding)
    assert session.visible_columns[1] - session.visible_columns[0] < 60
    session.choose_weave("roster")
    columns = session.axis_columns(finding.frame_rows)
    assert session.visible_columns[0] <= columns[0] and columns[-1] <= session.visible_columns[1]


@pytest.mark.parametrize("name", ROWS)
def test_a_weave_is_walked_and_read_by_keys_alone(bakery, qtbot, name):
    """Shift+Down walks the rows and says what each is; End and Home go to the ends; the rest of the keys stay the desk's."""
    view = canvas(bakery, name)
    view.setFocus()
    assert view.summary() == view.accessibleDescription() and view.summary().endswith(".")
    assert view.accessibleName() and view.whatsThis()
    said = []
    for _ in range(4):
        qtbot.keyClick(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
        said.append(bakery.told.toolTip())
        assert view.accessibleDescription() in said[-1]
    assert len(set(said)) == 4 and view.cursor_row == 3
    qtbot.keyClick(view, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert view.cursor_row == 2
    qtbot.keyClick(view, Qt.Key.Key_End)
    assert view.scroll_bar.value() == view.scroll_bar.maximum()
    qtbot.keyClick(view, Qt.Key.Key_Home)
    assert view.scroll_bar.value() == 0
    qtbot.keyClick(view, Qt.Key.Key_N)
    assert bakery.session.finding is not None


def test_a_pile_is_opened_and_folded_by_f_and_stays_open_by_name(bakery, qtbot):
    """The row cursor stays on it."""
    view = canvas(bakery, "roster")
    pile = next(place for place, row in enumerate(view.rows) if row.sort.value == "pile")
    rows = len(view.rows)
    view.walk_to(pile)
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_F)
    assert len(view.rows) > rows and view.rows[view.cursor_row].opened
    bakery.take_area.weave("roster").set_session(bakery.session)
    assert len(view.rows) > rows
    qtbot.keyClick(view, Qt.Key.Key_F)
    assert len(view.rows) == rows


@pytest.mark.parametrize("name", GATHERED)
def test_clicking_a_dot_selects_what_it_stands_for(bakery, qtbot, name):
    """A call, the first call of a send, or the frame where a clip began."""
    view = canvas(bakery, name)
    drawn = view.current()
    run = next(run for run in drawn.dots if len(run.xs) and run.rows[0] >= 0 and HEADER_PX < run.ys[0] < view.height())
    at = QPoint(round(float(run.xs[0])), round(float(run.ys[0])))
    qtbot.mouseMove(view, at)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
    assert bakery.session.column >= 0
    assert bakery.session.call >= 0 or run.kind != "call"


def test_an_empty_spot_selects_its_frame_but_not_where_x_is_no_moment(bakery, qtbot):
    """In Clips x is the place within the clip."""
    for name, selects in (("roster", True), ("clips", False)):
        bakery.session.select_column(0)
        view = canvas(bakery, name)
        y = view.height() - 30
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() - 60, y))
        assert (bakery.session.column != 0) is selects


@pytest.mark.parametrize("name", ROWS)
def test_every_row_has_something_that_can_be_done_with_it(bakery, name):
    """Behind the right button; doing it raises nothing."""
    view = canvas(bakery, name)
    for row in range(len(view.stack)):
        menu = QMenu()
        view.add_row_actions(menu, row)
        assert view.describe_row(row)
        for action in menu.actions()[:1]:
            action.trigger()


@pytest.mark.parametrize("look", ["day", "night"])
@pytest.mark.parametrize("name", ROWS)
def test_what_is_wrong_is_rose_by_day_and_by_night(bakery, name, look):
    """In each weave, with a finding of its own chosen."""
    cause = {"roster": "called-after-gone", "pacing": "every-frame", "clips": "early"}.get(name, "bound-twice")
    bakery.choose_look(look)
    bakery.session.show_finding(finding_of(bakery, cause))
    view = canvas(bakery, name)
    assert has_colour(picture(view), (DAY if look == "day" else NIGHT).rose)


@pytest.mark.parametrize("name", GATHERED)
def test_each_kind_of_finding_is_shown_in_each_weave(bakery, name):
    """Whatever is chosen, it is painted, and its rows are brought into view where the weave has any."""
    view = canvas(bakery, name)
    for finding in bakery.session.findings:
        bakery.session.show_finding(finding)
        assert not view.grab().isNull()
        labels = view.current().labels
        if weave_of(finding.kind, finding.cause) == name:
            assert any(label.lit for label in labels), finding.id


@pytest.mark.parametrize("name", ROWS)
@pytest.mark.parametrize(("width", "height"), [(1024, 640), (2560, 1440)])
def test_it_is_whole_on_small_and_large_screens(bakery, qtbot, name, width, height):
    """No label is wider than its share, and the rows have room."""
    view = canvas(bakery, name)
    bakery.resize(width, height)
    qtbot.wait(20)
    view.grab()
    assert view.width() > 300 and view.label_px <= max(180, view.width() * 0.42 + 1)


@pytest.mark.parametrize("name", GATHERED)
def test_an_empty_take_has_a_face(desk, qtbot, tmp_path, name):
    """One sentence, and nothing raised by keys or mouse."""
    path = tmp_path / "empty.flow.jsonl"
    path.write_bytes(Stage().run(3).bytes())
    opened(desk, qtbot, path)
    view = canvas(desk, name)
    assert view.current().empty.endswith(".")
    view.setFocus()
    for key in (Qt.Key.Key_Down, Qt.Key.Key_F, Qt.Key.Key_N):
        qtbot.keyClick(view, key, Qt.KeyboardModifier.ShiftModifier)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 100))
    assert not view.grab().isNull()


@pytest.mark.parametrize("name", GATHERED)
def test_a_large_take_is_gathered_off_the_windows_thread(bakery, qtbot, monkeypatch, name):
    """A sentence is shown meanwhile; what was gathered for a take that is gone is dropped."""
    monkeypatch.setattr(gathered_weave, "QUICK_RECORDS", 10)
    weave = bakery.take_area.weave(name)
    bakery.session.choose_weave(name)
    assert not weave.canvas.isVisible() and weave.waiting.text().endswith("…")
    qtbot.waitUntil(weave.canvas.isVisible, timeout=20_000)
    assert len(weave.canvas.stack) > 0


def test_what_cannot_be_gathered_is_said(bakery, qtbot, monkeypatch):
    """In place of the rows, which would be those of another take."""
    monkeypatch.setattr(gathered_weave, "QUICK_RECORDS", 10)
    weave = bakery.take_area.weave("roster")

    def gather(session):
        raise MemoryError

    monkeypatch.setattr(weave, "gather", gather)
    bakery.session.choose_weave("roster")
    qtbot.waitUntil(lambda: "too large" in weave.waiting.text(), timeout=10_000)
    assert weave.waiting.isVisible() and not weave.canvas.isVisible()


@pytest.mark.parametrize("name", GATHERED)
def test_a_take_that_grows_stays_in_its_weave(desk, qtbot, tmp_path, name):
    """The weave, what is open and the place stay."""
    from opossum_desk.state.carrying_over import carry_over
    from opossum_desk.state.session import Session

    path = tmp_path / "night.flow.jsonl"
    record_night(path, seconds=20.0)
    opened(desk, qtbot, path)
    canvas(desk, name)
    grown = Session(desk.session.take)
    carry_over(grown, desk.session)
    desk.set_session(grown, grown=True)
    assert grown.weave == name and desk.rail.buttons[name].isChecked()
    view = desk.take_area.weave(name).focusable()[0]
    assert view.session is grown and len(view.stack) > 0
