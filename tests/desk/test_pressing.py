"""What many calls look like: marks where calls are, as tall as there are many, and nothing where there are none."""

import numpy as np
import pytest

from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.pressing import LOW, press_density
from opossum_desk.layout.heights import Heights
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from tape import Tape

FRAMES = 4000


@pytest.fixture
def session() -> Session:
    """Return a take with a bell that rings on every hundredth frame, and runs for nothing in its second half."""
    tape = Tape()
    bell = tape.bind("ring", "bell#1", "Bell.on_ring")
    for number in range(FRAMES):
        tape.frame()
        if number % 100 == 50:
            tape.heard("ring", bell, eff=int(number < FRAMES / 2))
    tape("idle")
    return Session(tape.take())


@pytest.mark.parametrize("ratio", [1.0, 1.5, 2.0])
@pytest.mark.parametrize("heights", [Heights(), Heights(row=25.0), Heights.of_text(26)])
def test_marks_stand_where_calls_are_and_nowhere_else(qtbot, session, ratio, heights):
    """At every size of rows and every scale of the screen: no line where nothing was called, two heights of marks."""
    session.show_all()
    picture = layout_loom(session, 1000, 200, 0.0, 200.0, heights)
    assert picture.density is not None and len(picture.lines) == 1
    canvas = np.zeros((int(200 * ratio), int(1000 * ratio)), np.uint32)
    press_density(picture, picture.density, session, Look("day"), canvas, ratio)

    tall = (canvas > 0).sum(axis=0)
    filled = np.flatnonzero(tall)
    marks = np.split(filled, np.flatnonzero(np.diff(filled) > 1) + 1)
    assert len(marks) == FRAMES / 100
    assert max(len(mark) for mark in marks) <= 3 * ratio + 1
    did, idle = tall[filled[filled < filled.mean()]], tall[filled[filled > filled.mean()]]
    assert did.max() <= 15 * ratio and idle.max() == pytest.approx(did.max() * LOW, abs=1.5 * ratio)
    rows = np.flatnonzero((canvas > 0).any(axis=1))
    middle = (picture.lines[0].top + heights.row / 2) * ratio
    assert (rows.min() + rows.max()) / 2 == pytest.approx(middle, abs=ratio)
