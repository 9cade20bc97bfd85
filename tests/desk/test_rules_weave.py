"""The weave Rules: layouts without Qt, and the desk as a user drives it."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt, QUrl
from test_window import opened

from opossum.findings.examine import examine
from opossum.rules.against import rule_against
from opossum.rules.checking import check
from opossum.rules.completing import completions, names_of
from opossum.rules.parsing import parse_rules
from opossum.rules.writing import add_rule
from opossum.take.archive import save_take
from opossum_desk.layout.row_picture import RowsView
from opossum_desk.rules.layout.picture import Strips, layout_rules, stack_rows
from opossum_desk.rules.layout.rows import Sort, rule_rows
from opossum_desk.rules_on_desk import check_files
from opossum_desk.state.rules_of_take import rule_file_of
from opossum_desk.state.session import Session

VIEW = RowsView(900.0, 900.0, 0.0, 200.0, 20.0)


@pytest.fixture
def session(night, tmp_path) -> Session:
    """Return a night with rules of which one broke, one held, one had no occasion, and one cannot be read."""
    rules = tmp_path / "game.rules"
    rules.write_text(
        "every send of bread_ready causes exactly 1 call of Counter.on_bread_ready\n"
        "every send of sale is heard\nevery send of xyz is heard\nevry send\n"
    )
    session = Session(night("bound-twice"))
    session.rules.show(check_files(session, [rules]))
    return session


def test_what_broke_comes_first_and_what_had_no_occasion_is_folded(session):
    """Mistakes above all, with file, line and column."""
    rows = rule_rows(session, set())
    assert [(row.sort, row.title) for row in rows] == [
        (Sort.MISTAKE, "game.rules:4:1"),
        (Sort.HEAD, "1 rule broke"),
        (Sort.RULE, "broke 15 of 15"),
        (Sort.HEAD, "1 rule held"),
        (Sort.RULE, "held 11 times"),
        (Sort.HEAD, "1 rule had no occasion"),
        (Sort.HEAD, "What always held here"),
    ]
    assert len(rule_rows(session, {"no occasion"})) == len(rows) + 1
    assert len(rule_rows(session, {"broke", "held"})) == len(rows) - 2


def test_a_strip_shows_where_it_broke(session):
    """A tall bar at each pixel that holds a break, which can be pointed at."""
    rows = rule_rows(session, set())
    picture = layout_rules(session, Strips(session), rows, stack_rows(rows, 20.0, 690.0), VIEW)
    rose = [bars for bars in picture.bars if bars.role == "rose"]
    assert len(rose) == 1
    height = rose[0].bottoms - rose[0].tops
    assert 10 <= int((height > 0).sum()) <= 15
    (run,) = picture.dots
    outcome = session.rules.checked.outcomes[0]
    assert run.kind == "column" and {int(session.axis.numbers[column]) for column in run.rows} <= {
        item.frame for item in outcome.breaks
    }


def test_without_rules_it_says_how_to_write_one(night):
    """And where they are kept."""
    session = Session(night())
    session.rules.show(check_files(session, []))
    rows = rule_rows(session, set())
    picture = layout_rules(session, Strips(session), rows, stack_rows(rows, 20.0, 690.0), VIEW)
    text = " ".join(words.text for words in picture.words)
    assert "Write one above" in text and "opossum check" in text


@pytest.mark.parametrize(
    ("begun", "offered"),
    [
        ("ev", "every"),
        ("every se", "send"),
        ("every send of bread", "bread_ready"),
        ("every call of Counter", "Counter.on_bread_ready"),
        ("every send of bread_ready is he", "heard"),
        ("every call by Cust", "Customer"),
        ("queue be", "bench"),
        ("value inc", "income"),
        ("no cut of knead", "knead_slow"),
        ("in each frame, at most 3 send of bread_ready co", "comes"),
    ],
)
def test_what_may_come_next_is_offered(night, begun, offered):
    """Words of the language where they may stand, names by what they name."""
    assert offered in completions(begun, names_of(night()))


def test_nothing_is_offered_behind_a_mistake(night):
    """What is wrong before cannot be gone on with."""
    assert completions("evry send of br", names_of(night())) == []


@pytest.mark.parametrize(
    "fault",
    [
        "bound-twice",
        "armed-twice",
        "called-after-gone",
        "left-bound",
        "every-frame",
        "clip-without",
        "raised",
        "two-routes",
        "slow-call",
        "near-name",
        "sent-before-bind",
    ],
)
def test_any_finding_gives_a_rule_that_keeps_it_away(night, fault):
    """It breaks where the finding shows, and not in the night without."""
    take = night(fault, seconds=100.0)
    finding = examine(take)[0]
    book = parse_rules(rule_against(finding))
    assert book.errors == [] and book.rules[0].severity == finding.severity.value
    assert check(take, book.rules)[0].broken > 0
    assert check(night(seconds=100.0), book.rules)[0].broken == 0


def test_rules_are_added_to_a_file_whole(tmp_path):
    """Made if need be; what stood there stays, with a line of its own for each."""
    file = tmp_path / "game.rules"
    add_rule(file, "every send of a is heard")
    add_rule(file, "no send of b\n  comes")
    assert file.read_text().splitlines()[1:] == ["every send of a is heard", "no send of b comes"]
    assert rule_file_of(str(tmp_path / "night.take")) == file
    file.unlink()
    assert rule_file_of(str(tmp_path / "night.flow.jsonl.gz")) == tmp_path / "night.rules"


# --- on the desk --------------------------------------------------------------------------------------


@pytest.fixture
def ruled(desk, qtbot, night, tmp_path):
    """Return a desk with a faulty night open that has a rule beside it, the weave Rules shown."""
    save_take(night("bound-twice"), tmp_path / "night.take")
    (tmp_path / "game.rules").write_text("every send of bread_ready causes exactly 1 call of Counter.on_bread_ready\n")
    opened(desk, qtbot, tmp_path / "night.take")
    desk.session.choose_weave("rules")
    qtbot.waitUntil(lambda: desk.session.rules.checked is not None, timeout=10_000)
    return desk


def weave(desk):
    return desk.take_area.weave("rules")


def test_a_rule_is_written_checked_and_kept(ruled, qtbot, tmp_path):
    """By typing and Enter; it stands in the file, and its strip among the others."""
    line = weave(ruled).line.line
    line.setFocus()
    qtbot.keyClicks(line, "every send of sale is heard")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: len(ruled.session.rules.checked.outcomes) == 2, timeout=10_000)
    assert (tmp_path / "game.rules").read_text().splitlines()[-1] == "every send of sale is heard"
    assert line.text() == "" and ruled.session.rules.checked.outcomes[1].verdict == "held"


def test_a_mistake_is_said_and_not_written(ruled, qtbot, tmp_path):
    """With the nearest word, and the cursor where it is."""
    line = weave(ruled).line
    before = (tmp_path / "game.rules").read_text()
    qtbot.keyClicks(line.line, "every send of sale is herad")
    qtbot.keyClick(line.line, Qt.Key.Key_Return)
    assert "did you mean `heard`?" in line.told.text() and not line.told.isHidden()
    assert line.line.cursorPosition() == 22 and (tmp_path / "game.rules").read_text() == before
    qtbot.keyClick(line.line, Qt.Key.Key_Escape)
    assert line.line.text() == "" and line.told.isHidden()


def test_what_is_offered_is_put_in_place_of_the_word(ruled):
    """Names of the take after what names them."""
    line = weave(ruled).line
    line.line.setText("every send of bre")
    line.line.setCursorPosition(17)
    assert line.offered()[0] == "bread_ready"
    line._complete("bread_ready")
    assert line.line.text() == "every send of bread_ready "


def test_a_file_that_is_changed_elsewhere_is_checked_again(ruled, qtbot, tmp_path):
    """An editor writes into it."""
    add_rule(tmp_path / "game.rules", "no send of sale comes")
    qtbot.waitUntil(lambda: len(ruled.session.rules.checked.outcomes) == 2, timeout=10_000)
    add_rule(tmp_path / "game.rules", "no send of coin comes")
    qtbot.waitUntil(lambda: len(ruled.session.rules.checked.outcomes) == 3, timeout=10_000)


def test_the_story_writes_a_rule_against_a_finding(ruled, qtbot, tmp_path):
    """And shows it."""
    ruled.session.choose_weave("flow")
    ruled.session.show_finding(ruled.session.findings[0])
    assert "Write a rule against it" in ruled.take_area.story.toPlainText()
    ruled.take_area.story.follow(QUrl("rule:"))
    qtbot.waitUntil(lambda: len(ruled.session.rules.checked.outcomes) == 2, timeout=10_000)
    assert ruled.session.weave == "rules" and ruled.session.rules.checked.outcomes[1].verdict == "broke"
    assert "causes at most 1 call of Counter.on_bread_ready" in (tmp_path / "game.rules").read_text()


def test_clicking_a_break_goes_there(ruled, qtbot):
    """The frame is selected in all views; walking to the row goes to the first."""
    canvas = weave(ruled).canvas
    (run,) = canvas.current().dots
    at = QPoint(round(float(run.xs[3])), round(float(run.ys[3])))
    qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at)
    assert ruled.session.column == int(run.rows[3])
    canvas.walk_to(1)
    outcome = ruled.session.rules.checked.outcomes[0]
    assert int(ruled.session.axis.numbers[ruled.session.column]) == outcome.breaks[0].frame
    assert "caused 2 ×" in canvas.describe_row(1)


def test_what_always_held_is_looked_for_and_kept(ruled, qtbot, tmp_path):
    """Unfolded it is looked for, off the window's thread; any of it can be kept."""
    canvas = weave(ruled).canvas
    canvas.fold(next(place for place, row in enumerate(canvas.rows) if row.key == "suggested"))
    qtbot.waitUntil(lambda: ruled.session.rules.suggested is not None, timeout=30_000)
    rows = [row for row in canvas.rows if row.sort is Sort.SUGGESTED]
    assert len(rows) > 50
    canvas.wanted.emit(f"{rows[0].suggested.candidate.severity}: {rows[0].text}")
    qtbot.waitUntil(lambda: len(ruled.session.rules.checked.outcomes) == 2, timeout=10_000)
    assert rows[0].text in Path(tmp_path / "game.rules").read_text()


def test_the_shipped_take_keeps_no_rules(desk, qtbot):
    """There is no folder of the user's beside it: what to do is said."""
    desk.open_demo()
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=20_000)
    desk.session.choose_weave("rules")
    qtbot.waitUntil(lambda: desk.session.rules.checked is not None, timeout=10_000)
    assert desk.takes.rules.write("every send of a is heard") is False
    assert "save this take first" in desk.told.toolTip()


def test_rules_wait_for_a_game_to_end(ruled, qtbot):
    """While it plays a deadline may still be met; it is said, and checked afterwards."""
    ruled.session.playing = True
    ruled.takes.rules.check()
    assert "when it has ended" in ruled.session.rules.trouble
    assert weave(ruled).canvas.rows[0].text == ruled.session.rules.trouble
    ruled.session.playing = False
    ruled.takes.rules.check()
    qtbot.waitUntil(lambda: ruled.session.rules.trouble == "", timeout=10_000)
