"""What many calls look like: marks where calls are, as tall as there are many, and nothing where there are none."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.loom import LoomView
from opossum_desk.flow.pressing import LOW, _sixteenths, press_density
from opossum_desk.layout.heights import Heights
from opossum_desk.layout.row_picture import PixelBars, RowPicture, StandingBars
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session
from opossum_desk.take_area.pulse import PulseView
from opossum_desk.views.axis_header import paint_axis_header
from opossum_desk.views.canvas import WASH_ALPHA, Canvas
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.kept_pictures import MOST_KEPT, KeptPictures
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_bars import LOW_BARS_PX, press_bars
from opossum_desk.views.pixel_sheet import PixelSheet
from opossum_desk.views.stamps import Stamps
from opossum_desk.weaving.row_canvas import RowCanvas
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


def test_beads_that_lie_upon_each_other_cut_nothing_out_of_each_other(qtbot):
    """In whatever order they are pressed, each pixel is the more opaque one's."""
    stamps = Stamps(Look("day"), 1.0)
    stamp = stamps.get("timer", 0, 9.0, False, False)
    places = [(30, 20), (33, 22), (60, 20), (31, 24)]
    pictures = []
    for order in itertools.permutations(places):
        canvas = np.zeros((50, 100), np.uint32)
        stamps.press(canvas, stamp, *np.array(order, float).T)
        pictures.append(canvas)
    assert all(np.array_equal(picture, pictures[0]) for picture in pictures)
    half = stamp.shape[0] // 2
    for x, y in places:
        assert (pictures[0][y - half : y + half + 1, x - half : x + half + 1] >= stamp).all()


def screened(sort: type[Canvas], ratio: float) -> Canvas:
    """Return a view of this sort on a screen of this scale."""

    class Screened(sort):
        def devicePixelRatioF(self) -> float:
            return ratio

    return Screened(Look("day"), "screened")


@pytest.mark.parametrize("ratio", [1.0, 1.1, 1.25, 1.5, 2.0])
def test_a_wash_has_no_seams_and_nothing_above_its_top(qtbot, ratio):
    """Whatever the screen's scale: one shade from the top to the foot, and none beside the stripe."""
    view = screened(Canvas, ratio)
    qtbot.addWidget(view)
    view.resize(200, 333)
    image = QImage(round(200 * ratio), round(333 * ratio), QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(0)
    painter = QPainter(image)
    view.wash(painter, [(50.0, 90.0, 130)], 40.0)
    painter.end()
    height, width = image.height(), image.width()
    pixels = np.frombuffer(image.constBits(), np.uint32).reshape(height, width) >> 24
    assert (pixels[round(40 * ratio) + 1 :, round(50 * ratio) + 1 : round(90 * ratio) - 1] == 130).all()
    assert not pixels[: round(40 * ratio) - 1].any()
    assert not pixels[:, : round(50 * ratio) - 1].any() and not pixels[:, round(90 * ratio) + 1 :].any()


def test_a_hidden_view_says_what_it_shows_when_it_is_seen_again(qtbot, session):
    """While it is hidden nobody asks; panning another view costs nothing for it."""
    view = LoomView(Look("day"))
    qtbot.addWidget(view)
    view.set_session(session)
    view.show()
    session.set_window(0.0, 100.0)
    assert "frames -1 to 98" in view.accessibleDescription()
    view.hide()
    session.set_window(200.0, 300.0)
    assert "frames -1 to 98" in view.accessibleDescription()
    view.show()
    assert "frames 199 to 298" in view.accessibleDescription()
    assert view.current().scale.low == 200.0


@pytest.mark.parametrize("ratio", [1.0, 1.25, 2.0])
def test_a_sheet_of_pixels_is_clear_again_and_as_large_as_its_view(qtbot, ratio):
    """What was pressed for one picture is not in the next; what is drawn is what was pressed, within its bounds."""
    view = screened(Canvas, ratio)
    qtbot.addWidget(view)
    view.resize(200, 100)
    sheet = PixelSheet(view)
    sheet.cleared()[:] = 0xFF00FF00
    assert not sheet.cleared().any()
    view.resize(120, 90)
    pixels = sheet.cleared()
    assert pixels.shape == (int(90 * ratio), int(120 * ratio)) and not pixels.any()
    pixels[:] = 0xFF0000FF
    image = QImage(pixels.shape[1], pixels.shape[0], QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(0)
    painter = QPainter(image)
    sheet.paint(painter, 40.0, 30.0)
    painter.end()
    drawn = np.frombuffer(image.constBits(), np.uint32).reshape(pixels.shape)
    top, left = round(30 * ratio), round(40 * ratio)
    assert (drawn[top + 1 :, left + 1 :] == 0xFF0000FF).all()
    assert not drawn[: top - 1].any() and not drawn[:, : left - 1].any()


@pytest.mark.parametrize("ratio", [1.0, 1.25, 2.0])
def test_weaves_of_rows_wash_over_frozen_frames_below_their_bars(qtbot, session, ratio):
    """From the header to the foot, and where a bar stands, the bar."""
    view = screened(RowCanvas, ratio)
    qtbot.addWidget(view)
    view.resize(400, 300)
    picture = RowPicture(Scale(0.0, 1.0, 0.0, 400.0), frozen=[(50.0, 90.0)])
    picture.bars.append(PixelBars("ink", 0.0, np.full(400, 100.0), np.full(400, 110.0)))
    view._press(session, picture)
    image = view._sheet.image
    pixels = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width()) >> 24
    top, left, right = round(view.heights().header * ratio), round(50 * ratio), round(90 * ratio)
    bar = slice(round(100 * ratio), round(110 * ratio))
    assert (pixels[bar] == 255).all()
    pixels = np.delete(pixels, bar, axis=0)
    assert (pixels[top:, left:right] == WASH_ALPHA).all()
    assert not pixels[:top].any() and not pixels[:, :left].any() and not pixels[:, right:].any()


@pytest.mark.parametrize("tallest", [1, LOW_BARS_PX, LOW_BARS_PX + 1, 70])
@pytest.mark.parametrize("rows", [1, 3, 40])
@pytest.mark.parametrize("stands", [False, True])
@pytest.mark.parametrize("share", [0.02, 1.0])
def test_bars_are_pressed_where_they_stand_and_nowhere_else(tallest, rows, stands, share):
    """Few and many, low ones and tall ones, on a line or not, beyond the edges of the canvas too; an empty one leaves what is there."""
    random = np.random.default_rng(tallest)
    heights = random.integers(0, tallest + 1, (rows, 40)) * (random.random((rows, 40)) < share)
    heights[:, 7] = tallest
    if stands:
        bottoms = np.repeat(random.permutation(np.arange(-20, 90))[:rows, None].astype(float), 40, axis=1)
        tops = bottoms - heights
    else:
        tops = random.integers(-20, 60, heights.shape).astype(float)
        bottoms = tops + heights
    canvas = np.full((50, 60), 9, np.uint32)
    expected = canvas.copy()
    for row in range(rows):
        for column in range(40):
            first, last = max(0, int(tops[row, column])), max(0, int(bottoms[row, column]))
            expected[first:last, 15 + column] = 5
    own = (tops, bottoms) if rows > 1 else (tops[0], bottoms[0])
    press_bars(canvas, PixelBars("rose", 15.0, *own), np.uint32(5), 1.0)
    assert np.array_equal(canvas, expected)


def test_rows_that_stand_on_one_line_are_all_pressed():
    """Though a line is written once for all rows, none is lost to another of the same line."""
    heights = np.array([[9.0, 0.0, 9.0, 0.0], [0.0, 9.0, 0.0, 0.0], [9.0, 0.0, 0.0, 0.0], [0.0, 0.0, 9.0, 0.0]])
    bars = StandingBars(2.0)
    for row in heights:
        bars.add("rose", 20.0, row)
    canvas = np.zeros((30, 10), np.uint32)
    press_bars(canvas, bars.gathered()[0], np.uint32(5), 1.0)
    assert canvas[11:20].all(axis=0).tolist() == [False, False, True, True, True] + [False] * 5
    assert np.count_nonzero(canvas) == 27


def test_standing_bars_are_gathered_by_colour_and_lie_in_the_order_of_their_layers():
    """Whichever row was added first."""
    bars = StandingBars(2.0)
    bars.add("ink", 50.0, np.array([4.0, 0.0]), layer=1)
    bars.add("rose", 20.0, np.array([0.0, 7.0]), 220)
    bars.add("ink", 80.0, np.array([0.0, 3.0]), layer=1)
    low, high = bars.gathered()
    assert (low.role, low.alpha, low.left, high.role, high.alpha) == ("rose", 220, 2.0, "ink", 255)
    assert low.tops.tolist() == [[20.0, 13.0]] and low.bottoms.tolist() == [[20.0, 20.0]]
    assert high.tops.tolist() == [[46.0, 50.0], [80.0, 77.0]] and high.bottoms.tolist() == [[50.0, 50.0], [80.0, 80.0]]


@pytest.mark.parametrize("most", [3, 40, 5000])
def test_bars_by_a_table_are_as_tall_as_those_reckoned_one_by_one(most):
    """More calls make taller bars, from 4.5 px to 12; low ones are so much lower, and where no call is, there is none."""
    calls = np.random.default_rng(most).integers(0, most + 1, (4, 300))
    calls[0, :3] = 0, 1, most
    low = np.random.default_rng(1).random(calls.shape) < 0.5
    tall = _sixteenths(calls, low)
    full = 4.5 + 7.5 * np.log1p(calls) / np.log1p(max(8, most))
    expected = np.where(calls > 0, np.where(low, full * LOW, full) * 16, -1.0)
    assert np.abs(tall - expected).max() < 1.0 and tall.dtype == np.int16
    assert (tall < 0).tolist() == (calls == 0).tolist()


@pytest.mark.parametrize("ratio", [1.0, 1.25, 2.0])
def test_what_comes_again_is_drawn_once_and_shown_at_whole_pixels(qtbot, ratio):
    """Another text, size or font is another picture; in a new look all are drawn anew."""
    view = screened(Canvas, ratio)
    qtbot.addWidget(view)
    kept, drawn = KeptPictures(view), []

    def draw(painter, box):
        drawn.append((box.width(), box.height()))
        painter.fillRect(box, view.colour("rose"))

    def shown(looks, box, font=None):
        image = QImage(round(200 * ratio), round(40 * ratio), QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        image.fill(0)
        painter = ForeignPainter(image)
        kept.paint(painter, looks, font or view.small_font(), box, draw)
        painter.end()
        alpha = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width()) >> 24
        assert set(np.unique(alpha)) == {0, 255}, "an edge lies between two pixels"
        return np.argwhere(alpha).min(axis=0).tolist()

    assert shown("1", QRectF(10.3, 4, 40, 16)) == [round(4 * ratio), round(10.3 * ratio)]
    assert shown("1", QRectF(90.8, 4, 40, 16)) == [round(4 * ratio), round(90.8 * ratio)]
    assert drawn == [(40, 16)]
    shown("2", QRectF(10, 4, 40, 16))
    shown("2", QRectF(10, 4, 44, 16))
    shown("2", QRectF(10, 4, 44, 16), view.small_font(0, bold=True))
    assert len(drawn) == 4
    kept.forget()
    shown("1", QRectF(10, 4, 40, 16))
    assert len(drawn) == 5


def test_no_more_pictures_are_kept_than_come_again(qtbot):
    """However many frames a long take has: those that were drawn first are forgotten."""
    view = Canvas(Look("day"), "numbers")
    qtbot.addWidget(view)
    kept, image = KeptPictures(view), QImage(40, 40, QImage.Format.Format_ARGB32_Premultiplied)
    painter = ForeignPainter(image)
    for number in range(MOST_KEPT + 5):
        kept.paint(painter, number, view.small_font(), QRectF(0, 0, 4, 4), lambda *_: None)
        assert len(kept) <= MOST_KEPT
    painter.end()
    assert len(kept) == 5


def test_numbers_of_frames_are_written_in_the_colour_of_the_look(qtbot, session):
    """By night, too, after they were kept by day."""
    look = Look("day")
    view = LoomView(look)
    qtbot.addWidget(view)
    view.resize(700, 200)
    view.set_session(session)
    view.show()
    session.show_all()

    def header() -> set[int]:
        image = view.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        pixels = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width())
        return set(np.unique(pixels[2 : int(view.heights().header) - 2, int(view.label_px) + 1 :]).tolist())

    by_day = {view.colour("quiet").rgb(), view.colour("paper").rgb()}
    assert by_day < header()
    look.choose("night")
    seen = header()
    assert {view.colour("quiet").rgb(), view.colour("paper").rgb()} < seen and not by_day & seen


def test_what_frozen_frames_cost_is_written_where_there_is_room_on_the_pulse(qtbot, monkeypatch):
    """Of three that froze one after the other the longest says so; each has its line, and one far off its own word."""
    tape = Tape(hz=60).frame()
    longer = {200: 300, 203: 500, 206: 400, 320: 300}
    for number in range(400):
        tape.frame(length_ms=16)
        tape.ms(longer.get(number, 0))
    pulse = PulseView(Look("day"))
    qtbot.addWidget(pulse)
    pulse.resize(900, 92)
    pulse.set_session(Session(tape.take()))
    written = []
    draw = ForeignPainter.drawText
    monkeypatch.setattr(ForeignPainter, "drawText", lambda *told: (written.append(told[1:]), draw(*told))[1])
    pulse._draw_curves(pulse.current())
    named = sorted(
        (box.left(), box.right(), text) for box, _, text in written if text.endswith("s") and text[0].isdigit()
    )
    assert len(pulse.current().frozen) == 4
    assert [text for _, _, text in named] == ["0.50 s", "0.30 s"]
    assert named[0][1] <= named[1][0]


def test_a_number_of_the_axis_that_would_be_covered_in_part_is_left_out(qtbot, monkeypatch):
    """Half a number is another number; those beside what covers it stand."""
    view = LoomView(Look("day"))
    qtbot.addWidget(view)
    view.resize(800, 100)
    written = []
    monkeypatch.setattr(view.kept, "paint", lambda painter, looks, *told: written.append(looks[1]))
    grid = [(300.0, "3000"), (400.0, "3010"), (500.0, "3020")]
    image = QImage(800, 100, QImage.Format.Format_ARGB32_Premultiplied)
    painter = ForeignPainter(image)
    for covered in ([], [QRectF(310, 2, 85, 20)], [QRectF(330, 2, 60, 20)], [QRectF(300, 2, 300, 20)]):
        paint_axis_header(view, painter, grid, 24.0, covered)
        written.append("|")
    painter.end()
    assert " ".join(written).split(" |")[:4] == ["3000 3010 3020", " 3020", " 3000 3020", ""]
