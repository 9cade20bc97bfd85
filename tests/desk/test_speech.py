"""What a screen reader is told: every step of the selection, rows and beads as things, links as links."""

import gc

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt, QUrl
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from opossum_desk.state import stepping
from opossum_desk.views import spoken_child
from opossum_desk.views.speech import MOST_CHILDREN, SETTLE_MS, Spoken, SpokenChildren
from opossum_desk.views.spoken_child import ROLES, SpokenChild


@pytest.fixture
def listening():
    """Be a screen reader."""
    QAccessible.setActive(True)
    yield
    QAccessible.setActive(False)


@pytest.fixture
def said(listening, monkeypatch):
    """Return what was announced."""
    texts: list[str] = []

    class Listener:
        @staticmethod
        def isActive() -> bool:
            return True

        @staticmethod
        def updateAccessibility(event: QAccessibleAnnouncementEvent) -> None:
            texts.append(event.message())

    monkeypatch.setattr(spoken_child, "QAccessible", Listener)
    return texts


def told_of(view: QWidget) -> list[tuple[str, QAccessible.Role]]:
    """Return the things in a view, as a screen reader asks for them."""
    seen = QAccessible.queryAccessibleInterface(view)
    children = [seen.child(place) for place in range(seen.childCount())]
    names = [(child.text(QAccessible.Text.Name), child.role()) for child in children]
    return [pair for pair in names if pair[1] in ROLES.values()]


def test_every_step_of_the_selection_is_said(opened, said):
    """Call, owner, function, event, frame, and what is wrong with it; a frame with its work."""
    session = opened.session
    stepping.step_call(session, -1)
    said.clear()
    stepping.step_call(session, 1)
    words = said[-1]
    for part in ("Counter.on_bread_ready of counter#1", "for bread_ready", "frame 792", "Fault: "):
        assert part in words, words
    assert "bound twice" in words.lower()
    stepping.step_frame(session, 1)
    assert said[-1].startswith("Frame 793, ") and "of work" in said[-1]


def test_what_the_status_line_says_is_said(opened, said):
    """Findings that are stepped to, and strands that are walked to."""
    QTest.keyClick(opened, Qt.Key.Key_N)
    assert opened.session.finding.summary in said
    QTest.keyClick(opened.take_area.flow.strands, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert "Shift+Right goes to the next" in said[-1]


def test_nothing_is_made_while_nobody_listens(opened, qtbot):
    """Not a widget more."""
    QAccessible.setActive(False)
    opened.session.show_all()
    qtbot.wait(2 * SETTLE_MS)
    assert not opened.findChildren(SpokenChild)


def test_rows_and_beads_are_things_that_can_be_walked(opened, listening, qtbot):
    """Of the Loom, the Strands, the panel Frame; they follow what is seen."""
    area = opened.take_area
    opened.session.settle()
    area.flow.loom.renew()
    area.flow.strands.renew()
    area.frame.renew()
    # each view follows when it has come to rest, on a busy machine one long after the other
    for view in (area.flow.loom, area.flow.strands, area.frame.viewport()):
        qtbot.waitUntil(lambda view=view: bool(told_of(view)), timeout=20_000)
    rows = [name for name, role in told_of(area.flow.loom) if role == QAccessible.Role.RowHeader]
    beads = [name for name, role in told_of(area.flow.loom) if role == QAccessible.Role.ListItem]
    assert any("counter#1" in name for name in rows) and any("rows at rest" in name for name in rows)
    assert any(name.startswith("Counter.on_bread_ready of counter#1, for bread_ready") for name in beads)
    assert any("timer" in name for name, _ in told_of(area.flow.strands))
    lines = [name for name, _ in told_of(area.frame.viewport())]
    assert any("counter#1 on_bread_ready" in name and "twice" in name for name in lines)
    before = told_of(area.flow.loom)
    opened.session.show_all()
    qtbot.waitUntil(lambda: told_of(area.flow.loom) != before, timeout=5000)


@pytest.mark.parametrize("weave", ["roster", "pacing", "clips"])
def test_rows_of_every_weave_are_things(opened, listening, qtbot, weave):
    """With what is said of them."""
    opened.session.choose_weave(weave)
    canvas = opened.take_area.woven_now.focusable()[0]
    qtbot.waitUntil(lambda: len(told_of(canvas)) > 5, timeout=10_000)
    rows = [name for name, role in told_of(canvas) if role == QAccessible.Role.RowHeader]
    assert rows and all(rows), rows


def test_links_of_the_story_are_links(opened, said, qtbot):
    """Where the page shows them; the one that Tab comes to is said."""
    story = opened.take_area.story
    story._speech.follow()
    links = [name for name, role in told_of(story.viewport()) if role == QAccessible.Role.Link]
    assert "moonrise_bakery/kitchen.py:291" in links
    assert all(child.geometry().isValid() for child in story.viewport().findChildren(SpokenChild))
    _, first, _ = next(link for link in story._links() if link[0] == "moonrise_bakery/kitchen.py:291")
    story.highlighted.emit(QUrl(story._leads(first)))
    assert said[-1] == "Link: moonrise_bakery/kitchen.py:291"


def test_things_come_and_go_without_harm(qtbot, listening):
    """Many times, in every order of sorts, while a screen reader holds on to them."""
    view = QWidget()
    qtbot.addWidget(view)
    view.show()
    wanted: list[Spoken] = []
    children = SpokenChildren(view, lambda: wanted)
    sorts = ("row", "item", "link")
    gc.freeze()  # what other tests have left would be walked over each time
    for turn in range(24):
        count = (turn * 37) % 90
        wanted[:] = [Spoken(f"thing {n}", (n, n, 9, 9), sorts[(n + turn // 3) % 3]) for n in range(count)]
        children.follow()
        told_of(view)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        gc.collect()
        assert told_of(view) == [(spoken.name, ROLES[spoken.role]) for spoken in wanted]
    gc.unfreeze()


def test_more_things_than_anybody_hears_are_not_made(qtbot, listening):
    """A view of thousands tells the first few hundred."""
    view = QWidget()
    qtbot.addWidget(view)
    children = SpokenChildren(view, lambda: [Spoken(str(n), (0, 0, 1, 1)) for n in range(5000)])
    children.follow()
    assert len(view.findChildren(SpokenChild)) == MOST_CHILDREN


def test_a_click_goes_through_to_what_is_painted(opened, listening, qtbot):
    """Children take no click from the view."""
    loom = opened.take_area.flow.loom
    loom._speech.follow()
    picture = loom.current()
    place = int(next(p for p in range(len(picture.beads)) if picture.beads.call[p] != opened.session.call))
    x, line = float(picture.beads.x[place]), picture.lines[int(picture.beads.line[place])]
    at = QPoint(round(x), round(line.top + 12))
    assert isinstance(loom.childAt(at), SpokenChild | None)
    QTest.mouseClick(loom.window().windowHandle(), Qt.MouseButton.LeftButton, pos=loom.mapTo(loom.window(), at))
    assert opened.session.call == int(picture.beads.call[place])
