"""Everything by keys: Tab reaches every view, Home, End and Page scroll, the Menu key acts on what is selected, strands are walked."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent, QFont
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QScrollBar, QWidget

from opossum_desk.flow.layout.strand_moments import moments_of
from opossum_desk.layout.heights import TARGET_PX, Heights

KEY, NO_KEY = QContextMenuEvent.Reason.Keyboard, QContextMenuEvent.Reason.Mouse


def asked_by_key(view: QWidget) -> QContextMenuEvent:
    """Return what a view is sent when the Menu key is pressed, the pointer being somewhere else."""
    return QContextMenuEvent(KEY, QPoint(0, 0), view.mapToGlobal(QPoint(0, 0)))


@pytest.fixture
def menus(monkeypatch):
    """Return what menus were shown with, instead of showing them: titles and place."""
    shown: list[tuple[list[str], QPoint]] = []

    class ShownMenu(QMenu):
        def exec(self, at):
            shown.append(([action.text() for action in self.actions()], at))

    for module in ("context_menus", "flow.loom", "flow.strands", "take_area.frame"):
        monkeypatch.setattr(f"opossum_desk.{module}.QMenu", ShownMenu)
    return shown


def test_tab_reaches_every_view(opened):
    """From above to below, from left to right, and round again."""
    opened.activateWindow()
    area = opened.take_area
    wanted = [area.pulse, area.findings, area.sieve.line, area.flow.loom, area.flow.strands, area.frame, area.story]
    area.pulse.setFocus()
    reached = []
    for _ in range(80):
        here = QApplication.focusWidget()
        if here in wanted and here not in reached:
            reached.append(here)
        QTest.keyClick(here, Qt.Key.Key_Tab)
    assert reached == wanted
    opened.session.set_sieve("o:oven#1")
    area.sieve.line.setFocus()
    QTest.keyClick(area.sieve.line, Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is area.sieve.hide_rest


@pytest.mark.parametrize("name", ["loom", "strands"])
def test_home_end_and_page_scroll_rows(opened, name):
    """To the ends, and by what is seen."""
    view = getattr(opened.take_area.flow, name)
    opened.session.show_resting(True)
    bar = view.scroll_bar
    assert bar.maximum() > 0
    QTest.keyClick(view, Qt.Key.Key_End)
    assert bar.value() == bar.maximum()
    QTest.keyClick(view, Qt.Key.Key_Home)
    assert bar.value() == 0
    QTest.keyClick(view, Qt.Key.Key_PageDown)
    assert 0 < bar.value() <= view.height()
    QTest.keyClick(view, Qt.Key.Key_PageUp)
    assert bar.value() == 0


def test_home_end_and_page_scroll_the_frame(opened):
    """The panel Frame, of a frame with many calls."""
    session, frame = opened.session, opened.take_area.frame
    session.select_column(max(range(200, 1200), key=lambda column: len(session.calls_of_column(column))))
    bar = frame.verticalScrollBar()
    assert bar.maximum() > 0
    for key, value in ((Qt.Key.Key_End, bar.maximum()), (Qt.Key.Key_Home, 0)):
        QTest.keyClick(frame, key)
        assert bar.value() == value
    QTest.keyClick(frame, Qt.Key.Key_PageDown)
    assert bar.value() > 0


@pytest.mark.parametrize("name", ["loom", "frame", "strands"])
def test_the_menu_key_acts_on_the_selected_call(opened, menus, name):
    """Wherever the pointer may be; the menu stands inside the view."""
    area = opened.take_area
    view = area.frame if name == "frame" else getattr(area.flow, name)
    view.contextMenuEvent(asked_by_key(view))
    titles, at = menus[0]
    assert "Select this call" in titles and "Follow event “bread_ready”" in titles
    assert view.rect().adjusted(0, -40, 0, 40).contains(view.mapFromGlobal(at))


def test_the_menu_key_acts_on_the_chosen_finding(opened, menus):
    """The one that is shown."""
    opened.take_area.findings.contextMenuEvent(asked_by_key(opened.take_area.findings))
    assert "Sieve by “Counter.on_bread_ready”" in menus[0][0]


def test_a_hand_still_asks_for_what_is_under_it(opened, menus):
    """Not for what is selected."""
    loom = opened.take_area.flow.loom
    loom.contextMenuEvent(QContextMenuEvent(NO_KEY, QPoint(60, 40), loom.mapToGlobal(QPoint(60, 40))))
    assert "Select this call" not in menus[0][0] and any(title.startswith("Sieve by") for title in menus[0][0])


def test_strands_are_walked_and_stepped_by_keys(opened, menus):
    """Each says what it is; Shift+Right goes to what happens next on it, back again, and says where it ends."""
    session, strands = opened.session, opened.take_area.flow.strands
    told: list[str] = []
    strands.row_told.connect(told.append)
    shift = Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(strands, Qt.Key.Key_Right, shift)
    assert told[-1].startswith("Choose a strand first")
    while strands.walk.row is None or strands.walk.row.kind != "timer":
        QTest.keyClick(strands, Qt.Key.Key_Down, shift)
    row = strands.walk.row
    moments = moments_of(session, row)
    assert told[-1].startswith(f"{row.label}: timer, {len(moments.times_ns)} moments")
    assert len(moments.times_ns) > 3 and (moments.times_ns[1:] >= moments.times_ns[:-1]).all()
    session.select_column(0)
    QTest.keyClick(strands, Qt.Key.Key_Right, shift)
    first = session.call
    assert session.take.calls.send[first] == moments.sends[0]
    QTest.keyClick(strands, Qt.Key.Key_Right, shift)
    assert session.take.calls.send[session.call] == moments.sends[1]
    QTest.keyClick(strands, Qt.Key.Key_Left, shift)
    assert session.call == first
    QTest.keyClick(strands, Qt.Key.Key_Left, shift)
    assert session.call == first and told[-1] == f"Nothing more happens on {row.label} before this."
    strands.contextMenuEvent(asked_by_key(strands))
    assert menus[0][0][0].startswith("Sieve by event")


def test_every_sort_of_strand_can_be_stepped(opened):
    """Timers, delays, clips, tracks, waits, queues, values and log lines: from the start to the end of each."""
    session, strands = opened.session, opened.take_area.flow.strands
    kinds = {strand.row.kind: place for place, strand in enumerate(strands.ordered)}
    assert set(kinds) == {"timer", "delay", "clip", "track", "wait", "queue", "value", "log"}
    for place in kinds.values():
        session.select_column(0)
        strands.walk.to(place)
        seen = []
        for _ in range(4):
            before = (session.column, session.call)
            strands.walk.step(1)
            if (session.column, session.call) == before:
                break
            seen.append(session.column)
        assert seen and seen == sorted(seen), strands.walk.row


def test_heights_follow_the_font(opened):
    """At 16 points rows are as tall as their text and then some; never lower than a finger needs."""
    loom, frame, pulse = opened.take_area.flow.loom, opened.take_area.frame, opened.take_area.pulse
    font = QFont(opened.font())
    for size in (13, 22):
        font.setPixelSize(size)
        for view in (loom, frame, pulse):
            view.setFont(font)
        if size == 13:
            assert loom.heights() == Heights() and loom.heights().row >= TARGET_PX
            before = pulse.height(), frame._head_px
    text = loom.fontMetrics().height()
    heights = loom.heights()
    assert heights.row >= text + 4 and heights.header >= text + 4 and heights.strand >= text + 6
    assert loom.line_px() >= text + 4 and loom.detail_px() >= loom.small_metrics().height()
    assert pulse.height() > before[0] and frame._head_px > before[1]
    picture = loom.current()
    assert picture.heights == heights
    assert picture.lines[1].top - picture.lines[0].top == heights.row
    assert picture.line_at(picture.lines[1].top + 1) == 1


def test_what_is_clicked_is_as_tall_as_a_finger_needs(opened):
    """Every button that is seen, in every area; menus and rows too."""
    opened.go_to("take")
    for area in ("take", "start"):
        opened.go_to(area)
        for button in opened.findChildren(QPushButton):
            if button.isVisible():
                assert button.height() >= TARGET_PX and button.width() >= TARGET_PX, button.text()
    for menu in opened.menuBar().findChildren(QMenu):
        for action in menu.actions():
            if not action.isSeparator():
                assert menu.actionGeometry(action).height() >= TARGET_PX, action.text()
    findings = opened.take_area.findings
    for item in findings.items():
        assert findings.visualRect(item.index()).height() >= TARGET_PX
    opened.go_to("take")
    bars = [
        bar
        for bar in opened.findChildren(QScrollBar)
        if bar.isVisible() and bar.orientation() == Qt.Orientation.Vertical
    ]
    assert len(bars) >= 3
    for bar in bars:
        assert bar.width() >= TARGET_PX, bar.parent()
