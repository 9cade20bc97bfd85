"""Marked frames and notes, kept beside the take in an open file."""

from __future__ import annotations

import json
import shutil

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog
from test_window import opened

from moonrise_bakery import demo_take_path
from opossum_desk.memory import Memory
from opossum_desk.state.marks_file import Mark, MarksError, marks_path, read_marks, write_marks
from opossum_desk.window import DeskWindow


@pytest.fixture
def night(tmp_path):
    """Return the path of a copy of the bakery's take."""
    path = tmp_path / "night.take"
    shutil.copy(demo_take_path(), path)
    return path


def test_what_is_written_is_read(tmp_path):
    """By peer and frame, in a file that says what it is; with no mark left it goes."""
    path = tmp_path / "a.take.marks.json"
    marks = [Mark("main", 792, "bread “twice”\x1b"), Mark("client", -1), Mark("main", 3)]
    write_marks(path, marks)
    assert sorted(read_marks(path)) == sorted(marks)
    assert json.loads(path.read_text())["format"] == "opossum-marks"
    write_marks(path, [])
    assert not path.exists() and read_marks(path) == []


@pytest.mark.parametrize(
    "text",
    ["", "{", "[" * 100_000, "[]", '{"format": "other", "version": 1}', '{"format": "opossum-marks", "version": 2}'],
)
def test_a_file_that_is_none_is_said_to_be_none(tmp_path, text):
    """In one sentence; it is not touched."""
    path = tmp_path / "a.take.marks.json"
    path.write_text(text)
    with pytest.raises(MarksError, match=r"a\.take\.marks\.json: "):
        read_marks(path)
    assert path.read_text() == text


def test_what_is_no_mark_is_left_out(tmp_path):
    """The others are kept; of two to one frame the last counts."""
    path = tmp_path / "a.take.marks.json"
    sound = {"peer": "main", "frame": 3, "note": "x"}
    entries = [
        7,
        None,
        {"peer": 1, "frame": 2},
        {"peer": "main", "frame": True},
        {"peer": "main", "frame": 2**60},
        sound,
    ]
    path.write_text(json.dumps({"format": "opossum-marks", "version": 1, "marks": [*entries, sound | {"note": "y"}]}))
    assert read_marks(path) == [Mark("main", 3, "y")]


def test_a_note_is_written_kept_and_told(desk, qtbot, night, monkeypatch, tmp_path):
    """Shift+B writes it; ] tells it; another desk reads it from beside the take."""
    opened(desk, qtbot, night)
    loom = desk.take_area.flow.loom
    loom.setFocus()
    qtbot.keyClick(loom, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert "Select a frame first" in desk.told.toolTip()
    desk.session.select_column(792)
    number = int(desk.session.axis.numbers[792])
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("bread comes twice", True))
    qtbot.keyClick(loom, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert read_marks(marks_path(str(night))) == [Mark("main", number, "bread comes twice")]
    desk.session.select_column(3)
    qtbot.keyClick(loom, Qt.Key.Key_BracketRight)
    assert desk.session.column == 792 and desk.told.toolTip() == "Marked: bread comes twice"

    other = DeskWindow(Memory(tmp_path / "other"), desk.look)
    qtbot.addWidget(other)
    opened(other, qtbot, night)
    assert other.session.marks.columns == [792] and other.session.marks.notes == {792: "bread comes twice"}
    other.session.select_column(792)
    assert not other.session.marks.toggle(other.session.column)
    assert other.session.marks.notes == {} and not marks_path(str(night)).exists()
    other.close()


def test_a_file_that_is_not_understood_is_not_written_over(desk, qtbot, night):
    """It is said, and marks are remembered by the desk alone."""
    marks_path(str(night)).write_text("mine")
    opened(desk, qtbot, night)
    desk.session.select_column(5)
    desk.session.marks.toggle(desk.session.column)
    assert marks_path(str(night)).read_text() == "mine"
    assert desk.memory.bookmarks(str(night)) == [5]


def test_the_shipped_take_gets_no_file_beside_it(desk, qtbot):
    """It lies where nobody's notes belong."""
    opened(desk, qtbot, demo_take_path())
    desk.session.select_column(5)
    desk.session.marks.toggle(desk.session.column)
    assert not marks_path(str(demo_take_path())).exists()
    desk.session.marks.toggle(desk.session.column)
