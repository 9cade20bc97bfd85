"""Pacing: how regular what recurs is, and what it costs. Layouts are tested without Qt."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum_desk.layout.row_picture import RowPicture, RowsView
from opossum_desk.pacing.layout.firings import BLOCK, Firings
from opossum_desk.pacing.layout.gathering import recurring
from opossum_desk.pacing.layout.pacing import cost_told, layout_pacing, stack_rows
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.worst_first import paced_rows
from opossum_desk.state.session import Session
from tape import Stage

LINE_PX = 20.0
FRAME_NS = 1e9 / 60


def examined(stage: Stage) -> Session:
    """Return a session on a stage that was played, examined."""
    session = Session(stage.take())
    session.set_findings(examine(session.take))
    return session


def ticking(every: int, asked_s: float, frames: int = 400, **arm: object) -> Stage:
    """A timer that asks for an interval and fires every so many frames."""
    stage = Stage()
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=asked_s, **arm)
    stage.at(*range(every, frames, every), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    return stage.run(frames)


def of_sort(session: Session, sort: str) -> Recurring:
    """Return the one thing of a sort that recurs."""
    (row,) = [row for row in recurring(session.take) if row.sort == sort]
    return row


def drawn(session: Session, width: float = 800.0, height: float = 600.0) -> RowPicture:
    """Return the picture of a session's Pacing."""
    rows = paced_rows(session, recurring(session.take))
    view = RowsView(width, height, 0.0, 200.0, LINE_PX)
    return layout_pacing(session, rows, stack_rows(rows, LINE_PX), view, set())


def test_a_timer_that_keeps_its_interval_is_level():
    """Every half second is thirty frames of a sixtieth."""
    row = of_sort(examined(ticking(30, 0.5)), "timer")
    assert (row.name, row.rhythm, row.count) == ("bell#1  ring", "every 500 ms", 13)
    assert np.abs(row.firings.off_ns).max() < 0.01 * FRAME_NS
    assert row.verdict[1] is False and row.verdict[0].startswith("kept")


def test_a_timer_that_comes_a_frame_late_each_time_is_a_slope():
    """It drifts: each firing is off by what all before were off together."""
    row = of_sort(examined(ticking(31, 0.5)), "timer")
    assert row.firings.off_ns / FRAME_NS == pytest.approx(np.arange(12), abs=0.02)
    assert row.verdict == ("17 ms later each time", True)


def test_a_freeze_does_not_count_against_a_timer():
    """What stood still is left out of what it is off."""
    stage = Stage(catches_up=False)
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=0.5)
    stage.at(*range(30, 400, 30), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    stage.at(200, do=lambda: stage.ms(900))
    row = of_sort(examined(stage.run(400)), "timer")
    assert np.abs(row.firings.off_ns).max() < 0.1 * FRAME_NS


def test_a_timer_that_counts_frames_is_measured_in_frames():
    """By the usual length of a frame."""
    row = of_sort(examined(ticking(30, 0.5, frames=400)), "timer")
    stage = Stage()
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=None, frames=30)
    stage.at(*range(30, 400, 30), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    counted = of_sort(examined(stage.run(400)), "timer")
    assert counted.rhythm == "every 30 frames" and len(counted.firings) == len(row.firings)
    assert np.abs(counted.firings.off_ns).max() < 0.01 * FRAME_NS


@pytest.mark.parametrize(("looping", "sort"), [(True, "timer"), (False, "delay")])
def test_who_counts_frames_keeps_them_however_long_they_are(looping, sort):
    """Frames that run twice as long, and those that make up for a freeze, are frames all the same."""
    stage = Stage()
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    arms = []

    def arm() -> None:
        arms.append(stage.arm(sort, "bell#1", "ring", sec=None, frames=20, loop=looping))

    def fire() -> None:
        stage.heard("ring", bell, via=sort, a=arms[-1])
        if not looping:
            arm()

    stage.at(0, do=arm)
    stage.at(*range(20, 400, 20), do=fire)
    stage.at(*range(210, 260), do=lambda: stage.ms(30))
    stage.at(300, do=lambda: stage.ms(700))
    row = of_sort(examined(stage.run(400)), sort)
    assert row.verdict == ("kept exactly", False)


def test_what_the_game_is_told_of_time_counts_too():
    """A machine that is slow for a while makes no timer jump that goes by the steps which the game is told."""
    stage = Stage(dt=1 / 60)
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=0.5)
    stage.at(*range(30, 400, 30), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    stage.at(*range(210, 260), do=lambda: stage.ms(30))
    row = of_sort(examined(stage.run(400)), "timer")
    assert row.verdict[0].startswith("kept") and np.abs(row.firings.off_ns).max() < 0.01 * FRAME_NS


def test_where_in_a_frame_a_timer_comes_counts_where_no_time_is_told():
    """There is no other clock than the wall's: it is not measured from frame to frame."""
    stage = Stage()
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=0.5)
    stage.at(*range(60, 400, 60), do=lambda: stage.ms(5))
    stage.at(*range(30, 400, 30), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    row = of_sort(examined(stage.run(400)), "timer")
    assert row.verdict[0] == "kept to 5.0 ms"


def test_delays_are_each_measured_by_itself():
    """Three that land two frames late are raised, not a slope."""
    stage = Stage()
    bell = stage.bind("fade", "bell#1", "Bell.on_fade")

    def ring() -> None:
        number = stage.arm("delay", "bell#1", "fade", sec=0.1)
        stage.at(stage.number_now + 9, do=lambda: stage.heard("fade", bell, via="delay", a=number))

    stage.at(10, 40, 70, 100, do=ring)
    row = of_sort(examined(stage.run(150)), "delay")
    assert (row.rhythm, len(row.firings)) == ("after 100 ms", 4)
    assert row.firings.off_ns / 1e6 == pytest.approx([50.0] * 4, abs=0.1)
    assert row.verdict == ("always 50 ms late", True)


def test_a_function_that_runs_with_every_frame_tells_what_it_costs_and_wastes():
    """Two hundred runs of 2 ms, of which nineteen in twenty do nothing."""
    stage = Stage()
    shelf = stage.bind("tick", "shelf#1", "Shelf.on_tick")
    stage.each(lambda n: stage.heard("tick", shelf, via="tick", eff=int(n % 20 == 0), takes_ms=2.0))
    session = examined(stage.run(200))
    row = of_sort(session, "tick")
    assert (row.function, row.count, row.wasted) == ("Shelf.on_tick", 200, pytest.approx(0.95))
    assert row.cost_ns / 1e6 == pytest.approx(120, rel=0.02)
    assert cost_told(row).endswith("ms a second, 95.0% for nothing")


def test_answers_to_one_event_tell_how_long_after_the_send_each_came():
    """Two listeners, the second a millisecond after the first."""
    stage = Stage()
    both = [stage.bind("open", name, "Door.on_open") for name in ("door#1", "door#2")]
    stage.at(10, 20, 30, do=lambda: stage.heard("open", *both, takes_ms=1.0))
    row = of_sort(examined(stage.run(50)), "answer")
    assert row.firings.off_ns.reshape(-1, 2) / 1e6 == pytest.approx(np.array([[0.0, 1.0]] * 3), abs=0.01)
    assert row.verdict == ("within 1.0 ms of the send", False)


def cued(late_s: float) -> Session:
    """A track whose five cues come late, or early, each."""
    stage = Stage()
    drum = stage.bind("beat", "drum#1", "Drum.on_beat")

    def start() -> None:
        number = stage.play("radio#1", "waltz", 10.0, [[f"cue_{n}", float(n)] for n in range(1, 6)], what="track")
        for n in range(1, 6):
            frame = stage.number_now + round((n + late_s) * 60)
            stage.at(frame, do=lambda n=n: stage.heard("beat", drum, via="clip", y=number, mark=f"cue_{n}"))

    stage.at(10, do=start)
    return examined(stage.run(500))


def test_cues_of_a_track_stand_beside_their_places():
    """Five cues that come 200 ms late each."""
    row = of_sort(cued(0.2), "cue")
    assert row.firings.off_ns / 1e6 == pytest.approx([200.0] * 5, abs=1)
    assert row.verdict[1] is True and row.verdict[0].endswith("late")


@pytest.mark.parametrize("late_s", [0.2, -0.2])
def test_the_scale_of_a_spread_is_told_where_no_bar_lies(late_s):
    """All firings late lie at the row's top, early ones at its foot."""
    picture = drawn(cued(late_s))
    (word,) = [word for word in picture.words if word.text.startswith("±")]
    (bars,) = [boxes for boxes in picture.boxes if boxes.role in ("rose", "quiet")]
    tops, heights = bars.boxes[:, 1], bars.boxes[:, 3]
    assert len(tops) and not ((tops < word.y + 6) & (tops + heights > word.y - 6)).any()


@pytest.mark.parametrize(
    ("off_frames", "said", "wrong"),
    [
        ([0.0] * 20, "kept exactly", False),
        ([0.4, -0.4] * 10, "kept to", False),
        ([1.4] * 20, "kept to", False),
        ([1.6] * 20, "always", True),
        ([-1.6] * 20, "always", True),
        ([0.0, 3.0] * 10, "jumps about", False),
        (np.arange(20) * 0.1, "later each time", True),
        (np.arange(20) * -0.1, "earlier each time", True),
        (np.arange(20) * 0.01, "kept to", False),
        ([], "never free", False),
        ([0.4] * 19 + [90.0], "at worst 1.50 s", False),
        ([1.6] * 19 + [-0.1], "mostly", True),
        # of many only some are looked at, yet the slope is that of each
        (np.arange(100_000) * 0.03, "500 µs later each time", True),
        (np.arange(100_000) * 0.019, "jumps about", False),
    ],
)
def test_what_the_dots_say(off_frames, said, wrong):
    """Level is kept, raised is always late, a slope is drift, a cloud jumps about."""
    off = np.array(off_frames, np.float64) * FRAME_NS
    times = np.arange(len(off))
    row = Recurring(
        sort="timer", name="", rhythm="", via="timer", rows_of="send", unit_ns=FRAME_NS, count=len(off),
        reckon=lambda: Firings(times, off, times),
    )  # fmt: skip
    text, is_wrong = row.verdict
    assert said in text and is_wrong is wrong


def test_the_worst_stands_first():
    """What a finding tells of before what is merely dear, and what runs for nothing before what does not."""
    stage = Stage()
    shelf = stage.bind("tick", "shelf#1", "Shelf.on_tick")
    mouse = stage.bind("tick", "mouse#1", "Mouse.on_tick")
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    number = stage.arm("timer", "bell#1", "ring", sec=0.5)

    def tick(n: int) -> None:
        s = stage.send("tick", via="tick")
        stage.call(s, mouse, 1, takes_ms=3.0)
        stage.call(s, shelf, 0, takes_ms=1.0)

    stage.each(tick)
    stage.at(*range(30, 200, 30), do=lambda: stage.heard("ring", bell, via="timer", a=number))
    session = examined(stage.run(200))
    rows = paced_rows(session, recurring(session.take))
    assert [row.recurring.name for row in rows] == ["shelf#1  on_tick", "bell#1  ring", "mouse#1  on_tick"]
    assert rows[0].finding is not None and rows[0].finding.kind == "polling-waste"
    session.set_sieve("o:mouse#1")
    assert [row.faded for row in paced_rows(session, recurring(session.take))] == [True, True, False]
    session.set_hide_unmatched(True)
    assert [row.recurring.name for row in paced_rows(session, recurring(session.take))] == ["mouse#1  on_tick"]


def test_the_event_that_could_call_a_poll_instead_is_named():
    """Below its name, for it is what to change."""
    stage = Stage()
    shelf = stage.bind("tick", "shelf#1", "Shelf.on_tick")
    oven = stage.bind("ready", "oven#1", "Oven.on_ready")
    found = range(20, 400, 40)
    stage.at(*found, do=lambda: stage.heard("ready", oven))
    stage.each(lambda n: stage.heard("tick", shelf, via="tick", eff=int(n - 1 in found), takes_ms=1.0))
    session = examined(stage.run(400))
    (finding,) = [finding for finding in session.findings if finding.kind == "polling-waste"]
    assert finding.instead == "ready"
    label = next(label for label in drawn(session).labels if label.text.startswith("shelf#1"))
    assert "ready could call it instead" in label.detail.split("\n")[2]


def test_a_lone_late_firing_is_seen_among_thousands():
    """Its dot is drawn although thousands share the row; there are at most two dots a pixel."""
    stage = Stage()
    shelf = stage.bind("tick", "shelf#1", "Shelf.on_tick")
    stage.each(lambda n: stage.heard("tick", shelf, via="tick", eff=1))
    stage.at(2000, do=lambda: stage.ms(30))
    session = examined(stage.run(4000))
    picture = drawn(session, width=500.0)
    xs = np.concatenate([run.xs for run in picture.things])
    ys = np.concatenate([run.ys for run in picture.things])
    assert len(xs) <= 2 * (500 - 200)
    assert xs[np.argmin(ys)] == pytest.approx(picture.scale.x(2001), abs=2)


def test_a_take_in_which_nothing_recurs_says_so():
    """With one sentence."""
    assert "Nothing recurs" in drawn(examined(Stage().run(10))).empty


@pytest.mark.parametrize("count", [0, 1, BLOCK, 5 * BLOCK**2 + 7])
@pytest.mark.parametrize("pixels", [1, 7, 300])
def test_the_extremes_of_each_pixel_are_kept_at_any_length(count, pixels):
    """Whatever blocks they are found by: the least and the greatest of all are among them, and at their pixels."""
    off = np.sin(np.arange(count) * 1.7) * np.arange(count)
    times = np.arange(count) * 10
    firings = Firings(times, off, np.arange(count))
    moments = np.ceil(np.linspace(0, count * 10, pixels + 1)).astype(np.int64)
    shown, lowest, highest = firings.extremes(moments)
    seen, lowest_ns, highest_ns = firings.reach(moments)
    assert np.array_equal(seen, shown)
    if not count:
        assert not len(shown)
        return
    assert np.array_equal(lowest_ns, off[lowest]) and np.array_equal(highest_ns, off[highest])
    assert off[lowest].min() == off.min() and off[highest].max() == off.max()
    assert (off[lowest] <= off[highest]).all() and len(shown) <= pixels
    at = np.minimum(np.argmax(off) * pixels // count, pixels - 1)
    assert abs(int(shown[np.argmax(off[highest])]) - at) <= 1


def firing(every: int, held: bool = True, cooldown: int = 15) -> Stage:
    """A gun that cools for a quarter of a second; `held`: it is asked on each frame, else only when it may fire."""
    stage = Stage()
    gun, ready = stage.bind("fire", "gun#1", "Gun.on_fire"), stage.bind("cooled", "gun#1", "Gun.on_cooled")

    def fire(n: int) -> None:
        if n % every == 5 % every:
            send = stage.send("fire", via="input", edge="held")
            stage.inside(send, gun, lambda call: cool(call))
        elif held:
            stage.heard("fire", gun, eff=0, via="input", edge="held")

    def cool(call: int) -> None:
        number = stage.arm("delay", "gun#1", "cooled", sec=cooldown / 60, c=call)
        stage.at(stage.number_now + cooldown, do=lambda: stage.heard("cooled", ready, via="delay", a=number))

    stage.each(fire)
    return stage.run(300)


def test_a_cooldown_tells_how_soon_after_it_what_set_it_acts_again():
    """Held down, five frames after each end; the calls in between were turned away."""
    row = of_sort(examined(firing(20)), "cooldown")
    assert (row.name, row.count) == ("gun#1  on_fire", 14)  # the last still cools at the end
    assert row.rhythm == "cools down by cooled, turned away 210 times"
    assert row.firings.off_ns / FRAME_NS == pytest.approx([5.0] * 13, abs=0.1)
    assert row.verdict == ("again within 83 ms of its end, at the earliest after 83 ms", False)
    assert row.wasted == pytest.approx(210 / 224)


def test_what_acts_while_it_cools_is_wrong():
    """Every ten frames, though it cools for fifteen."""
    session = examined(firing(10))
    row = of_sort(session, "cooldown")
    assert row.verdict == ("acted 27 times while it was cooling", True)
    assert (row.firings.off_ns < -4 * FRAME_NS).all()
    picture = drawn(session)
    assert any(dots.via == "wrong" and dots.kind == "call" for dots in picture.dots)


def test_a_delay_whose_setter_is_never_turned_away_is_no_cooldown():
    """Asked only when it may: nothing says that the delay is waited for; a frame's tolerance on either side."""
    rows = recurring(examined(firing(20, held=False)).take)
    assert "cooldown" not in {row.sort for row in rows} and "delay" in {row.sort for row in rows}
