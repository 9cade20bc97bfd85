"""The desk driven as a user drives it: the real window, its own methods, its keys."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage, QMouseEvent, QPainter
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QWidget

from moonrise_bakery import demo_take_path
from moonrise_bakery.faults import DEMO_FAULTS, FAULTS
from moonrise_bakery.night import record_night
from opossum.findings.catalogue import answers
from opossum.findings.finding import Severity
from opossum.findings.symptoms import SYMPTOMS
from opossum.take.archive import open_take
from opossum_desk.context_menus import add_call_actions, finding_menu
from opossum_desk.flow.layout.finding_marks import finding_marks
from opossum_desk.layout.colours import DAY, NIGHT, Colours
from opossum_desk.layout.heights import HEADER_PX, ROW_PX
from opossum_desk.memory import Memory
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.stepping import step_finding
from opossum_desk.take_area.frame import GAP_PX
from opossum_desk.take_area.layout.frame import FrameRow
from opossum_desk.views.look import Look
from opossum_desk.window import DeskWindow
from tape import Tape


def opened(desk: DeskWindow, qtbot, path: Path | str) -> DeskWindow:
    """Open a file on the desk and wait until it is examined."""
    desk.open_paths([str(path)])
    desk.opening.examining_told.connect(lambda text: desk.setProperty("trouble", text if "could not" in text else None))

    def ready() -> bool:
        if desk.property("trouble"):
            pytest.fail(f"the take could not be examined: {desk.property('trouble')}")
        return desk.session is not None and desk.session.examined and not desk.opening.is_opening

    qtbot.waitUntil(ready, timeout=60_000)
    return desk


@pytest.fixture
def bakery(desk, qtbot):
    """Return a desk with the demo take on it."""
    return opened(desk, qtbot, demo_take_path())


def press(desk: DeskWindow, qtbot, *keys, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    """Press keys with the Loom in focus."""
    desk.take_area.flow.loom.setFocus()
    for key in keys:
        qtbot.keyClick(desk.take_area.flow.loom, key, modifier)


def picture(widget: QWidget) -> np.ndarray:
    """Return what a widget shows, (height, width) of 0xAARRGGBB."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_ARGB32)
    return (
        np.frombuffer(image.constBits(), np.uint32)
        .reshape(image.height(), image.bytesPerLine() // 4)[:, : image.width()]
        .copy()
    )


def has_colour(pixels: np.ndarray, colour: str) -> bool:
    """Say whether a colour is in a picture."""
    return bool((pixels & 0xFFFFFF == int(colour[1:], 16)).any())


# --- start ---------------------------------------------------------------------------------------


def test_the_start_page_offers_ways_in_and_symptoms(desk):
    """Three ways and five symptoms, each by keyboard and with a name."""
    buttons = [button for button in desk.view("start").findChildren(QPushButton) if button.isVisible()]

    assert desk.stack.currentWidget() is desk.view("start")
    assert len(buttons) == 3 + 5
    assert all(button.accessibleName() and button.focusPolicy() & Qt.FocusPolicy.TabFocus for button in buttons)
    assert not desk.rail.buttons["flow"].isEnabled()


def test_trying_the_bakery_shows_its_faults(desk, qtbot):
    """Within a click: the take, its findings, its freeze."""
    qtbot.mouseClick(desk.view("start").demo, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=20_000)

    assert desk.stack.currentWidget() is desk.take_area
    assert desk.windowTitle().startswith("Moonrise Bakery")
    found = desk.session.findings
    assert {finding.cause for finding in found} >= {FAULTS[name].cause for name in DEMO_FAULTS}
    assert desk.take_area.findings.shown() == found
    faults = sum(finding.severity is Severity.FAULT for finding in found)
    assert f"{len(found)} findings, {faults} faults among them" in desk.told.toolTip()
    assert has_colour(picture(desk.take_area.flow.loom), DAY.rose)
    assert has_colour(picture(desk.take_area.pulse), DAY.rose)


@pytest.mark.parametrize("number", range(len(SYMPTOMS)))
def test_a_symptom_opens_a_take_with_its_question_asked(desk, qtbot, number):
    """Only what answers it is listed, the first one chosen; the whole list comes back."""
    desk.view("start").symptoms[number].click()
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=20_000)

    shown = desk.take_area.findings.shown()
    asked = answers(SYMPTOMS[number])
    assert shown == [finding for finding in desk.session.findings if (finding.kind, finding.cause) in asked]
    assert 0 < len(shown) < len(desk.session.findings)
    assert SYMPTOMS[number].title in desk.told.toolTip()
    assert desk.session.finding is shown[0]
    desk.take_area.all_findings.click()
    assert desk.take_area.findings.shown() == desk.session.findings


def test_a_symptom_that_a_take_does_not_show_is_said_so(desk, qtbot, monkeypatch):
    """Honestly, with an empty list."""
    monkeypatch.setattr("opossum.findings.catalogue.answers", lambda symptom: [("freeze", "nothing-like-it")])
    desk.view("start").symptoms[0].click()
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=20_000)

    assert desk.take_area.findings.shown() == []
    assert "shows no such thing" in desk.told.toolTip()


# --- findings, story, frame ----------------------------------------------------------------------


def test_choosing_a_finding_shows_frame_call_story_and_slice(bakery, qtbot):
    """One click tells it all."""
    flow, session = bakery.take_area, bakery.session
    finding = next(item for item in session.findings if item.cause == "bound-twice")
    index = next(
        group.child(row).index()
        for group in (flow.findings.model().item(n) for n in range(flow.findings.model().rowCount()))
        for row in range(group.rowCount())
        if group.child(row).data(Qt.ItemDataRole.UserRole + 1) is finding
    )
    flow.findings.clicked.emit(index)

    assert session.finding is finding
    assert session.axis.numbers[session.column] == 792
    assert "Counter.on_bread_ready" in flow.story.toPlainText()
    assert "kitchen.py" in flow.story.toPlainText()
    assert flow.frame.picture.title == "Frame 792"
    assert flow.frame.picture.rows[flow.frame.picture.index_of(session.call)].marks == ("twice",)
    first, last = session.visible_columns
    assert first <= session.column <= last


def test_links_of_the_story_lead_to_frames_and_calls(bakery, qtbot):
    """Every proof is one click away."""
    step_finding(bakery.session, 1)
    bakery.take_area.story.anchorClicked.emit(QUrl("frame:100"))
    assert bakery.session.column == 100
    bakery.take_area.story.anchorClicked.emit(QUrl("call:7"))
    assert bakery.session.call == 7
    target = bakery.session.findings[-1]
    bakery.take_area.story.anchorClicked.emit(QUrl(f"finding:{target.id}"))
    assert bakery.session.finding.id == target.id


def test_the_list_of_findings_is_walked_by_arrow_keys(bakery, qtbot):
    """Down goes to the next finding and shows it."""
    flow = bakery.take_area
    press(bakery, qtbot, Qt.Key.Key_N)
    first = bakery.session.finding
    flow.findings.setFocus()
    qtbot.keyClick(flow.findings, Qt.Key.Key_Down)
    qtbot.keyClick(flow.findings, Qt.Key.Key_Down)

    assert bakery.session.finding.id != first.id


# --- keys ----------------------------------------------------------------------------------------


def test_keys_step_frames_calls_findings_and_back(bakery, qtbot):
    """The hands of the desk."""
    session = bakery.session
    press(bakery, qtbot, Qt.Key.Key_N)
    assert session.finding is session.findings[0]
    column = session.column
    press(bakery, qtbot, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left)
    assert session.column == column + 1
    press(bakery, qtbot, Qt.Key.Key_Down)
    assert session.call >= 0
    event = session.take.event_of_call(session.call)
    press(bakery, qtbot, Qt.Key.Key_Period)
    assert session.column > column + 1
    assert session.take.event_of_call(session.call) == event
    press(bakery, qtbot, Qt.Key.Key_Comma)
    press(bakery, qtbot, Qt.Key.Key_N, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert session.finding is session.findings[-1]
    press(bakery, qtbot, Qt.Key.Key_Backspace, Qt.Key.Key_Backspace)
    assert session.finding is not session.findings[-1]
    press(bakery, qtbot, Qt.Key.Key_0)
    assert (session.low, session.high) == session.axis.extent
    press(bakery, qtbot, Qt.Key.Key_Z)
    assert session.high - session.low < 100
    width = session.high - session.low
    press(bakery, qtbot, Qt.Key.Key_Minus)
    assert session.high - session.low > width
    press(bakery, qtbot, Qt.Key.Key_Plus)
    press(bakery, qtbot, Qt.Key.Key_T)
    assert session.axis.mode is AxisMode.TIME
    press(bakery, qtbot, Qt.Key.Key_T, Qt.Key.Key_B)
    assert session.marks.columns == [session.column]


def test_enter_follows_the_cause(bakery, qtbot):
    """And says when nothing is known to have caused it."""
    finding = next(item for item in bakery.session.findings if item.cause == "bound-twice")
    bakery.session.show_finding(finding)
    press(bakery, qtbot, Qt.Key.Key_Return)
    assert bakery.session.take.function_of_call(bakery.session.call) == "Oven.on_bake_done"
    press(bakery, qtbot, Qt.Key.Key_Return)
    assert "Nothing is known to have caused this" in bakery.told.toolTip()


def test_typing_in_the_sieve_is_typing(bakery, qtbot):
    """Letters that are keys elsewhere land in the line; Escape gives the keys back."""
    sieve = bakery.take_area.sieve
    qtbot.keyClick(bakery, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    bakery.take_area.focus_sieve()
    qtbot.keyClicks(sieve.line, "cls:Oven n0z")
    assert sieve.line.text() == "cls:Oven n0z"
    assert bakery.session.finding is None
    sieve.line.setText("cls:Oven")
    sieve.apply()
    assert f"of {len(bakery.session.take.calls):,} calls" in sieve.told.text()
    assert bakery.session.matched_count > 100
    press(bakery, qtbot, Qt.Key.Key_H)
    assert {bakery.session.row_index.label(row)[0] for row in bakery.session.rows} == {"Oven"}
    sieve.line.setText("frame:soon")
    sieve.apply()
    assert "is no frame" in sieve.told.text()
    assert bakery.session.sieve.text == "cls:Oven"
    sieve.line.setFocus()
    qtbot.keyClick(sieve.line, Qt.Key.Key_Escape)
    assert not bakery.session.sieve.active
    assert sieve.line.text() == ""


def test_every_panel_is_reached_by_keyboard_and_has_a_name(bakery, qtbot):
    """F6 goes round; each view says what it is and what it shows."""
    bakery.activateWindow()
    seen = []
    for _ in range(6):
        bakery.take_area.next_panel()
        focused = QApplication.focusWidget()
        seen.append(focused.accessibleName() if focused else "")
    assert sorted(seen) == ["Findings", "Frame", "Loom", "Pulse", "Story", "Strands"]
    for view in (bakery.take_area.pulse, bakery.take_area.flow.loom, bakery.take_area.flow.strands):
        assert view.accessibleDescription()
    assert "rows, frames" in bakery.take_area.flow.loom.accessibleDescription()
    for view in (
        bakery.take_area.flow.loom,
        bakery.take_area.findings,
        bakery.take_area.story,
        bakery.take_area.frame,
        bakery.take_area.pulse,
        bakery.take_area.flow.strands,
    ):
        assert view.whatsThis()


# --- mouse ---------------------------------------------------------------------------------------


def test_hovering_a_bead_lights_up_cause_and_effects_in_all_views(bakery, qtbot):
    """And says what it is."""
    session, loom = bakery.session, bakery.take_area.flow.loom
    session.show_finding(next(item for item in session.findings if item.cause == "bound-twice"))
    session.select_column(session.column)
    shown = loom.current()
    index = next(
        i for i, call in enumerate(shown.beads.call) if session.take.function_of_call(int(call)) == "Oven.on_bake_done"
    )
    line = shown.lines[int(shown.beads.line[index])]
    loom.hover(QPointF(float(shown.beads.x[index]), line.top + ROW_PX / 2))

    assert session.selection.hover == shown.beads.call[index]
    names = {session.take.function_of_call(call) for call in session.selection.related}
    assert names == {"Oven.on_bake_done", "Counter.on_bread_ready"}
    assert loom.current().beads.lit.sum() == 2
    loom.leaveEvent(None)
    assert session.selection.hover == -1
    assert session.selection.related == frozenset()


def test_clicking_a_bead_or_a_frame_selects_it(bakery, qtbot):
    """A click in the open selects the frame."""
    session, loom = bakery.session, bakery.take_area.flow.loom
    session.set_window(700, 730)
    shown = loom.current()
    line = shown.lines[int(shown.beads.line[0])]
    qtbot.mouseClick(
        loom, Qt.MouseButton.LeftButton, pos=QPoint(round(float(shown.beads.x[0])), int(line.top + ROW_PX / 2))
    )
    assert session.call == shown.beads.call[0]
    qtbot.mouseClick(loom, Qt.MouseButton.LeftButton, pos=QPoint(int(loom.label_px + 200), int(HEADER_PX / 2)))
    assert session.call == -1
    assert session.column == session.axis.column_at(loom.position_at(loom.label_px + 200))


def test_classes_unfold_at_a_click_on_their_label(bakery, qtbot):
    """And fold again."""
    session, loom = bakery.session, bakery.take_area.flow.loom
    line = next(line for line in loom.current().lines if line.row.folded)
    before = len(session.rows)
    qtbot.mouseClick(loom, Qt.MouseButton.LeftButton, pos=QPoint(28, int(line.top + ROW_PX / 2)))
    assert len(session.rows) == before + line.members - 1
    session.toggle_fold(
        next(
            row
            for row in session.rows
            if not row.folded and int(session.row_index.class_of_listener[row.number]) in session.unfolded
        )
    )
    assert len(session.rows) == before


def test_dragging_pans_and_with_shift_measures(bakery, qtbot):
    """The paper follows the hand."""
    session, loom = bakery.session, bakery.take_area.flow.loom
    session.set_window(700, 760)
    start = QPoint(int(loom.label_px + 300), 60)
    qtbot.mousePress(loom, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(loom, start + QPoint(-60, 0))
    qtbot.mouseMove(loom, start + QPoint(-120, 0))
    qtbot.mouseRelease(loom, Qt.MouseButton.LeftButton, pos=start + QPoint(-120, 0))
    assert session.low > 705
    assert session.measured is None
    low = session.low
    shift = Qt.KeyboardModifier.ShiftModifier
    for kind, place in (("Press", 0), ("Move", 40), ("Move", 100), ("Release", 100)):
        point = QPointF(start.x() + place, start.y())
        button = Qt.MouseButton.NoButton if kind == "Move" else Qt.MouseButton.LeftButton
        event = QMouseEvent(
            QEvent.Type["MouseMove" if kind == "Move" else f"MouseButton{kind}"],
            point,
            loom.mapToGlobal(point),
            button,
            Qt.MouseButton.LeftButton,
            shift,
        )
        QApplication.sendEvent(loom, event)
    columns = [session.axis.column_at(loom.position_at(start.x() + place)) for place in (0, 100)]
    assert session.measured.frames == columns[1] - columns[0] + 1
    assert bakery.told.toolTip().startswith(f"Measured: {session.measured.frames} frames")
    assert session.low == low
    press(bakery, qtbot, Qt.Key.Key_Escape)
    assert loom._measure is None


def test_the_wheel_zooms_with_ctrl_and_scrolls_without(bakery, qtbot):
    """At the pointer."""
    from PySide6.QtGui import QWheelEvent

    session, loom = bakery.session, bakery.take_area.flow.loom

    def wheel(delta: int, modifier: Qt.KeyboardModifier) -> None:
        point = QPointF(loom.label_px + 100, 80)
        event = QWheelEvent(
            point,
            loom.mapToGlobal(point),
            QPoint(),
            QPoint(0, delta),
            Qt.MouseButton.NoButton,
            modifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        loom.wheelEvent(event)

    at = loom.position_at(loom.label_px + 100)
    wheel(240, Qt.KeyboardModifier.ControlModifier)
    assert loom.position_at(loom.label_px + 100) == pytest.approx(at)
    assert session.high - session.low < 6005
    wheel(-120, Qt.KeyboardModifier.NoModifier)
    assert loom.scroll_bar.value() > 0
    low = session.low
    wheel(-120, Qt.KeyboardModifier.ShiftModifier)
    assert session.low > low


def test_a_window_is_dragged_on_the_pulse(bakery, qtbot):
    """From here to there; a click moves it."""
    session, pulse = bakery.session, bakery.take_area.pulse
    qtbot.mousePress(pulse, Qt.MouseButton.LeftButton, pos=QPoint(300, 40))
    qtbot.mouseMove(pulse, QPoint(330, 40))
    qtbot.mouseMove(pulse, QPoint(360, 40))
    qtbot.mouseRelease(pulse, Qt.MouseButton.LeftButton, pos=QPoint(360, 40))
    scale = pulse.current().scale
    assert session.low == pytest.approx(scale.position(300), abs=8)
    assert session.high == pytest.approx(scale.position(360), abs=8)
    width = session.high - session.low
    qtbot.mouseClick(pulse, Qt.MouseButton.LeftButton, pos=QPoint(700, 40))
    assert session.high - session.low == pytest.approx(width)
    assert (session.low + session.high) / 2 == pytest.approx(scale.position(700), abs=8)
    session.go_back()
    assert session.low == pytest.approx(scale.position(300), abs=8)


def test_a_call_in_the_slice_is_selected_by_a_click(bakery, qtbot):
    """The same selection as everywhere."""
    bakery.session.select_column(792)
    view = bakery.take_area.frame
    row = next(i for i, row in enumerate(view.picture.rows) if row.kind == "call")
    qtbot.mouseClick(
        view.viewport(),
        Qt.MouseButton.LeftButton,
        pos=QPoint(60, int(44 + row * 21 + 10 - view.verticalScrollBar().value())),
    )
    assert bakery.session.call == view.picture.rows[row].call


def test_a_strand_leads_to_its_call(bakery, qtbot):
    """A dot where a timer fired is the call it made."""
    session, strands = bakery.session, bakery.take_area.flow.strands
    session.set_window(0, 1200)
    run = strands.current().dots[0]
    dot = QPointF(float(run.xs[0]), run.y)
    strands.click(dot)
    assert session.take.calls.send[session.call] == run.sends[0]
    run = strands.current().dots[0]
    strands.hover(QPointF(float(run.xs[0]), run.y))
    assert session.selection.hover == session.call


def test_the_right_button_offers_what_can_be_done(bakery, qtbot):
    """With a call, and with a finding."""
    session = bakery.session
    finding = next(item for item in session.findings if item.cause == "bound-twice")
    menu = QMenu(bakery)
    add_call_actions(menu, session, int(finding.calls[0]))
    titles = [action.text() for action in menu.actions()]
    assert {"Select this call", "Follow its cause", "Follow event “bread_ready”"} <= set(titles)
    next(action for action in menu.actions() if action.text().startswith("Tell: ")).trigger()
    assert session.finding is finding
    next(action for action in menu.actions() if "Follow event" in action.text()).trigger()
    assert session.sieve.text == "ev:bread_ready"
    assert bakery.take_area.sieve.line.text() == "ev:bread_ready"
    actions = {action.text(): action for action in finding_menu(bakery, session, finding).actions()}
    actions["Its last frame"].trigger()
    assert session.axis.numbers[session.column] == finding.frames[-1]
    actions["Copy what it says"].trigger()
    assert finding.advice.replace("`", "") in QApplication.clipboard().text()


# --- faces ---------------------------------------------------------------------------------------


def test_day_and_night_repaint_everything(bakery, qtbot):
    """No view keeps the old paper."""
    for choice, colours in (("night", NIGHT), ("day", DAY)):
        bakery.choose_look(choice)
        for view in (
            bakery.take_area.flow.loom,
            bakery.take_area.pulse,
            bakery.take_area.flow.strands,
            bakery.take_area.frame.viewport(),
            bakery.take_area.story,
        ):
            assert has_colour(picture(view), colours.paper), view
        assert bakery.menus.looks[choice].isChecked()


def contrast(one: str, other: str) -> float:
    """Return the contrast of two colours by WCAG 2.1, 1.4.3."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("colours", [DAY, NIGHT], ids=["day", "night"])
def test_text_and_marks_can_be_read(colours: Colours):
    """Text at least 4.5:1 on everything it stands on, beads 3:1."""
    for text in (colours.ink, colours.quiet, colours.rose):
        for ground in (colours.paper, colours.panel, colours.band):
            assert contrast(text, ground) >= 4.5, (text, ground)
    assert contrast(colours.ink, colours.choice) >= 4.5
    assert contrast(colours.paper, colours.rose) >= 4.5
    for name, colour in colours.via.items():
        assert contrast(colour, colours.paper) >= 3.0, name


def test_an_empty_take_has_a_face(desk, qtbot, tmp_path):
    """A head and nothing else: every view says so, none fails."""
    path = tmp_path / "empty.flow.jsonl"
    path.write_bytes(Tape().bytes(bye=False))
    opened(desk, qtbot, path)
    desk.grab()
    press(desk, qtbot, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_N, Qt.Key.Key_Z, Qt.Key.Key_0, Qt.Key.Key_Return)

    assert desk.session.findings == []
    assert desk.take_area.frame.picture.rows == []
    assert "Nothing was found" in desk.take_area.story.toPlainText()


def test_a_damaged_take_says_so_above_the_views(desk, qtbot, tmp_path):
    """Counted, with a way to see all; the rest is shown."""
    path = tmp_path / "torn.flow.jsonl"
    data = Tape().frames(20).bytes()
    path.write_bytes(data[:300] + b"\nrubbish\n" + data[300:])
    opened(desk, qtbot, path)

    assert desk.take_area.banner.isVisible()
    assert "damaged or missing; all else is shown" in desk.take_area.banner.text.text()
    assert desk.session.axis.columns > 10


@pytest.mark.parametrize("content", [b"", b"hello", b"PK\x03\x04nonsense"])
def test_what_cannot_be_opened_has_a_face_with_one_thing_to_do(desk, qtbot, tmp_path, content):
    """One sentence; the desk goes on."""
    path = tmp_path / "x.take"
    path.write_bytes(content)
    desk.open_paths([str(path)])
    qtbot.waitUntil(lambda: desk.stack.currentWidget() is desk.page("failed"), timeout=10_000)

    assert str(path) in desk.page("failed").text.text()
    assert desk.session is None
    opened(desk, qtbot, demo_take_path())
    assert desk.stack.currentWidget() is desk.take_area


def test_opening_can_be_cancelled(desk, qtbot, tmp_path):
    """Back to where we were; the late answer is dropped."""
    path = tmp_path / "large.flow.jsonl"
    path.write_bytes(Tape().bytes(bye=False) + b'{"k":"say","t":2000,"text":"a long night at the bakery"}\n' * 400_000)
    desk.open_paths([str(path)])
    assert desk.stack.currentWidget() is desk.page("opening")
    desk.page("opening").cancel.click()
    assert desk.stack.currentWidget() is desk.view("start")
    desk.opening.close()
    qtbot.wait(50)
    assert desk.session is None
    assert "cancelled" in desk.told.toolTip()


def test_a_huge_take_stays_in_hand(desk, qtbot, tmp_path):
    """A frame of thousands of calls, thousands of timers: all views are painted at every zoom."""
    tape = Tape().frame()
    crumb = tape.bind("crumb", "tray#1", "Tray.on_crumb")
    for number in range(6000):
        tape.heard("crumb", crumb, d=number)
    for number in range(800):
        tape.arm("timer", f"oven#{number % 50}", f"beat{number % 40}")
    tape.frames(3000)
    path = tmp_path / "huge.flow.jsonl"
    path.write_bytes(tape.bytes())
    opened(desk, qtbot, path)
    desk.session.select_call(10)
    for _ in range(12):
        desk.grab()
        desk.session.zoom(2, desk.session.low)
    assert desk.take_area.frame.picture.left_out == 3000


# --- files ---------------------------------------------------------------------------------------


def test_a_take_is_saved_and_opened_again(bakery, qtbot, tmp_path):
    """The saved one is among the recent."""
    target = tmp_path / "copy.take"
    bakery.save_to(str(target))
    qtbot.waitUntil(lambda: "Saved" in bakery.told.toolTip(), timeout=10_000)

    assert open_take(target).records == bakery.session.take.records
    assert bakery.memory.kept.recent[0] == str(target)


def test_a_file_is_opened_by_dropping_it(desk, qtbot):
    """Anywhere on the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(demo_take_path()))])
    desk.dropEvent(
        QDropEvent(
            QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    qtbot.waitUntil(lambda: desk.session is not None, timeout=20_000)


def test_panels_look_and_marks_come_back_next_time(desk, qtbot, tmp_path):
    """What was arranged stays arranged."""
    path = tmp_path / "night.flow.jsonl"
    record_night(path, seconds=5)
    opened(desk, qtbot, path)
    desk.session.select_column(33)
    desk.session.marks.toggle(desk.session.column)
    desk.menus.panels["Strands"].setChecked(False)
    desk.choose_look("night")
    desk.take_area.split.setSizes([300, 500, 400])
    sizes = desk.take_area.split.sizes()
    desk.close()

    again = DeskWindow(Memory(tmp_path), Look("night"))
    qtbot.addWidget(again)
    again.show()
    assert again.memory.kept.look == "night"
    assert not again.take_area.flow.strands.isVisibleTo(again.take_area)
    opened(again, qtbot, path)
    kept = again.take_area.split.sizes()  # the test's screen may be smaller than the window was: proportions count
    assert kept[0] / kept[2] == pytest.approx(sizes[0] / sizes[2], rel=0.1)
    assert again.session.marks.columns == [33]
    again.go_to("start")
    assert again.view("start")._recent.count() == 1
    again.close()


def test_a_broken_memory_is_forgotten(tmp_path):
    """The desk opens all the same."""
    (tmp_path / "desk.json").write_bytes(b"{broken")
    assert Memory(tmp_path).kept.recent == []


def test_a_stream_that_grows_is_read_on(desk, qtbot, tmp_path):
    """The desk offers it, then follows by itself."""
    path = tmp_path / "live.flow.jsonl"
    tape = Tape().frames(10)
    path.write_bytes(tape.bytes(bye=False))
    opened(desk, qtbot, path)
    tape.frames(5)
    path.write_bytes(tape.bytes(bye=False))
    desk.games.check_file()
    assert "still being written" in desk.take_area.banner.text.text()
    desk.take_area.banner.button.click()
    qtbot.waitUntil(lambda: desk.session.axis.columns == 15, timeout=10_000)
    tape.frames(5)
    path.write_bytes(tape.bytes(bye=False))
    qtbot.waitUntil(lambda: not desk.opening.is_opening, timeout=5000)
    desk.games.check_file()
    qtbot.waitUntil(lambda: desk.session.axis.columns == 20, timeout=10_000)


def test_closing_while_work_is_under_way_is_clean(desk, qtbot, tmp_path):
    """No thread is left behind."""
    path = tmp_path / "large.flow.jsonl"
    path.write_bytes(Tape().bytes(bye=False) + b'{"k":"say","t":2000,"text":"a long night at the bakery"}\n' * 200_000)
    desk.open_paths([str(path)])
    began = time.monotonic()
    desk.close()
    assert not desk.opening.is_opening
    assert time.monotonic() - began < 5


def test_help_explains_the_view_in_focus(bakery, qtbot):
    """F1, with the beads and the keys."""
    bakery.explain()
    text = " ".join(label.text() for label in bakery._help.findChildren(QWidget) if hasattr(label, "text"))
    assert "Frame before" in text and "→" in text
    bakery._help.grab()
    bakery._help.close()


@pytest.mark.parametrize("size", [(1024, 640), (2560, 1400)])
def test_the_desk_works_at_any_size(bakery, qtbot, size):
    """From a small laptop up."""
    bakery.resize(*size)
    qtbot.wait(20)
    step_finding(bakery.session, 1)
    assert bakery.grab().size().width() >= size[0]
    assert bakery.take_area.flow.loom.width() > 300


def test_going_to_a_finding_without_a_call_shows_a_row_that_it_names(opened):
    """However far the Loom was scrolled; going on in it does not take it back there."""
    opened.resize(1024, 640)
    session, loom = opened.session, opened.take_area.flow.loom
    finding = next(item for item in session.findings if item.cause == "waits")
    session.show_finding(finding)
    session.settle()
    assert session.call < 0
    named = session.rows_meant(finding)
    session.show_finding(next(item for item in session.findings if item.cause == "bound-twice"))
    loom.scroll_bar.setValue(loom.scroll_bar.maximum() if session.rows.index(min(named)) < 5 else 0)
    session.show_finding(finding)
    picture = loom.current()
    lit = [picture.lines[place] for place in finding_marks(session, picture).lit]
    assert {line.row for line in lit} == named
    assert all(picture.heights.header <= line.top < loom.height() - picture.heights.row for line in lit)
    away = 0 if loom.scroll_bar.value() else loom.scroll_bar.maximum()
    loom.scroll_bar.setValue(away)
    session.select_column(session.column + 1)
    assert loom.scroll_bar.value() == away


@pytest.mark.parametrize("spare", [0.0, -1.0])
def test_the_frame_cuts_the_name_of_an_event_only_where_it_has_no_room(opened, spare):
    """What stands beside it, and a gap on either side, is all that it leaves room for."""
    frame, written = opened.take_area.frame, []

    class Written(QPainter):
        def drawText(self, *arguments):
            written.append(arguments[-1])

    image = QImage(800, 40, QImage.Format.Format_RGB32)
    painter = Written(image)
    painter.setFont(frame.font())
    row = FrameRow("call", text="bell#1 on_door_enter", event="door_enter", time="18 µs")
    taken = sum(painter.fontMetrics().horizontalAdvance(text) for text in (row.text, row.event, row.time))
    frame._paint_words(painter, row, 29.0, 0.0, taken + 2 * GAP_PX + 29.0 + 6.0 + spare)
    painter.end()
    assert written[:2] == [row.text, row.time]
    assert (written[2] == row.event) is (spare == 0.0)


@pytest.mark.parametrize("asked", ["a menu is opened", "a key is typed", "the window stands"])
def test_menus_are_filled_once_when_they_are_needed(qapp, qtbot, tmp_path, asked):
    """Their titles are there at once; what they offer when somebody looks, types, or the window was painted."""
    window = DeskWindow(Memory(tmp_path), Look("day"))
    qtbot.addWidget(window)
    menus = [action.menu() for action in window.menuBar().actions()]
    assert len(menus) >= 5 and not any(menu.actions() for menu in menus)
    if asked == "a menu is opened":
        menus[1].aboutToShow.emit()
    elif asked == "a key is typed":
        qtbot.keyClick(window, Qt.Key.Key_N)
    else:
        window.show()
        qtbot.waitUntil(lambda: bool(menus[0].actions()), timeout=5000)
    offered = [[action.text() for action in menu.actions()] for menu in menus]
    assert all(offered) and [look for look, action in window.menus.looks.items() if action.isChecked()] == ["day"]
    menus[0].aboutToShow.emit()
    assert [[action.text() for action in menu.actions()] for menu in menus] == offered
