"""What is where: layouts are plain sums over arrays, tested without Qt."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from test_session import shop

from opossum.findings.examine import examine
from opossum.take.json_values import json_numbers
from opossum_desk.flow.layout.beads import bead_size
from opossum_desk.flow.layout.frozen import frozen_bands
from opossum_desk.flow.layout.loom import layout_loom, line_count, line_of_row
from opossum_desk.flow.layout.strand_levels import BLOCK, FILL_ALPHA, LINE_PX
from opossum_desk.flow.layout.strand_marks import MOST_ITEMS
from opossum_desk.flow.layout.strand_rows import MOST_ROWS_APART, gather_strands
from opossum_desk.flow.layout.strand_timers import DENSE_TALL_PX, LANE_PX
from opossum_desk.flow.layout.strand_timers import LINE_PX as LYING_PX
from opossum_desk.flow.layout.strands import MOST_OVERLAID, layout_strands
from opossum_desk.flow.layout.strokes import Stroke
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.heights import HEADER_PX, ROW_PX, STRAND_PX
from opossum_desk.layout.scale import Scale, grid_marks
from opossum_desk.layout.wording import finding_title
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.frame import MOST_CALLS, layout_frame, short_time
from opossum_desk.take_area.layout.pulse import layout_overlay, layout_pulse
from opossum_desk.take_area.layout.story import story_html
from tape import Stage, Tape, read

WIDTH, HEIGHT, LABELS = 800.0, 400.0, 200.0


def examined(tape: Tape, bye: bool = True) -> Session:
    """Return a session on a tape, examined."""
    session = Session(tape.take(bye))
    session.set_findings(examine(session.take))
    return session


@pytest.fixture
def session() -> Session:
    return examined(shop())


# --- scale ---------------------------------------------------------------------------------------


def test_pixels_and_positions_answer_each_other():
    """A scale is two linear maps."""
    scale = Scale(10, 20, 200, 600)
    assert scale.x(10) == 200
    assert scale.x(20) == 800
    assert scale.position(500) == 15
    assert scale.xs(np.array([10, 15])).tolist() == [200, 500]


@pytest.mark.parametrize("mode", AxisMode)
@pytest.mark.parametrize("window", [(0, 36), (2, 8), (19.5, 22)])
def test_grid_labels_are_round_and_apart(session, mode, window):
    """Never so close that they touch."""
    session.set_axis_mode(mode)
    low, high = np.interp(window, (0, 36), session.axis.extent)
    marks = grid_marks(session.axis, Scale(low, high, 200, 600))
    xs = [x for x, _ in marks]
    assert marks
    assert all(b - a >= 50 for a, b in pairwise(xs))
    assert all(label.endswith(" s") == (mode is AxisMode.TIME) for _, label in marks)


def test_rows_at_rest_are_one_line_that_opens():
    """Those that do nothing in what is visible; opened, they stand below it in their order."""
    stage = Stage()
    clock = stage.bind("tick", "clock#1", "Clock.on_tick")
    doors = [stage.bind("open", f"{name}#1", f"{name}.on_open") for name in ("Gate", "Hatch", "Lid")]
    stage.each(lambda number: stage.heard("tick", clock, via="tick"))
    stage.at(5, do=lambda: stage.heard("open", *doors))
    session = Session(stage.run(30).take())
    session.set_window(10, 13)
    session.settle()
    picture = layout_loom(session, WIDTH, HEIGHT, 0, LABELS)
    awake = [line.row for line in picture.lines]
    assert len(awake) == session.awake == line_count(session) - 1
    assert picture.resting == (HEADER_PX + len(awake) * ROW_PX, len(session.rows) - len(awake), False)
    assert all(not session.row_index.rests(row, np.array([10, 13])) for row in awake)
    session.show_resting(True)
    picture = layout_loom(session, WIDTH, HEIGHT, 0, LABELS)
    assert [line.row for line in picture.lines] == session.rows and picture.resting.opened
    assert picture.lines[len(awake)].top == picture.resting.top + ROW_PX
    last = len(session.rows) - 1
    assert line_of_row(session, last) == last + 1 and line_of_row(session, 0) == 0
    session.show_resting(False)
    assert line_of_row(session, last) == session.awake


# --- loom ----------------------------------------------------------------------------------------


def test_few_frames_are_drawn_as_beads(session):
    """One bead a thread and frame; the folded ovens share theirs."""
    session.set_window(3, 13)
    session.settle()
    picture = layout_loom(session, WIDTH, HEIGHT, 0, LABELS)
    beads = picture.beads

    assert picture.density is None
    assert [line.function for line in picture.lines] == ["on_press", "on_opened", "on_tick"]
    ticks = beads.line == 2
    assert beads.count[ticks].tolist() == [2] * 10
    assert beads.state[ticks].tolist() == [BeadState.DID if n % 2 else BeadState.IDLE for n in range(3, 13)]
    assert ((beads.x >= LABELS) & (beads.x <= WIDTH)).all()


def test_many_frames_are_drawn_as_density_that_adds_up(session):
    """No call is lost, none is counted twice."""
    picture = layout_loom(session, 260, HEIGHT, 0, LABELS)
    density = picture.density

    assert picture.beads is None
    assert density.calls.sum() == len(session.take.calls)
    assert density.calls.shape == (3, 60)
    assert density.wasted.sum() == (session.take.calls.effect == 0).sum()


@pytest.mark.parametrize("width", [210, 230, 260, 420])
def test_what_is_rare_and_wrong_is_seen_at_any_zoom(width):
    """One twin and one dotted bead among thousands of sound ones stay in the picture."""
    tape = Tape().frame().frame()
    tape("spawn", o="cat#1", cls="Cat")
    fine = tape.bind("tick", "oven#1", "Oven.on_tick")
    pair = [tape.bind("bread", "counter#1", "Counter.on_bread") for _ in range(2)]
    stale = tape.bind("meow", "cat#1", "Cat.on_meow")
    for number in range(1500):
        tape.frame().heard("tick", fine, via="tick")
        if number == 400:
            tape("gone", o="cat#1")
        if number == 700:
            tape.heard("bread", *pair)
        if number == 900:
            tape.heard("meow", stale)
    session = examined(tape)
    density = layout_loom(session, width, HEIGHT, 0, LABELS).density

    assert density.twin.sum() == 2
    assert density.gone.sum() == 1


def test_the_work_of_a_picture_is_bounded_by_its_width(session):
    """Strokes per row never exceed the pixels, whatever the take's length."""
    tape = Tape().frame()
    fine = tape.bind("tick", "oven#1", "Oven.on_tick")
    for _ in range(4000):
        tape.frame().heard("tick", fine, via="tick")
    long = examined(tape)
    for window in ((0, 4001), (10, 500), (100, 160)):
        long.set_window(*window)
        picture = layout_loom(long, WIDTH, HEIGHT, 0, LABELS)
        strokes = picture.density.calls.size if picture.density is not None else len(picture.beads)
        assert strokes <= (WIDTH - LABELS) * len(picture.lines)


def test_a_frozen_frame_is_a_band_with_what_it_cost(session):
    """Never too narrow to be seen."""
    wide = layout_loom(session, WIDTH, HEIGHT, 0, LABELS).frozen[0]
    assert wide.column == 20
    assert wide.text == "frame 20 · 0.80 s"
    assert wide.right - wide.left == pytest.approx(7 * 600 / 36)
    narrow = layout_loom(session, 210, HEIGHT, 0, LABELS).frozen[0]
    assert narrow.right - narrow.left >= 7


def test_a_dear_call_stretches_to_the_right(session):
    """But not out of its frame."""
    session.set_window(15, 36)
    beads = layout_loom(session, WIDTH, HEIGHT, 0, LABELS).beads
    stretched = np.flatnonzero(beads.stretch > 0)
    assert session.row_index.column[beads.call[stretched]].tolist() == [20]
    edge = Scale(session.low, session.high, LABELS, WIDTH - LABELS).x(float(session.axis.edges[21]))
    assert (beads.x + beads.stretch)[stretched[0]] <= edge


def test_beads_that_ran_in_the_other_order_are_stitched():
    """Usually door before cat; once the cat was first."""
    tape = Tape().frame()
    door, cat = tape.bind("a", "door#1", "Door.f"), tape.bind("b", "cat#1", "Cat.f")
    for number in range(9):
        tape.frame()
        for name, bound in (("b", cat), ("a", door)) if number == 5 else (("a", door), ("b", cat)):
            tape.heard(name, bound)
    session = examined(tape)
    stitches = layout_loom(session, WIDTH, HEIGHT, 0, LABELS).stitches

    assert len(stitches) == 1
    x1, y1, x2, y2 = stitches[0]
    assert (y1 > y2, x1 < x2) == (True, True)


def test_very_few_frames_get_names_and_times(session):
    """Beads grow words where there is room."""
    session.set_window(5, 8)
    names = [text for _, _, text in layout_loom(session, WIDTH, HEIGHT, 0, LABELS).names]
    assert "opened · 21 µs" in names


def test_pointing_finds_the_bead_and_the_thread(session):
    """Within reach, and nowhere else."""
    session.set_window(3, 13)
    picture = layout_loom(session, WIDTH, HEIGHT, 0, LABELS)
    index = 3
    line = picture.lines[int(picture.beads.line[index])]
    x, y = float(picture.beads.x[index]), line.top + ROW_PX / 2
    assert picture.hit(x, y) == picture.beads.call[index]
    assert picture.hit(x + 25, y) != picture.beads.call[index]
    assert picture.hit(x, HEIGHT - 1) == -1
    assert picture.line_at(HEADER_PX + 1) == 0
    assert picture.line_at(HEADER_PX - 2) == -1


def test_only_threads_in_view_are_laid_out(session):
    """Scrolling moves them."""
    session.fold_all(False)
    picture = layout_loom(session, WIDTH, HEADER_PX + ROW_PX, ROW_PX * 2, LABELS)
    assert len(picture.lines) <= 2
    assert picture.lines[0].row == session.rows[2]


def test_the_selected_and_related_beads_are_lit(session):
    """Cause and effect light up together."""
    session.set_window(3, 13)
    cat = next(call for call in range(len(session.take.calls)) if session.take.event_of_call(call) == "opened")
    session.select_call(cat)
    beads = layout_loom(session, WIDTH, HEIGHT, 0, LABELS).beads
    assert sorted(beads.call[beads.lit].tolist()) == [cat - 1, cat]


def test_a_sieved_loom_fades_the_rest(session):
    """Beads and threads alike."""
    session.set_window(3, 13)
    session.set_sieve("cat")
    picture = layout_loom(session, WIDTH, HEIGHT, 0, LABELS)
    assert [line.faded for line in picture.lines] == [line.owner != "cat#1" for line in picture.lines]
    assert picture.beads.faded.sum() == len(picture.beads) - 2


@pytest.mark.parametrize(("frame_px", "size"), [(6, 5.0), (10, 8.0), (400, 11.0)])
def test_beads_grow_with_the_zoom_within_limits(frame_px, size):
    """Never too small to see, never too large to tell apart."""
    assert bead_size(frame_px) == size


def test_an_empty_take_has_an_empty_loom():
    """No rows, no beads, no error."""
    picture = layout_loom(Session(read(b"")), WIDTH, HEIGHT, 0, LABELS)
    assert (picture.lines, picture.beads, picture.density) == ([], None, None)


# --- pulse ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("width", [120, 200, 1200])
def test_the_longest_frame_is_in_the_pulse_at_any_width(session, width):
    """A peak never disappears between two pixels."""
    picture = layout_pulse(session, width, 96)
    assert picture.length.max() == 1.0
    assert len(picture.frozen) == 1
    assert picture.frozen[0][1] == "0.80 s"
    assert len(picture.length) == width - 96


def test_the_pulse_shows_window_marks_and_findings(session):
    """All on the take's whole axis."""
    session.set_window(9, 18)
    session.marks.show([4], {})
    session.selection.choose(6, -1)
    picture = layout_pulse(session, 460, 100)
    overlay = layout_overlay(session, picture.scale)
    assert overlay.window == pytest.approx((190, 280))
    assert overlay.marks == [140]
    assert overlay.selected == 165
    assert [severity for _, severity in picture.ticks] == ["fault"]


# --- strands -------------------------------------------------------------------------------------


def strands_of(tape: Tape, bye: bool = True, width: float = WIDTH):
    """Return the rows of a tape's strands and the picture of the whole take."""
    session = examined(tape, bye)
    rows = gather_strands(session.take)
    return rows, layout_strands(session, rows, width, 900, 0, LABELS)


def dots(picture) -> int:
    """Return how many dots a picture has."""
    return sum(len(run.xs) for run in picture.dots)


def strokes_of(picture) -> list[Stroke]:
    """Return all strokes of a picture, those of its runs one by one."""
    runs = [Stroke(run.shape, *ends, run.state, kind=run.kind) for run in picture.runs for ends in run.ends.tolist()]
    return [*picture.strokes, *runs]


def shapes(picture, state: str | None = None) -> list[str]:
    """Return the shapes of a picture's strokes."""
    return [stroke.shape for stroke in strokes_of(picture) if state is None or stroke.state == state]


def test_a_timer_is_a_line_with_dots_gaps_and_a_hanging_end():
    """Set to cleared; a dot where it fires, a gap where paused, rose where its owner is gone."""
    tape = Tape().frame()("spawn", o="cat#1", cls="Cat")
    nap = tape.arm("timer", "cat#1", "nap")
    for number in range(6):
        tape.frame().heard("nap", via="timer", a=nap)
        if number == 2:
            tape("pause", a=nap).frame().frame()("resume", a=nap)
    tape.frame()("gone", o="cat#1").frame().frame()
    rows, picture = strands_of(tape)

    assert [(row.kind, row.label) for row in rows] == [("timer", "Cat timer nap")]
    assert dots(picture) == 6
    assert shapes(picture).count("gap") == 1
    (gap,) = [stroke for stroke in strokes_of(picture) if stroke.shape == "gap"]
    (hanging,) = [stroke for stroke in strokes_of(picture) if stroke.state == "wrong"]
    (lines,) = picture.boxes
    before, after = ((x, x + width) for x, _, width, _ in lines.boxes.tolist())
    assert hanging.shape == "dashed"
    assert (before[1], after[0], after[1]) == pytest.approx((gap.x, gap.x2, hanging.x))


def test_a_delay_is_an_arc_that_lands_or_not():
    """What never landed is open."""
    tape = Tape().frame()
    landed, lost = tape.arm("delay", "cat#1", "wake"), tape.arm("delay", "cat#1", "eat")
    tape.frames(3).heard("wake", via="delay", a=landed)
    _, picture = strands_of(tape.frame())

    assert sorted(stroke.state for stroke in strokes_of(picture) if stroke.shape == "arc") == ["ok", "open"]
    assert dots(picture) == 1
    assert lost


def test_a_clip_is_a_bar_with_marks_and_a_ragged_end_when_cut():
    """Missed marks are hollow; a track is told apart."""
    tape = Tape().frame()
    tape("play", y=1, o="baker#1", clip="knead", len=0.2, marks=[["press", 0.02], ["fold", 0.15]])
    tape("play", y=2, o="radio#1", clip="waltz", len=0.2, marks=[], what="track")
    tape.frames(2).send("press", via="clip", y=1, mark="press")
    tape.frame()("stop", y=1, how="cut", pos=0.05)
    rows, picture = strands_of(tape.frames(8))

    assert [row.kind for row in rows] == ["clip", "track"]
    assert {"cut", "wave"} <= set(shapes(picture))
    (press, fold) = (stroke for stroke in strokes_of(picture) if stroke.shape == "mark")
    assert (press.state, fold.state) == ("ok", "open")
    assert [run.sends.tolist() for run in picture.runs if run.shape == "mark"] == [[0], [-1]]
    (bar,) = (stroke for stroke in strokes_of(picture) if stroke.shape == "cut")
    assert bar.x < press.x < bar.x2 < fold.x


def test_a_wait_ends_in_what_met_it_or_in_nothing():
    """A dot, a ring, or a quiet ring where it was given up."""
    tape = Tape().frame()
    for w in (1, 2, 3):
        tape("wait", w=w, o=f"customer#{w}", ev="served")
    s = tape.frames(2).send("served")
    tape("met", w=1, s=s)("quit", w=2)
    _, picture = strands_of(tape.frame())

    assert shapes(picture).count("dashed") == 3
    assert sorted(stroke.state for stroke in strokes_of(picture) if stroke.shape == "ring") == ["open", "quiet"]


def test_queues_are_filled_and_values_stepped():
    """Text values are written where there is room."""
    tape = Tape().frame()
    for number in range(5):
        tape.frame()("put", q="bench", s=1)("watch", o="cat#1", name="purrs", v=number)(
            "watch", o="cat#1", name="mood", v=f"m{number}"
        )
    rows, picture = strands_of(tape.frame())

    assert [row.kind for row in rows] == ["queue", "value", "value"]
    assert [(bars.role, bars.alpha) for bars in picture.bars] == [
        ("via:queue", FILL_ALPHA),
        ("via:queue", 255),
        ("via:zone", 255),
    ]
    assert "text" in shapes(picture)


def level_line(*values_of_frames: tuple[int, ...]):
    """Return the line of a value that is set anew, perhaps several times a frame, every forty frames."""
    tape = Tape().frame()
    for values in values_of_frames:
        for value in values:
            tape("watch", o="cat#1", name="purrs", v=value)
        tape.frames(40)
    (line,) = strands_of(tape)[1].bars
    return line


def test_a_level_holds_until_the_next():
    """Lying lines, and an upright where it changes."""
    line = level_line((0,), (1,), (2,), (4,))
    foot, unit = STRAND_PX - 5, (STRAND_PX - 10) / 4  # whole, in pixels
    upright = np.flatnonzero(line.bottoms - line.tops > LINE_PX + 0.1)

    assert np.diff(upright) == pytest.approx([(WIDTH - LABELS) / 4] * 2, abs=4)
    for level, start, end in zip((0, 1, 2, 4), [-1, *upright], [*upright, len(line.tops)], strict=True):
        assert line.tops[start + 1 : end] == pytest.approx(foot - level * unit - LINE_PX / 2)
        assert line.bottoms[start + 1 : end] == pytest.approx(foot - level * unit + LINE_PX / 2)
    assert line.tops[upright] == pytest.approx(foot - np.array([1, 2, 4]) * unit - LINE_PX / 2)
    assert line.bottoms[upright] == pytest.approx(foot - np.array([0, 1, 2]) * unit + LINE_PX / 2)


def test_of_levels_within_a_pixel_the_extremes_are_seen():
    """A value that leaps up and back within one frame is not lost."""
    line = level_line((1,), (1, 7, 0, 1), (1,))
    (leap,) = np.flatnonzero(line.bottoms - line.tops > LINE_PX + 0.1)

    assert (line.tops[leap], line.bottoms[leap]) == pytest.approx((5 - LINE_PX / 2, STRAND_PX - 5 + LINE_PX / 2))
    assert len(np.unique(np.delete(line.tops, leap).round(6))) == 1


@pytest.mark.parametrize(("more", "seen"), [(-1, True), (0, True), (1, False)])
def test_of_very_many_values_the_last_of_each_pixel_is_seen(monkeypatch, more, seen):
    """Parsing all would take long: what leaps up and back within a pixel shows nearer by."""
    tape = Tape().frame()
    for number in range(600):
        for value in (3, 9, 3) if number == 300 else (3,):
            tape("watch", o="cat#1", name="purrs", v=value)
        tape.frame()
    rows = gather_strands(tape.take())
    monkeypatch.setattr("opossum_desk.flow.layout.strand_levels.MOST_VALUES", len(rows[0].items) - more)
    (line,) = strands_of(tape)[1].bars
    assert bool((line.bottoms - line.tops > LINE_PX + 1).any()) is seen
    assert len(line.tops) > 0.95 * (WIDTH - LABELS)


def test_a_value_is_parsed_once_however_often_it_is_painted(monkeypatch):
    """In blocks, as far as they are in view, and of no more rows than are seen."""
    asked: list[int] = []
    monkeypatch.setattr(
        "opossum_desk.flow.layout.strand_levels.json_numbers",
        lambda column, rows: asked.append(len(rows)) or json_numbers(column, rows),
    )
    tape = Tape().frame()
    for number in range(2 * BLOCK + 10):
        tape("watch", o="cat#1", name="purrs", v=number)
        if number % 100 == 0:
            tape.frame()
    session = examined(tape)
    rows = gather_strands(session.take)
    last = session.axis.extent[1]
    for low, high in ((0, last / 4), (0, last / 3), (0, last), (0, last), (last / 2, last)):
        session.set_window(low, high)
        layout_strands(session, rows, WIDTH, 900, 0, LABELS)
    assert asked == [BLOCK, BLOCK, 10]


def test_timers_that_live_at_once_lie_beside_each_other():
    """Four lanes, about the row's middle; one that was cleared leaves its own to the next."""
    tape = Tape().frame()
    first, _ = tape.arm("timer", "cat#1", "nap"), tape.arm("timer", "cat#2", "nap")
    tape.frames(5)("disarm", a=first).frames(5)
    tape.arm("timer", "cat#3", "nap")
    _, picture = strands_of(tape.frames(10))

    (lines,) = picture.boxes
    middles = lines.boxes[:, 1] + lines.boxes[:, 3] / 2 - STRAND_PX / 2
    assert middles.tolist() == [-LANE_PX / 2, LANE_PX / 2, -LANE_PX / 2]


@pytest.mark.parametrize("many", [5, 8000])
@pytest.mark.parametrize(("text", "shape"), [("{}", "number"), ("m{}", "text")])
def test_values_are_drawn_to_the_last_however_many(many, text, shape):
    """What stands at the right is what held last, and more values are no more strokes than pixels."""
    tape = Tape().frame()
    for number in range(many):
        value = text.format(number)
        tape.frame()("watch", o="cat#1", name="purrs", v=number if shape == "number" else value)
    _, picture = strands_of(tape.frame())
    drawn = [stroke for stroke in strokes_of(picture) if stroke.shape == shape]

    assert len(picture.strokes) <= 2 * WIDTH
    if shape == "number":
        assert [stroke.text for stroke in drawn] == [f"{many - 1:g}"]
    else:
        assert drawn[-1].x > LABELS + 0.7 * (WIDTH - LABELS)


def test_crowds_are_one_quiet_bar_and_strokes_stay_bounded():
    """Thousands of delays, or firings, cost no more than the pixels."""
    tape = Tape().frame()
    a = tape.arm("timer", "cat#1", "beat")
    for _ in range(MOST_ITEMS + 50):
        delay = tape.arm("delay", "cat#1", "hop")
        tape.heard("hop", via="delay", a=delay)
        tape.frame().heard("beat", via="timer", a=a)
    _, picture = strands_of(tape)

    assert shapes(picture).count("crowd") == 1
    assert [boxes.boxes[:, 3].tolist() for boxes in picture.boxes] == [[LYING_PX], [DENSE_TALL_PX]]
    assert len(picture.strokes) < WIDTH


@pytest.mark.parametrize("what", ["delay", "wait"])
@pytest.mark.parametrize(("many", "told"), [(MOST_OVERLAID - 2, None), (MOST_OVERLAID + 3, "crowd")])
def test_what_lies_over_each_other_is_told_apart_up_to_a_number(what, many, told):
    """More of them at once are one bar that says how many."""
    tape = Tape().frame()
    for number in range(many):
        if what == "delay":
            tape.arm("delay", "cat#1", "hop", sec=9)
        else:
            tape("wait", w=number + 1, o="cat#1", ev="hop")
    tape.frames(199)
    if what == "delay":
        tape.heard("hop", via="delay", a=1)
    else:
        tape("met", w=1, s=tape.send("hop"))
    _, picture = strands_of(tape.frame())
    crowds = [stroke.text for stroke in strokes_of(picture) if stroke.shape == "crowd"]
    assert crowds == ([f"{many} over each other"] if told else [])
    assert dots(picture) == 1  # what came of one is seen in both


def test_pointing_at_a_strand_finds_the_moment():
    """The nearest dot within reach."""
    tape = Tape().frame()
    a = tape.arm("timer", "cat#1", "beat")
    for _ in range(5):
        tape.frame().heard("beat", via="timer", a=a)
    _, picture = strands_of(tape.frame())
    run = picture.dots[0]

    assert picture.hit(float(run.xs[1]) + 2, run.y) == run.sends[1]
    assert picture.hit(float(run.xs[1]), run.y + STRAND_PX * 2) == -1


# --- frame and story -----------------------------------------------------------------------------


def test_the_slice_lists_a_frame_call_by_call_with_causes(session):
    """Phases head their calls; effects stand below their cause."""
    session.select_column(5)
    picture = layout_frame(session)

    assert picture.title == "Frame 5"
    assert picture.subtitle.startswith("4 calls · ")
    assert [(row.kind, row.text, row.depth) for row in picture.rows] == [
        ("phase", "input", 0),
        ("call", "door#1 on_press", 0),
        ("call", "cat#1 on_opened", 1),
        ("phase", "update", 0),
        ("call", "oven#1 on_tick", 0),
        ("call", "oven#2 on_tick", 0),
    ]
    assert picture.index_of(picture.rows[2].call) == 2
    assert picture.index_of(9999) == -1


def test_the_slice_says_what_is_wrong_with_a_call():
    """In words, beside the bead."""
    tape = Tape().frame().frame()
    tape("spawn", o="cat#1", cls="Cat")
    cat = tape.bind("meow", "cat#1", "Cat.on_meow")
    pair = [tape.bind("bread", "counter#1", "Counter.on_bread") for _ in range(2)]
    tape.frame()("gone", o="cat#1").heard("meow", cat, eff=0)
    tape.heard("bread", *pair)
    tape.open_call(tape.send("bread"), pair[0])
    session = examined(tape, bye=False)
    session.select_column(2)

    assert [row.marks for row in layout_frame(session).rows if row.kind == "call"] == [
        ("owner gone", "for nothing"),
        ("twice",),
        ("twice",),
        ("never returned",),
    ]


def test_a_huge_frame_is_cut_around_the_selected_call():
    """And says how many it leaves out."""
    tape = Tape().frame()
    crumb = tape.bind("crumb", "tray#1", "Tray.on_crumb")
    for number in range(MOST_CALLS + 500):
        tape.heard("crumb", crumb, d=number)
    session = examined(tape)
    session.select_call(MOST_CALLS + 400)
    picture = layout_frame(session)

    assert picture.left_out == 500
    assert picture.index_of(MOST_CALLS + 400) >= 0


def test_without_a_selection_the_slice_says_what_to_do(session):
    """One sentence, one thing to do."""
    assert layout_frame(session).subtitle == "Click a bead, or press →."


@pytest.mark.parametrize(
    ("ns", "text"), [(999, "1 µs"), (21_000, "21 µs"), (3_400_000, "3.4 ms"), (1_300_000_000, "1.30 s")]
)
def test_times_are_short(ns, text):
    """With the unit that fits."""
    assert short_time(ns) == text


def test_the_story_tells_proof_and_advice_and_escapes_what_the_game_said():
    """Names from the stream are text, never markup."""
    tape = Tape().frame().frame()
    pair = [tape.bind("<b>bread</b>", "counter#1", "Counter.<script>", at="a&b.gd:1") for _ in range(2)]
    tape.frame().heard("<b>bread</b>", *pair)
    session = examined(tape)
    page = story_html(session, session.findings[0], "#000", "#555", "#a00")

    assert "<script>" not in page
    assert "<b>bread</b></b>" not in page
    assert "Counter.&lt;script&gt;" in page
    assert 'href="frame:2"' in page
    assert 'href="call:0"' in page
    assert "What to change" in page
    assert "line 5" in page
    assert finding_title(session.findings[0]) == "Counter.<script> – bound twice"


@pytest.mark.parametrize("name", ["", " "])
@pytest.mark.parametrize(("sender", "title"), [({"o": "horn#1"}, "horn#1"), ({}, "")])
def test_what_has_no_name_is_called_by_whose_it_is(name, sender, title):
    """An event that was sent without one stands under who sent it: a blank line tells nothing."""
    tape = Tape().frame().frame()
    tape("spawn", o="horn#1", cls="Horn").send(name, **sender)
    (finding,) = examined(tape).findings
    assert finding_title(finding) == (f"{title} – " if title else "") + "sent without a name"


def test_the_story_links_what_belongs_together():
    """Root and consequence lead to each other."""
    tape = Tape().frame().frame()
    tape("spawn", o="c#1", cls="C")
    old = tape.bind("q", "c#1", "C.q")
    tape.frame()("gone", o="c#1").frame()("spawn", o="c#1", cls="C")
    new = tape.bind("q", "c#1", "C.q")
    tape.frame().heard("q", old, new)
    session = examined(tape)
    pages = [story_html(session, finding, "#000", "#555", "#a00") for finding in session.findings]

    assert "What follows from it" in pages[0]
    assert "Follows from" in pages[1]
    assert f'href="finding:{session.findings[0].id}"' in pages[1]


def test_log_lines_stand_in_the_slice_where_they_came():
    """Between the calls of their frame, and only there."""
    tape = Tape().frame()
    oven = tape.bind("bell", "oven#1", "Oven.on_bell")
    tape("say", text="before")
    tape.heard("bell", oven)
    tape("say", text="after").frame()("say", text="later")
    session = Session(tape.take())
    session.select_column(0)
    rows = [(row.kind, row.text) for row in layout_frame(session).rows if row.kind != "phase"]
    assert rows == [("say", "before"), ("call", "oven#1 on_bell"), ("say", "after")]


def test_frozen_frames_that_would_lie_upon_each_other_are_told_by_the_longest():
    """Never more bands than there is room for; each that is wide enough stands for itself."""
    tape = Tape().frame()
    for turn in range(3000):
        tape.frame(length_ms=150 if turn % 10 == 5 else 1)
        tape.ms(900 if turn == 1005 else 130 if turn % 10 == 5 else 1)
    session = Session(tape.frame().take())
    everything = frozen_bands(session, Scale(*session.axis.extent, 200.0, 700.0))

    assert len(session.axis.frozen) == 300 and len(everything) <= 101
    assert max(everything, key=lambda band: band.seconds).seconds > 0.9
    assert [band.left for band in everything] == sorted(band.left for band in everything)
    session.set_window(float(session.axis.edges[1000]), float(session.axis.edges[1020]))
    few = frozen_bands(session, Scale(session.low, session.high, 200.0, 700.0))
    assert [band.column for band in few] == [column for column in session.axis.frozen.tolist() if 1000 <= column < 1020]


def test_clips_that_play_at_once_have_rows_of_their_own():
    """One after the other, or blended into each other, they share one."""
    tape = Tape().frame()("spawn", o="cat#1", cls="Cat")("spawn", o="oven#1", cls="Oven")
    for number, (owner, clip, ends_later) in enumerate(
        [("cat#1", "walk", 0), ("cat#1", "run", 0), ("oven#1", "bake", 1), ("oven#1", "glow", 0)], 1
    ):
        tape("play", y=number, o=owner, clip=clip, len=0.5, marks=[]).ms(500)
        if not ends_later:
            tape("stop", y=number, how="end")
    tape("stop", y=3, how="end").frame()
    rows = [row.label for row in gather_strands(tape.take()) if row.kind == "clip"]

    assert rows == ["Cat clips", "Oven clips bake", "Oven clips glow"]


@pytest.mark.parametrize(
    ("objects", "over_ms", "labels"),
    [
        (1, 100, ["cat clips"]),
        (2, 240, ["cat clips ×2"]),
        (2, 260, ["cat#1 clips", "cat#2 clips"]),
        (MOST_ROWS_APART, 260, [f"cat#{number} clips" for number in range(1, MOST_ROWS_APART + 1)]),
        (MOST_ROWS_APART + 1, 260, [f"cat clips ×{MOST_ROWS_APART + 1}"]),
    ],
)
def test_clips_of_objects_of_a_class_that_play_at_once_have_a_row_each_where_these_are_few(objects, over_ms, labels):
    """No more than half of one over the other is one after the other."""
    tape = Tape().frame()
    begun = [number * (500 - over_ms) for number in range(objects)]  # ms; 500 each, and so long over the one before
    steps = [(at, "play", number) for number, at in enumerate(begun, 1)]
    steps += [(at + 500, "stop", number) for number, at in enumerate(begun, 1)]
    now = 0
    for at, kind, number in sorted(steps):
        tape.ms(at - now)(kind, y=number, o=f"cat#{number}", clip="walk", len=0.5, how="end")
        now = at
    assert [row.label for row in gather_strands(tape.frame().take()) if row.kind == "clip"] == labels


@pytest.mark.parametrize("called", [True, False])
def test_the_frame_says_which_phases_came_too_late_while_their_finding_is_chosen(called):
    """Where it shows, and nowhere else, though nothing is called in them; the phase that they came after stands as it is."""
    stage = Stage(phases=("input", "move", "draw"))
    binds = {name: stage.bind(name, "cart#1", f"Cart.on_{name}") for name in ("input", "move", "draw")}

    def phases(number: int) -> None:
        for name in ("input", "draw", "move") if number in (100, 130) else ("input", "move", "draw"):
            stage("phase", name=name)
            if called or name != "move":
                stage.heard(name, binds[name])

    stage.each(phases)
    session = Session(stage.run(200).take())
    session.set_findings(examine(session.take))
    (finding,) = session.findings

    def headed() -> list[tuple[str, tuple[str, ...]]]:
        return [(row.text, row.marks) for row in layout_frame(session).rows if row.kind == "phase"]

    session.show_finding(finding)
    assert finding.cause == "phase-order"
    assert headed() == [("input", ()), ("draw", ()), ("move", ("came too late",))]
    session.select_column(session.column + 1)
    usual = ["input", "move", "draw"] if called else ["input", "draw"]
    assert headed() == [(name, ()) for name in usual]
    session.select_column(session.column - 1)
    session.selection.finding = None
    assert [marks for _, marks in headed()] == [()] * len(usual)
