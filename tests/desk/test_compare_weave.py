"""The weave Compare: layouts without Qt, and the desk as a user drives it."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt, QUrl
from test_window import opened

from opossum.compare.comparison import compared
from opossum.compare.side import Side
from opossum.findings.examine import examine
from opossum.take.archive import save_take
from opossum_desk.compare.layout.picture import Clock, layout_compare, stack_rows
from opossum_desk.compare.layout.rows import Sort, compare_rows
from opossum_desk.compare.layout.side_by_side import SideBySide
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import RowPicture, RowsView
from opossum_desk.layout.wording import wrapped
from opossum_desk.state.session import Session

LINE_PX = 20.0
VIEW = RowsView(900.0, 700.0, 0.0, 200.0, LINE_PX)


@pytest.fixture
def session(night) -> Session:
    """Return a night in which each loaf is counted twice, beside the healthy one."""
    session = Session(night("bound-twice"))
    session.set_findings(examine(session.take))
    comparison = compared((Side(night(), "BEFORE"), Side(session.take, "AFTER")), (examine(night()), session.findings))
    session.beside.show(comparison)
    return session


def drawn(session: Session, folded: set[str] | None = None) -> tuple[RowPicture, list, SideBySide]:
    """Return the picture of a session's Compare, with its rows."""
    known = SideBySide(session.beside.comparison, session.take)
    rows = compare_rows(known, session, folded or set())
    return (
        layout_compare(known, Clock(known, session), session, rows, stack_rows(rows, LINE_PX, 690.0), VIEW),
        rows,
        known,
    )


def test_the_first_difference_is_told_with_its_listeners_under_it(session):
    """And what agrees is one line, folded."""
    _, rows, _ = drawn(session)
    told = [row for row in rows if row.sort is Sort.DIFFERENCE]
    assert [(row.title, row.text) for row in told] == [
        (
            "first difference, frame 40",
            "Counter.on_bread_ready is bound to bread_ready once more in AFTER. 15 calls follow.",
        )
    ]
    at = rows.index(told[0])
    assert rows[at + 1].listener.name == ("Counter", "Counter.on_bread_ready", "bread_ready")
    assert rows[at + 2].sort is Sort.HEAD and rows[at + 2].title.endswith("listeners did the same in both")
    assert len(rows) == at + 3


def test_before_stands_above_after_and_what_is_new_is_filled(session):
    """Fifteen dots above, each small and faint; fifteen more below, in the colour of what is wrong."""
    picture, _, known = drawn(session)
    lanes = next(item for item in known.listeners.values() if item.name[1] == "Counter.on_bread_ready").lanes
    assert [len(lane.seconds) for lane in lanes] == [15, 30] and [int(lane.lone.sum()) for lane in lanes] == [0, 15]
    new = [run for run in picture.dots if run.via == "wrong"]
    assert len(new) == 1 and new[0].state is BeadState.DID and len(new[0].xs) == 15
    agreed = [run for run in picture.dots if run.via == "direct"]
    assert {run.faded for run in agreed} == {True} and len({float(run.ys[0]) for run in agreed}) == 2
    assert min(float(run.ys[0]) for run in agreed) < float(new[0].ys[0])
    # the calls of the take on the desk can be chosen; those of the other are none of its rows
    assert set(new[0].rows.tolist()) <= set(range(len(session.take.calls)))
    assert (agreed[0].rows < 0).all()


def test_what_is_gone_is_hollow(night):
    """The other way round."""
    session = Session(night())
    session.beside.show(compared((Side(night("bound-twice"), "BEFORE"), Side(night(), "AFTER"))))
    picture, _, _ = drawn(session)
    gone = [run for run in picture.dots if run.via == "wrong"]
    assert len(gone) == 1 and gone[0].state is BeadState.IDLE and (gone[0].rows < 0).all()


def test_the_marker_stands_where_the_first_difference_lies(session):
    """Through its rows and no others."""
    picture, _, _ = drawn(session, {"same"})
    markers = [lines for lines in picture.lines if lines.role == "focus"]
    assert len(markers) == 2
    x = float(markers[0].ends[0][0])
    column = session.axis.column_at(picture.scale.position(x))
    assert abs(int(session.axis.numbers[column]) - 40) <= 1


def test_a_rehearsed_side_lies_below(session):
    """The take on the desk is the one before then, and its calls can be chosen."""
    from opossum.rehearse.rehearsal import rehearse

    told = rehearse(session.take, session.findings[0], session.findings)
    session.beside.show(told.comparison, told.lines())
    picture, rows, known = drawn(session)
    assert known.own == 0 and rows[0].title == "how alike"
    gone = next(run for run in picture.dots if run.via == "wrong")
    assert gone.state is BeadState.IDLE and (gone.rows >= 0).all() and len(gone.xs) == 15
    assert any("is taken away" in row.text for row in rows)


def test_what_does_not_pass_the_sieve_is_hidden_with_the_rest(session):
    """By name, class or event."""
    session.set_sieve("ledger")
    session.set_hide_unmatched(True)
    _, rows, _ = drawn(session, {"same"})
    names = {row.listener.name[0] for row in rows if row.listener is not None}
    assert names == {"Ledger"}


def test_lines_fit_their_width():
    """Words are kept whole."""
    lines = wrapped("one two three four five six seven eight nine ten", 200.0)
    assert " ".join(lines) == "one two three four five six seven eight nine ten" and max(map(len, lines)) <= 30
    assert wrapped("", 100.0) == []


# --- on the desk --------------------------------------------------------------------------------------


@pytest.fixture
def beside(desk, qtbot, night, tmp_path):
    """Return a desk with a faulty night open, and the healthy one in a file beside."""
    save_take(night("bound-twice"), tmp_path / "after.take")
    save_take(night(), tmp_path / "before.take")
    opened(desk, qtbot, tmp_path / "after.take")
    return desk


def compare_shown(desk, qtbot) -> None:
    qtbot.waitUntil(lambda: desk.session.beside.comparison is not None, timeout=20_000)


def test_another_take_is_set_beside_and_looked_at(beside, qtbot, tmp_path, monkeypatch):
    """Asked for by its key; it is read off the window's thread, and the weave is shown."""
    from PySide6.QtWidgets import QFileDialog

    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "before.take"), ""))
    view = beside.take_area.woven_now.focusable()[0]
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    compare_shown(beside, qtbot)
    assert beside.session.weave == "compare" and "0 findings gone, 1 new" in beside.told.toolTip()
    canvas = beside.take_area.weave("compare").canvas
    assert canvas.summary() == "BEFORE against AFTER: 1 difference told."
    row = next(place for place, item in enumerate(canvas.rows) if item.sort is Sort.DIFFERENCE)
    canvas.walk_to(row)
    assert int(beside.session.axis.numbers[beside.session.column]) in (39, 40)
    rows = len(canvas.rows)
    canvas.fold(row)
    assert len(canvas.rows) == rows - 1
    beside.session.go_back()


def test_what_cannot_be_read_is_said_and_nothing_is_lost(beside, qtbot, tmp_path):
    """In the status line; what was beside stays."""
    (tmp_path / "bad.take").write_bytes(b"PK\x03\x04 rubbish")
    beside.takes.beside.set_beside(str(tmp_path / "bad.take"))
    qtbot.waitUntil(
        lambda: "bad.take" in beside.told.toolTip() and "Reading" not in beside.told.toolTip(), timeout=10_000
    )
    assert beside.session.beside.comparison is None


def test_the_story_rehearses_a_fix(beside, qtbot):
    """A link of the chosen finding; the same by its key; where there is no fix it is said why."""
    beside.session.show_finding(beside.session.findings[0])
    story = beside.take_area.story
    assert "Rehearse this fix" in story.toPlainText()
    story.follow(QUrl("rehearse:"))
    compare_shown(beside, qtbot)
    assert beside.session.beside.comparison.labels == ("AS RECORDED", "REHEARSED")
    assert beside.session.weave == "compare" and "Rehearsed:" in beside.told.toolTip()


def test_nothing_beside_has_a_face(beside, qtbot):
    """Which says what to do; keys raise nothing."""
    beside.session.choose_weave("compare")
    canvas = beside.take_area.weave("compare").canvas
    assert "Ctrl+B" in canvas.current().empty and canvas.summary() == "Nothing lies beside this take."
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
        qtbot.keyClick(canvas, key, Qt.KeyboardModifier.ShiftModifier)
    canvas.fold(0)
    assert canvas.describe_row(3) == "" and not canvas.grab().isNull()
    assert np.asarray(canvas.stack.tops).tolist() == [0.0]


def test_a_comparison_of_a_take_that_is_gone_is_dropped(beside, qtbot, tmp_path):
    """Another take was opened meanwhile."""
    before = beside.session
    beside.takes.beside.set_beside(str(tmp_path / "before.take"))
    opened(beside, qtbot, tmp_path / "before.take")
    qtbot.wait(400)
    assert beside.session is not before and beside.session.beside.comparison is None


def test_two_peers_of_one_take_are_set_beside_each_other(desk, qtbot, tmp_path):
    """The one whose frames the axis shows, and the next; a lone one is told so."""
    from tape import Tape

    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest")
    for peer in ("host", "guest"):
        tape("bind", b=1, ev="hit", o="door#1", fn="Door.on_hit", p=peer)
    for turn in range(12):
        for peer in ("host", "guest"):
            tape("frame", n=turn, p=peer)
            if (turn, peer) != (5, "guest"):
                number = turn + 1
                tape("send", s=number, ev="hit", via="net", net=f"k{turn}", p=peer)
                tape("call", c=number, s=number, b=1, o="door#1", fn="Door.on_hit", p=peer)
                tape("ret", c=number, eff=1, p=peer)
        tape.ms(300)
    (tmp_path / "session.flow.jsonl").write_bytes(tape.bytes())
    opened(desk, qtbot, tmp_path / "session.flow.jsonl")
    desk.beside.set_peers_beside()
    compare_shown(desk, qtbot)
    comparison = desk.session.beside.comparison
    assert comparison.labels == ("host", "guest") and len(comparison.differences) == 1
    canvas = desk.take_area.weave("compare").canvas
    assert not canvas.grab().isNull() and any(row.title.startswith("from outside") for row in canvas.rows)


def test_a_lone_peer_has_none_beside_it(beside):
    """It is said."""
    beside.beside.set_peers_beside()
    assert "has one peer" in beside.told.toolTip()
