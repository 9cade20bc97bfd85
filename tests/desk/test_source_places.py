"""Places of the game's source: found in texts and on this machine, shown in the Story, opened in the user's editor."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtCore import QUrl
from PySide6.QtWidgets import QInputDialog, QMessageBox
from test_window import bakery

import moonrise_bakery
from opossum_desk.editor import EditorError, open_in_editor, parse_command
from opossum_desk.state.source_places import (
    MOST_BYTES,
    SourcePlace,
    find_source,
    lines_around,
    place_of,
    places_in,
    source_roots,
)

__all__ = ["bakery"]


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("it is bound at game/shop.py:24.", ["game/shop.py:24"]),
        ("(at a.gd:8 and /home/me/b.lua:120)", ["a.gd:8", "/home/me/b.lua:120"]),
        ("C:\\game\\main.cs:7", ["C:\\game\\main.cs:7"]),
        ("frame 12:30, Pool<A>::on_tick, 0.5:3, http://x.py", []),
        ("main.py:99999999", []),
    ],
)
def test_places_are_found_in_texts(text, found):
    """Whatever else has a colon is none."""
    places = list(places_in(text))
    assert [str(place) for _, _, place in places] == found
    assert [text[start:stop] for start, stop, _ in places] == found


def test_a_place_by_itself_may_hold_spaces():
    """And what is none is said to be none."""
    assert place_of("my game/a b.py:3") == SourcePlace("my game/a b.py", 3)
    assert place_of("a.py") is place_of("a.py:x") is place_of(":3") is None


def test_a_file_is_looked_for_near_the_take_and_above_it(tmp_path, monkeypatch):
    """And where the desk was started; only a file that can be read is one."""
    source = tmp_path / "game" / "shop.py"
    source.parent.mkdir()
    source.write_text("a\nb\n")
    take = tmp_path / "game" / "takes" / "night.take"
    assert find_source(SourcePlace("shop.py", 1), source_roots([str(take)])) == source
    assert find_source(SourcePlace("game\\shop.py", 1), source_roots([str(take)])) == source
    assert (
        find_source(SourcePlace("shop.py", 1), source_roots([str(tmp_path / "other" / "deep" / "er" / "x.take")]))
        is None
    )
    monkeypatch.chdir(source.parent)
    assert find_source(SourcePlace("shop.py", 1), source_roots(["/nowhere/x.take"])) == source
    os.mkfifo(tmp_path / "game" / "pipe.py")
    (tmp_path / "game" / "huge.py").write_bytes(b"x" * (MOST_BYTES + 1))
    for name in ("pipe.py", "huge.py", "gone.py", "a\0b.py"):
        assert find_source(SourcePlace(name, 1), source_roots([str(take)])) is None


def test_lines_are_shown_as_far_as_there_are_any(tmp_path):
    """A line that the file has not is not shown; bytes that are no text do no harm."""
    path = tmp_path / "a.py"
    path.write_bytes(b"one\n\ttwo \xff\nthree\n")
    assert lines_around(path, 1) == [(1, "one"), (2, "    two �"), (3, "three")]
    assert lines_around(path, 4) == lines_around(tmp_path / "gone.py", 1) == []
    assert lines_around(path, 3, around=0) == [(3, "three")]


def test_the_command_is_a_list_of_words_and_no_shell_sees_them(tmp_path):
    """Names with blanks, quotes and dollars arrive as they are."""
    heard = tmp_path / "heard"
    name = tmp_path / "a $(touch x) 'b'.py"
    name.write_text("")
    code = "import sys; open(sys.argv[1], 'w').write('|'.join(sys.argv[2:]))"
    open_in_editor(f'{sys.executable} -c "{code}" {heard} +{{line}} {{file}}', name, 7)
    deadline = time.monotonic() + 10
    while not (heard.exists() and heard.read_text()) and time.monotonic() < deadline:
        time.sleep(0.02)
    assert heard.read_text() == f"+7|{name}"


@pytest.mark.parametrize(
    ("command", "why"),
    [("ed +{line}", "where the file's name goes"), ("ed '{file}", "not understood"), ("", "where the file")],
)
def test_a_command_that_cannot_open_a_place_is_refused(command, why):
    """With a valid example."""
    with pytest.raises(EditorError, match=why):
        parse_command(command)


def test_one_that_is_not_there_is_said(tmp_path):
    """And where to choose another."""
    with pytest.raises(EditorError, match="cannot be started"):
        open_in_editor("no-such-editor-here {file}", tmp_path / "a.py", 1)


def test_the_story_shows_the_lines_and_its_places_open(bakery, monkeypatch):
    """The bind that is wrong stands among its neighbours; what is not on this machine is said."""
    session, story = bakery.session, bakery.take_area.story
    session.show_finding(next(finding for finding in session.findings if finding.cause == "bound-twice"))
    lines = (Path(moonrise_bakery.__file__).parent / "kitchen.py").read_text().splitlines()
    shown = story.toPlainText().replace("\xa0", " ")
    assert lines[296].strip() in shown and lines[290].strip() in shown
    assert "place:moonrise_bakery/kitchen.py%3A" in story.toHtml()
    opened = []
    monkeypatch.setattr("opossum_desk.editor.open_in_editor", lambda *told: opened.append(told))
    story.anchorClicked.emit(QUrl("place:moonrise_bakery/kitchen.py%3A297"))
    ((command, path, line),) = opened
    assert (command, path.name, line) == ("", "kitchen.py", 297) and "Opened" in bakery.told.toolTip()
    story.anchorClicked.emit(QUrl("place:elsewhere.py%3A3"))
    assert "there is no such file" in bakery.told.toolTip() and len(opened) == 1


def test_the_editor_is_chosen_in_the_menu_and_remembered(bakery, monkeypatch):
    """A command that names no file changes nothing."""
    warned = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *told: warned.append(told))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("myeditor {line}", True))
    bakery.asking.editor()
    assert warned and bakery.memory.kept.editor == ""
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("myeditor +{line} {file}", True))
    bakery.asking.editor()
    assert bakery.memory.kept.editor == "myeditor +{line} {file}"
