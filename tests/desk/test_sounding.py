"""Tracks with what was given of them: their sound's outline and their planned cues on the strand."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtWidgets import QFileDialog, QMenu

from opossum.sound.cues import Cue
from opossum.sound.waveform import read_waveform
from opossum.take.archive import save_take
from opossum_desk.flow.layout.strand_rows import gather_strands
from opossum_desk.flow.layout.strands import layout_strands
from opossum_desk.flow.strands import StrandsView
from opossum_desk.layout.heights import STRAND_PX
from opossum_desk.memory import Memory
from opossum_desk.state.session import Session
from opossum_desk.state.sounds import Sound
from opossum_desk.views.look import Look
from sound.test_waveform import RATE, written
from tape import Stage


def concert() -> Stage:
    """A track of four seconds that begins in its second one, at frame 60."""
    stage = Stage()
    stage.at(60, do=lambda: stage.play("radio#1", "waltz", 4.0, [], what="track", **{"from": 1.0}))
    stage.at(240, do=lambda: stage("stop", y=1, how="end"))
    return stage.run(300)


@pytest.fixture
def waltz(tmp_path):
    """Return a sound of four seconds, loud in its third."""
    samples = np.zeros(RATE * 4)
    samples[RATE * 2 : RATE * 3] = 0.8
    return written(tmp_path / "waltz.wav", samples)


def drawn(session: Session, width: float = 800.0):
    """Return the picture of the track's strand."""
    rows = [row for row in gather_strands(session.take) if row.kind == "track"]
    return layout_strands(session, rows, width, STRAND_PX, 0, 200.0)


def test_the_sound_lies_where_it_was_played(waltz):
    """From its second second on: what is loud in it comes a second after the track began."""
    session = Session(concert().take())
    assert drawn(session).bars == []
    session.sounds.give("waltz", Sound(read_waveform(waltz)))
    picture = drawn(session)
    (bars,) = picture.bars
    heights = bars.bottoms - bars.tops
    xs = bars.left + np.arange(len(heights))
    loud = xs[heights > 3]
    column = 60
    assert loud[0] == pytest.approx(picture.scale.x(column + 60), abs=2)
    assert loud[-1] == pytest.approx(picture.scale.x(column + 120), abs=2)
    assert bars.left == pytest.approx(picture.scale.x(column), abs=1.5) and heights.max() <= STRAND_PX


def test_planned_cues_are_fine_lines(waltz):
    """Those before the place it began at, and after its end, are not drawn; what was given of the other stays."""
    session = Session(concert().take())
    session.sounds.give("waltz", Sound(read_waveform(waltz)))
    session.sounds.give("waltz", Sound(cues=(Cue(0.5, "before"), Cue(2.0, "verse"), Cue(9.0, "after"))))
    picture = drawn(session)
    (plans,) = [run.ends for run in picture.runs if run.shape == "plan"]
    assert len(picture.bars) == 1
    assert plans[:, 0].tolist() == pytest.approx([picture.scale.x(60 + 60)], abs=1.5)


def test_of_very_many_cues_the_last_are_drawn_too(waltz):
    """One line a pixel at most, wherever in the file they stand."""
    session = Session(concert().take())
    session.sounds.give("waltz", Sound(cues=tuple(Cue(1.0 + n / 2000, str(n)) for n in range(5000))))
    (xs,) = [run.ends[:, 0].tolist() for run in drawn(session).runs if run.shape == "plan"]
    scale = drawn(session).scale
    assert len(xs) == len({int(x) for x in xs}) > 200
    assert min(xs) == pytest.approx(scale.x(60), abs=1.5) and max(xs) == pytest.approx(scale.x(60 + 150), abs=1.5)


def test_it_is_given_from_the_strands_menu(desk, qtbot, monkeypatch, waltz, tmp_path):
    """Read off the window's thread; what cannot be read is said."""
    desk.takes.show(Session(concert().take()))
    qtbot.waitUntil(lambda: desk.session.examined, timeout=10_000)
    strands = desk.take_area.flow.strands
    row = next(item.row for item in strands.ordered if item.row.kind == "track")
    menu = QMenu()
    strands._add_strand_actions(menu, desk.session, row)
    action = next(action for action in menu.actions() if action.text() == "Give “waltz” its sound or its cues …")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(waltz), ""))
    action.trigger()
    qtbot.waitUntil(lambda: "waltz: 4.0 s of sound." in desk.told.toolTip(), timeout=10_000)
    assert len(strands.current().bars) == 1 and not strands.grab().isNull()
    cues = tmp_path / "waltz.txt"
    cues.write_text("2 verse\n3 chorus\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(cues), ""))
    action.trigger()
    qtbot.waitUntil(lambda: "waltz: 2 cues." in desk.told.toolTip(), timeout=10_000)
    cues.write_text("soon\n")
    action.trigger()
    qtbot.waitUntil(lambda: "line 1" in desk.told.toolTip(), timeout=10_000)


def test_what_was_given_is_remembered_for_the_take(desk, qtbot, monkeypatch, waltz, tmp_path):
    """The latest sound and the latest cues of a clip come back when its take is opened; a file that is gone is said."""
    own = tmp_path / "concert.take"
    save_take(concert().take(), own)
    cues = tmp_path / "waltz.txt"
    cues.write_text("2 verse\n")
    desk.open_paths([str(own)])
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=10_000)
    for given in (cues, waltz):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, given=given: (str(given), ""))
        desk.session.sound_of("waltz")
    qtbot.waitUntil(lambda: "waltz: 4.0 s of sound." in desk.told.toolTip(), timeout=10_000)
    assert desk.session.sounds.of("waltz").cues == (Cue(2.0, "verse"),)
    assert Memory(desk.memory._state.parent).sound_files(str(own)) == []  # written when the window closes
    desk.memory.save()
    assert Memory(desk.memory._state.parent).sound_files(str(own)) == [("waltz", str(cues)), ("waltz", str(waltz))]
    before, said, say = desk.session, [], desk.told.setToolTip
    monkeypatch.setattr(desk.told, "setToolTip", lambda text: (said.append(text), say(text)))
    cues.unlink()
    desk.open_paths([str(own)])
    qtbot.waitUntil(lambda: desk.session is not before and desk.session.sounds.of("waltz") is not None, timeout=10_000)
    sound = desk.session.sounds.of("waltz")
    assert sound.waveform.seconds == 4.0 and sound.cues == ()
    # what else is said meanwhile, of the take that was opened, may come after it
    qtbot.waitUntil(lambda: any("waltz.txt: cannot be read" in text for text in said), timeout=10_000)


@pytest.mark.parametrize("scheme", ["day", "night"])
def test_the_sound_is_seen_on_its_bar(qtbot, waltz, scheme):
    """The ground of the bar does not hide it, and it does not hide the planned cues."""
    look = Look(scheme)
    view = StrandsView(look)
    qtbot.addWidget(view)
    view.resize(800, 200)
    session = Session(concert().take())
    view.set_session(session)
    session.sounds.give("waltz", Sound(read_waveform(waltz), (Cue(2.5, "verse"),)))
    picture = view.current()
    image = view.grab().toImage()
    (bars,) = picture.bars
    (plans,) = [run.ends for run in picture.runs if run.shape == "plan"]
    loud, middle = int(np.argmax(bars.bottoms - bars.tops)), STRAND_PX / 2

    def at(x: float, y: float) -> str:
        return image.pixelColor(round(x), round(y)).name()

    quiet = at(bars.left + 20, middle - 4)
    assert quiet != at(bars.left - 20, middle - 4)  # the bar's ground
    half_way = (bars.tops[loud] + bars.bottoms[loud]) / 2
    assert at(bars.left + loud, half_way) not in (quiet, at(bars.left - 20, middle - 4))
    assert at(plans[0, 0] - 0.5, middle) == look.colours.quiet.lower()
