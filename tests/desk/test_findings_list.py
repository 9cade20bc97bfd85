"""The list of findings: nothing of what is wrong is cut, however narrow the list, and it is written anew when it grows wider."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QRect
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QLabel, QStyleOptionViewItem

from opossum_desk.layout.wording import cause_title, group_title
from opossum_desk.take_area.finding_delegate import FINDING_ROLE, WRAPPED
from opossum_desk.take_area.findings_list import FindingsList


@pytest.fixture
def listed(opened) -> FindingsList:
    """Return the list of the bakery's night."""
    return opened.take_area.findings


def height_of(listed: FindingsList, cause: str) -> int:
    """Return how tall the row of the first finding of a cause is, as it is laid out."""
    item = next(item for item in listed.items() if item.data(FINDING_ROLE) and item.data(FINDING_ROLE).cause == cause)
    return listed.visualRect(item.index()).height()


def test_a_long_cause_is_written_on_as_many_lines_as_it_needs(listed, opened, qtbot):
    """In the list's usual width; in a wide one it needs one, as a short one does."""
    line = listed.fontMetrics().height()
    assert height_of(listed, "called-after-gone") >= height_of(listed, "slow-call") + line - 2
    opened.take_area.split.setSizes([520, 400, 300])
    qtbot.waitUntil(lambda: height_of(listed, "called-after-gone") == height_of(listed, "slow-call"), timeout=5_000)


@pytest.mark.parametrize("width", [180, 216, 400])
def test_every_finding_has_the_room_that_its_words_need(listed, opened, qtbot, width):
    """Name, count and cause, also of those that follow from others."""
    opened.take_area.split.setSizes([width, 690, 300])
    qtbot.wait(10)
    option = QStyleOptionViewItem()
    option.initFrom(listed)
    option.fontMetrics = metrics = QFontMetrics(listed.font())
    delegate = listed.itemDelegate()
    seen = set()
    for item in listed.items():
        finding = item.data(FINDING_ROLE)
        if finding is None:
            continue
        room = listed.room(item.index())
        lines = delegate._lines(finding, metrics, room)
        words = metrics.boundingRect(QRect(0, 0, lines.cause_room, 10_000), WRAPPED, cause_title(finding))
        assert words.height() <= lines.cause_px
        beside = metrics.horizontalAdvance(lines.name) + metrics.horizontalAdvance(lines.how_often)
        assert beside < room if lines.count_is_above else lines.cause_room < room
        assert delegate.sizeHint(option, item.index()).height() > metrics.height() + lines.cause_px
        seen.add(lines.count_is_above)
    assert seen == ({True, False} if width < 400 else {True})


def test_a_title_is_cut_to_the_room_it_has(opened, qtbot):
    """With dots, and whole again when there is room; who listens is told the whole."""
    label = next(
        label for label in opened.take_area.story_panel.findChildren(QLabel) if label.text().startswith("Story")
    )
    whole = label.text()
    label.resize(60, label.height())
    assert label.text().endswith("…") and len(label.text()) < len(whole)
    assert label.accessibleName() == whole
    label.resize(600, label.height())
    assert label.text() == whole


def test_no_finding_is_marked_while_none_is_shown(listed, opened):
    """The list does not say what the Story does not tell; keys go on from where they were."""
    assert len(listed.selectedIndexes()) == 1
    here = listed.currentIndex()
    while opened.session.finding is not None:
        assert opened.session.go_back()
    assert not listed.selectedIndexes()
    assert listed.currentIndex() == here


@pytest.mark.parametrize(
    ("kind", "cause", "group"),
    [
        ("threshold-missed", "doubled", "It fires twice"),
        ("threshold-missed", "jumped", "It never comes"),
        ("mark-late", "skipped", "It never comes"),
        ("mark-late", "late", "It comes too early or late"),
        ("no-such-kind", "at-all", "no-such-kind"),
    ],
)
def test_a_finding_is_listed_under_the_symptom_of_its_cause_or_of_its_kind(opened, kind, cause, group):
    """What came twice is not looked for among what never came."""
    assert group_title(replace(opened.session.findings[0], kind=kind, cause=cause)) == group
