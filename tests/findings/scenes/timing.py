"""Scenes of timers, delays, tracks and the game's clock."""

from __future__ import annotations

from collections.abc import Callable

from findings.scenes import fault, quiet
from tape import Stage


def _drip(stage: Stage, fires: list[int], begin: int = 10, **interval: float) -> int:
    """Set a looping timer at a frame, and let it fire in others."""
    stage.spawn("tap#1", "Tap")
    tap = stage.bind("drop", "tap#1", "Tap.on_drop")
    made: dict[str, int] = {}
    stage.at(
        begin, do=lambda: made.update(a=stage.arm("timer", "tap#1", "drop", loop=True, **{"sec": None, **interval}))
    )
    stage.at(*fires, do=lambda: stage.heard("drop", tap, o="tap#1", via="timer", a=made["a"]))
    return max(fires) + 20


@fault("timer-drift", "off-by-one", 41, "risk", ev="drop", o="tap#1", cls="Tap")
def a_timer_counts_one_frame_too_many(stage: Stage, intervals: int = 8) -> int:
    return _drip(stage, [10 + 31 * number for number in range(1, intervals + 1)], frames=30)


@quiet("timer-drift", "off-by-one")
def a_timer_that_keeps_its_frames(stage: Stage) -> int:
    return _drip(stage, [10 + 30 * number for number in range(1, 16)], frames=30)


@quiet("timer-drift", "off-by-one")
def a_timer_that_is_paused_now_and_then(stage: Stage) -> int:
    for number in range(1, 12):
        stage.at(10 + 33 * number - 20, do=lambda: stage("pause", a=1))
        stage.at(10 + 33 * number - 17, do=lambda: stage("resume", a=1))
    return _drip(stage, [10 + 33 * number for number in range(1, 12)], frames=30)


@fault("timer-drift", "remainder-dropped", 17, "risk", ev="drop", o="tap#1")
def a_timer_drops_the_rest_of_a_frame(stage: Stage, asked: float = 6.2) -> int:
    return _drip(stage, [10 + 7 * number for number in range(1, 20)], sec=asked / stage.hz)


@quiet("timer-drift", "remainder-dropped")
def a_timer_that_carries_the_rest_over(stage: Stage) -> int:
    return _drip(stage, [10 + -(-62 * number // 10) for number in range(1, 30)], sec=6.2 / stage.hz)


@quiet("timer-drift", "remainder-dropped", catches_up=False)
def a_timer_whose_frames_take_longer_than_they_should_now_and_then(stage: Stage, asked: float = 5.55) -> int:
    """Rounding up to six frames is 0.45 of one: what makes an interval longer is the third of them that take 1.4 times as long."""
    stage.at(*range(0, 200, 3), do=lambda: stage.ms(1400 / stage.hz))
    return _drip(stage, [10 + 6 * number for number in range(1, 20)], sec=asked / stage.hz)


@fault("timer-drift", "remainder-dropped", 16, "risk", stage={"catches_up": False}, ev="drop", o="tap#1")
def a_timer_drops_more_than_half_a_frame_where_frames_take_longer(stage: Stage) -> int:
    return a_timer_whose_frames_take_longer_than_they_should_now_and_then(stage, 5.45)


@quiet("timer-drift", "off-by-one", catches_up=False, dt=1 / 60)
def a_timer_that_goes_by_the_time_its_game_is_told(stage: Stage) -> int:
    """That runs slower than the wall's, for each frame takes 17.5 ms: by that clock it would be 1.4 frames off."""
    stage.each(lambda number: stage.ms(17.5))
    return _drip(stage, [10 + 30 * number for number in range(1, 16)], sec=0.5)


@quiet("timer-drift", "off-by-one")
def a_timer_that_fires_at_random(stage: Stage) -> int:
    """Nobody counts wrongly there: it is somebody else's clock."""
    frames = [10]
    for step in (7, 40, 12, 3, 25, 18, 9, 33, 5, 21, 14, 8):
        frames.append(frames[-1] + step)
    return _drip(stage, frames[1:], frames=60)


@quiet("timer-drift", "off-by-one")
def a_timer_shorter_than_a_frame(stage: Stage) -> int:
    return _drip(stage, list(range(11, 60)), sec=0.4 / stage.hz)


@fault("timer-drift", "starved", 16, "risk", stage={"catches_up": False}, ev="drop", o="tap#1")
def a_timer_that_counts_frames_where_they_run_long(stage: Stage, long: float = 3.0) -> int:
    """Six frames make up its interval, but in every interval one frame takes longer."""
    for number in range(16):
        stage.at(11 + 6 * number, do=lambda: stage.ms(long * 1000 / stage.hz))
    return _drip(stage, [10 + 6 * number for number in range(1, 17)], sec=6 / stage.hz)


@quiet("timer-drift", "starved", catches_up=False)
def a_timer_that_long_frames_do_not_hold_up(stage: Stage) -> int:
    return a_timer_that_counts_frames_where_they_run_long(stage, long=0.6)


@quiet("timer-drift", "starved", catches_up=False)
def a_timer_that_comes_early_where_frames_run_long(stage: Stage) -> int:
    """It counts a long frame as four: that it falls behind would be wrong."""
    for number in range(16):
        stage.at(11 + 3 * number, do=lambda: stage.ms(2000 / stage.hz))
    return _drip(stage, [10 + 3 * number for number in range(1, 17)], sec=6 / stage.hz)


@quiet("timer-drift", "starved", catches_up=False)
def a_timer_that_the_machine_holds_up(stage: Stage, taken: float = 1.6) -> int:
    """What ran long was taken from the game by other programs, and its thread could have run meanwhile."""
    told = {"ready": round(taken * 1e9 / stage.hz)}
    for number in range(16):
        stage.at(11 + 6 * number, do=lambda: setattr(stage, "told_at_idle", told))
    return a_timer_that_counts_frames_where_they_run_long(stage)


@fault("timer-drift", "starved", 16, "risk", stage={"catches_up": False}, ev="drop", o="tap#1")
def a_timer_that_the_machine_holds_up_too(stage: Stage) -> int:
    """Its frames run long without what the machine took of them."""
    return a_timer_that_the_machine_holds_up(stage, taken=1.4)


@fault("timer-drift", "off-by-one", 41, "risk", stage={"catches_up": False}, ev="drop", o="tap#1", cls="Tap")
def a_timer_counts_one_frame_too_many_while_the_machine_is_taken_away(stage: Stage) -> int:
    """However long frames are, it counts them."""

    def run_long() -> None:
        stage.ms(3000 / stage.hz)
        stage.told_at_idle = {"ready": round(3e9 / stage.hz)}

    for number in range(4):
        stage.at(15 + 31 * number, do=run_long)
    return a_timer_counts_one_frame_too_many(stage)


@fault("timer-left-running", "owner-gone", 130, ev="steam", o="kettle#1", cls="Kettle")
def a_kettle_steams_after_it_is_gone(stage: Stage, cleared: int | None = None) -> int:
    stage.spawn("kettle#1", "Kettle")
    room = stage.bind("steam", "room#1", "Room.on_steam")
    made: dict[str, int] = {}
    stage.at(10, do=lambda: made.update(a=stage.arm("timer", "kettle#1", "steam", sec=30 / stage.hz)))
    stage.at(110, do=lambda: stage("gone", o="kettle#1"))
    for frame in range(40, 200, 30):
        if cleared is None or frame < cleared:
            stage.at(frame, do=lambda: stage.heard("steam", room, o="kettle#1", via="timer", a=made["a"]))
    if cleared is not None:
        stage.at(cleared, do=lambda: stage("disarm", a=made["a"], how="owner"))
    return 220


@fault("timer-left-running", "owner-gone", 110, ev="whistle", cls="Kettle")
def a_delay_stays_set_for_one_who_left(stage: Stage, seconds: float = 5.0) -> int:
    stage.spawn("kettle#1", "Kettle")
    stage.at(100, do=lambda: stage.arm("delay", "kettle#1", "whistle", sec=60.0))
    stage.at(110, do=lambda: stage("gone", o="kettle#1"))
    return 111 + round(seconds * stage.hz)


@fault("timer-left-running", "owner-gone", 200, ev="whistle", cls="Kettle")
def one_of_two_whistles_after_both_left(stage: Stage) -> int:
    """The other's delay stays set."""
    cook = stage.bind("whistle", "cook#1", "Cook.on_whistle")
    made: list[int] = []
    for kettle in ("kettle#1", "kettle#2"):
        stage.spawn(kettle, "Kettle")
        stage.at(100, do=lambda kettle=kettle: made.append(stage.arm("delay", kettle, "whistle", sec=60.0, loop=False)))
        stage.at(110, do=lambda kettle=kettle: stage("gone", o=kettle))
    stage.at(200, do=lambda: stage.heard("whistle", cook, o="kettle#1", via="delay", a=made[0]))
    return 440


@quiet("timer-left-running", "owner-gone")
def a_kettle_clears_its_timer_as_it_goes(stage: Stage) -> int:
    return a_kettle_steams_after_it_is_gone(stage, cleared=110)


@fault("timer-left-running", "nobody-listens", 20, "waste", ev="blink", o="lamp#1")
def a_lamp_blinks_for_nobody(stage: Stage, firings: int = 20) -> int:
    stage.spawn("lamp#1", "Lamp")
    made: dict[str, int] = {}
    stage.at(10, do=lambda: made.update(a=stage.arm("timer", "lamp#1", "blink", sec=None, frames=10)))
    stage.at(*range(20, 20 + 10 * firings, 10), do=lambda: stage.send("blink", o="lamp#1", via="timer", a=made["a"]))
    listener = stage.bind("tick", "till#1", "Till.on_tick")
    stage.at(5, do=lambda: stage.heard("tick", listener, via="tick"))
    return 40 + 10 * firings


@quiet("timer-left-running", "nobody-listens")
def a_lamp_is_heard_after_a_while(stage: Stage) -> int:
    return a_lamp_blinks_for_nobody(stage, firings=19)


def _bell(stage: Stage, sets: int, land: str, *, eff: int = 1, every: int = 5) -> int:
    """Set one delay of 30 frames every few frames; `all`, the `first`, the `last` or every other of them (`half`) lands."""
    landing = {"all": range(sets), "first": [0], "last": [sets - 1], "half": range(0, sets, 2)}[land]
    stage.spawn("bell#1", "Bell")
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    made: list[int] = []

    def arm() -> None:
        if made and land == "last":
            stage("disarm", a=made[-1], how="cleared")
        made.append(stage.arm("delay", "bell#1", "ring", sec=30 / stage.hz))

    def fire(number: int) -> None:
        stage.heard("ring", bell, eff=eff, o="bell#1", via="delay", a=made[number])
        stage("disarm", a=made[number], how="done")

    for number in range(sets):
        stage.at(100 + every * number, do=arm)
        if number in landing:
            stage.at(130 + every * number, do=lambda number=number: fire(number))
        elif land != "last":
            stage.at(130 + every * number, do=lambda number=number: stage("disarm", a=made[number], how="cleared"))
    return 180 + every * sets


@fault("delay-restacked", "stacked", 130, ev="ring", o="bell#1", cls="Bell")
def a_delay_lands_as_often_as_it_was_set(stage: Stage, again: int = 3) -> int:
    return _bell(stage, again + 1, "all")


@fault("delay-restacked", "restarted", 105, "risk", ev="ring", o="bell#1")
def a_delay_is_put_off_again_and_again(stage: Stage) -> int:
    return _bell(stage, 6, "last")


@fault("delay-restacked", "ignored", 130, "note", ev="ring", o="bell#1")
def a_delay_counts_only_once(stage: Stage) -> int:
    return _bell(stage, 6, "first")


@quiet("delay-restacked", "stacked")
def one_delay_after_the_other(stage: Stage) -> int:
    return _bell(stage, 6, "all", every=31)


@quiet("delay-restacked", "stacked")
def delays_that_change_nothing(stage: Stage) -> int:
    return _bell(stage, 3, "all", eff=0)


@quiet("delay-restacked", "restarted")
def a_delay_is_put_off_twice(stage: Stage) -> int:
    return _bell(stage, 3, "last")


@quiet("delay-restacked", "ignored")
def a_delay_is_set_twice_and_counts_once(stage: Stage) -> int:
    return _bell(stage, 3, "first")


def _song(stage: Stage, offsets: list[float | None], length: float = 8.0) -> int:
    """Play a track with a cue in every second, each sent so many seconds beside its place, or not at all."""
    stage.spawn("radio#1", "Radio")
    made: dict[str, int] = {}
    begin = stage.hz
    cues = [["beat", float(number + 1)] for number in range(len(offsets))]
    stage.at(begin, do=lambda: made.update(y=stage.play("radio#1", "waltz", length, cues, what="track")))
    for number, beside in enumerate(offsets):
        if beside is not None:
            frame = begin + round((number + 1 + beside) * stage.hz) + (0 if beside else 1)
            stage.at(frame, do=lambda: stage.send("beat", o="radio#1", via="clip", y=made["y"], mark="beat", pos=1.0))
    stage.at(begin + round(length * stage.hz), do=lambda: stage("stop", y=made["y"], how="end", pos=length))
    return begin + round((length + 1) * stage.hz)


@fault("cue-off", "early", 171, "risk", clip="waltz", mark="beat", cls="Radio")
def a_cue_comes_early(stage: Stage) -> int:
    return _song(stage, [0, -0.15, 0, 0, -0.15, 0])


@fault("cue-off", "late", 189, "risk", clip="waltz", mark="beat", cls="Radio")
def a_cue_comes_late(stage: Stage) -> int:
    return _song(stage, [0, 0.15, 0, 0, 0.15, 0])


def _reel(stage: Stage, off_frames: list[int]) -> int:
    """Play a track whose cues all have names of their own, a quarter of a second apart."""
    stage.spawn("fiddler#1", "Fiddler")
    places = [(f"bar {number}", 0.5 + 0.25 * number) for number in range(len(off_frames))]
    stage.at(stage.hz, do=lambda: stage.play("fiddler#1", "reel", 8.0, [list(place) for place in places], what="track"))
    for (name, place), off in zip(places, off_frames, strict=True):
        stage.at(
            round((1 + place) * stage.hz) + off,
            do=lambda name=name: stage.send(name, o="fiddler#1", via="clip", y=1, mark=name),
        )
    stage.at(9 * stage.hz, do=lambda: stage("stop", y=1, how="end", pos=8.0))
    return 10 * stage.hz


@fault("cue-off", "late", 96, "risk", clip="reel", mark=None, cls="Fiddler")
def half_of_a_tracks_cues_come_late(stage: Stage) -> int:
    """They are one finding: it is the track that is late."""
    return _reel(stage, [6, 6, 6, 0, 0, 0])


@fault("cue-off", "early", 84, "risk", clip="reel", mark=None, cls="Fiddler")
def all_cues_of_a_track_come_early(stage: Stage) -> int:
    return _reel(stage, [-6] * 8)


@fault("cue-off", "late", 96, "risk", clip="reel", mark="bar 0", cls="Fiddler")
def one_of_a_tracks_cues_comes_late(stage: Stage) -> int:
    return _reel(stage, [6, 0, 0, 0, 0, 0])


@fault("cue-off", "drifts", 242, "risk", clip="waltz", cls="Radio")
def cues_run_away(stage: Stage) -> int:
    return _song(stage, [0.02 * number for number in range(7)])


@fault("cue-off", "drifts", 93, "risk", clip="reel", cls="Fiddler")
def cues_run_away_past_the_next(stage: Stage) -> int:
    """Each tells which beat it stands for, by the place that was planned."""
    stage.spawn("fiddler#1", "Fiddler")
    cues = [["step", 0.5 * number] for number in range(1, 16)]
    stage.at(stage.hz, do=lambda: stage.play("fiddler#1", "reel", 8.0, cues, what="track"))
    for number, (_, place) in enumerate(cues, start=1):
        frame = round((1 + place + 0.03 * number) * stage.hz) + 1
        stage.at(frame, do=_step(stage, place))
    stage.at(9 * stage.hz, do=lambda: stage("stop", y=1, how="end", pos=8.0))
    return 10 * stage.hz


def _step(stage: Stage, place: float) -> Callable[[], object]:
    return lambda: stage.send("step", o="fiddler#1", via="clip", y=1, mark="step", pos=place)


@fault("cue-off", "missed", 241, clip="waltz", mark="beat", cls="Radio")
def a_cue_is_never_sent(stage: Stage) -> int:
    return _song(stage, [0, 0, None, 0, 0, 0])


@quiet("cue-off", "early")
@quiet("cue-off", "late")
@quiet("cue-off", "drifts")
def cues_wait_for_their_frame(stage: Stage) -> int:
    return _song(stage, [0] * 7)


@quiet("cue-off", "late", catches_up=False, dt=1 / 60)
def cues_go_by_the_clock_that_the_game_is_told(stage: Stage) -> int:
    """It stands still where the game stalls, before the track and within it."""
    second = stage.hz
    stage.at(second // 4, second // 3, second // 2, 2 * second, 3 * second, 4 * second, do=lambda: stage.ms(90))
    return _song(stage, [0] * 7)


@quiet("cue-off", "missed")
def a_song_that_is_stopped_in_the_middle(stage: Stage) -> int:
    frames = _song(stage, [0, 0, None, None, None])
    stage._plans.pop(stage.hz + 8 * stage.hz)
    stage.at(round(3.5 * stage.hz), do=lambda: stage("stop", y=1, how="cut", pos=2.5))
    return frames


RATE = 3600.0
"""An hour a second."""


def _day(
    stage: Stage,
    seconds: float,
    *,
    begin: float = 6 * 3600.0,
    skips: tuple[int, ...] = (),
    late: dict[int, int] | None = None,
    again: tuple[int, ...] = (),
    sets: dict[int, float] | None = None,
    due: float = 18 * 3600.0,
    told: bool = True,
    every: int = 0,
) -> int:
    """Let the game's clock run an hour a second and a shutter close at a time of day, on each day but some.

    `sets`: frames in which the clock is set, and to what; `late`: days on which it comes so many frames late; `every`:
    after how many frames the clock is told again.
    """
    shutter = stage.bind("close", "shutter#1", "Shutter.on_close")
    clock = {"v": begin, "day": 0, "sent": -1.0}

    def close() -> None:
        stage.heard("close", shutter, o="clock#1", via="clock", due=due if told else None)

    def step(number: int) -> None:
        if number == 0:
            stage("clock", v=begin, rate=RATE)
            return
        before = clock["v"]
        now = before + RATE / stage.hz
        if sets and number in sets:
            now = sets[number]
            stage("clock", v=now, rate=RATE)
            clock["v"] = now
            return
        passed = before < due <= now or before < due + 86400 <= now
        if now >= 86400:
            now -= 86400
        clock["v"] = now
        if every and number % every == 0:
            # now a little behind, now a little ahead of what the stream's times say, as rounding brings it
            stage("clock", v=round(now + (-0.4 if number // every % 2 else 0.4), 3), rate=RATE)
        if passed:
            day = int(clock["day"])
            clock["day"] += 1
            if day in skips:
                return
            delay = (late or {}).get(day, 0)
            for frame in [number + delay, *([number + 60] if day in again else [])]:
                if frame == number:
                    close()
                else:
                    stage.at(frame, do=close)

    stage.each(step)
    return round(seconds * stage.hz)


@fault("threshold-missed", "jumped", 1800, ev="close")
def the_clock_is_set_past_closing_time(stage: Stage) -> int:
    """On the second day somebody sleeps from noon to ten at night."""
    return _day(stage, 80, sets={1800: 22 * 3600.0})


@quiet("threshold-missed", "jumped")
def the_clock_is_set_on_by_an_hour_in_the_morning(stage: Stage) -> int:
    return _day(stage, 80, sets={30 * stage.hz: 13 * 3600.0})


@fault("threshold-missed", "midnight", 1081, ev="close")
def what_lies_at_midnight_is_lost(stage: Stage) -> int:
    return _day(stage, 80, due=0.0, skips=(0, 2))


@quiet("threshold-missed", "midnight")
def what_lies_at_midnight_is_sent(stage: Stage) -> int:
    return _day(stage, 80, due=0.0)


@fault("threshold-missed", "doubled", 780, ev="close")
def a_shutter_closes_twice(stage: Stage) -> int:
    return _day(stage, 80, again=(0,))


@quiet("threshold-missed", "doubled")
def the_clock_is_set_back_and_passes_again(stage: Stage) -> int:
    return _day(stage, 40, sets={13 * stage.hz: 17.5 * 3600.0})


@fault("threshold-missed", "late-clock", 732, "risk", ev="close")
def a_shutter_closes_late(stage: Stage, frames: int = 12) -> int:
    return _day(stage, 80, late={0: frames})


@fault("threshold-missed", "late-clock", 732 + 1440, "risk", ev="close")
def a_shutter_closes_late_where_the_clock_is_told_at_that_moment(stage: Stage) -> int:
    """The moment lies between what the record before had run to and what the next one says: passed all the same."""
    return _day(stage, 80, late={1: 12}, every=60)


@quiet("threshold-missed", "doubled")
@quiet("threshold-missed", "late-clock")
def a_shutter_closes_on_time_where_the_clock_is_told_at_that_moment(stage: Stage) -> int:
    return _day(stage, 80, every=60)


@quiet("threshold-missed", "late-clock")
def a_shutter_closes_a_step_late(stage: Stage) -> int:
    return a_shutter_closes_late(stage, frames=1)


@fault("threshold-missed", "jumped", 6000, ev="close")
def closing_time_is_learnt(stage: Stage, days: int = 4) -> int:
    """Nothing tells when it is due, but it came at one time of day; then somebody sleeps from ten to ten."""
    jump = (24 * days + 4) * stage.hz
    return _day(stage, 24 * (days + 1), sets={jump: 22 * 3600.0}, told=False)


@quiet("threshold-missed", "doubled")
@quiet("threshold-missed", "late-clock")
@quiet("threshold-missed", "jumped")
def what_comes_by_frames_comes_at_a_time_of_day_by_chance(stage: Stage) -> int:
    """A day lasts a hundred frames. One is sent in nearly every frame; one a day apart by frames, whatever the clock is set
    to; one three times at five o'clock, and twice at another time."""
    clock = {"v": 5 * 3600.0}
    step = 864.0
    for event in ("stir", "sweep", "toast"):
        stage.bind(event, f"{event}er#1", "Baker.work")

    def turn(number: int) -> None:
        clock["v"] = 9 * 3600.0 if number == 402 else (clock["v"] + step) % 86400
        if number in (1, 402) or clock["v"] < step or number % 10 == 0:
            stage("clock", v=clock["v"], rate=step * stage.hz)
        if number % 100 != 99:
            stage.send("stir", o="spoon#1")
        if number % 100 == 60:
            stage.send("sweep", o="broom#1")
        if number in (60, 100, 200, 260, 300):
            stage.send("toast", o="host#1")

    stage.each(turn)
    return 600


@fault("threshold-missed", "level", 480, ev="full", o="silo#1", cls="Silo")
def a_silo_is_filled_at_once(stage: Stage, times: int = 4, step: int = 20, sender: str = "silo#1") -> int:
    """It says that it is full when it holds ninety; a big delivery goes past that unseen."""
    stage.spawn("silo#1", "Silo")
    for number in range(times + 1):
        begin = 80 + 100 * number
        for place, value in enumerate((0, 30, 60, 90 + number, 40)):
            if number == times and value in (60, 94, 30):
                continue
            stage.at(begin + 10 * place, do=lambda value=value: stage("watch", o="silo#1", name="flour", v=value))
        if number < times:
            stage.at(begin + 30, do=lambda: stage.send("full", o=sender))
    stage.at(80 + 100 * times, do=lambda: stage("watch", o="silo#1", name="flour", v=100))
    return 80 + 100 * (times + 1)


@fault("threshold-missed", "level", 480, ev="full")
def a_foreman_says_it_of_the_silo(stage: Stage) -> int:
    """What an event follows need not be its sender's own."""
    return a_silo_is_filled_at_once(stage, sender="foreman#1")


@fault("threshold-missed", "level", 480, ev="empty", o="silo#1", cls="Silo")
def a_silo_is_emptied_at_once(stage: Stage, via: str | None = None) -> int:
    """It says that it is empty when it holds ten; a big order goes past that unseen."""
    stage.spawn("silo#1", "Silo")
    for number in range(5):
        begin = 80 + 100 * number
        for place, value in enumerate((100, 70, 40, 10 - number, 60) if number < 4 else (0,)):
            stage.at(begin + 10 * place, do=_holds(stage, "silo#1", value))
        if number < 4:
            stage.at(begin + 30, do=lambda: stage.send("empty", o="silo#1", via=via))
    return 580


@fault("threshold-missed", "level", 505, ev="full", o="silo#2", cls="Silo")
def one_silo_of_two_is_filled_at_once(stage: Stage, both: bool = False) -> int:
    """Both say the same of themselves, and hold the same at the same time."""
    for place, silo in enumerate(("silo#1", "silo#2")):
        stage.spawn(silo, "Silo")
        for number in range(5):
            begin = 80 + 100 * number
            for step, value in enumerate((0, 50, 100, 40)):
                stage.at(begin + 10 * step + 5 * place, do=_holds(stage, silo, value))
            if number < 4 or both or silo == "silo#1":
                stage.at(begin + 20 + 5 * place, do=_says_full(stage, silo))
    return 600


def _holds(stage: Stage, silo: str, value: int) -> Callable[[], object]:
    return lambda: stage("watch", o=silo, name="flour", v=value)


def _says_full(stage: Stage, silo: str) -> Callable[[], object]:
    return lambda: stage.send("full", o=silo)


@fault("threshold-missed", "level", 500, ev="full", o="silo#1", cls="Silo")
def what_two_say_of_one_silo_is_told_once(stage: Stage) -> int:
    """A second one says after it what the first one says."""
    stage.spawn("silo#1", "Silo")
    stage.spawn("silo#2", "Silo")
    for number in range(5):
        begin = 80 + 100 * number
        for step, value in enumerate((0, 50, 100, 40)):
            stage.at(begin + 10 * step, do=_holds(stage, "silo#1", value))
        for silo in ("silo#1", "silo#2") if number < 4 else ():
            stage.at(begin + 20, do=_says_full(stage, silo))
    return 600


@quiet("threshold-missed", "level")
def a_number_that_moves_along_with_the_silos(stage: Stage) -> int:
    """What the silo says follows from what it holds itself: a gauge that is tried by hand is missed by nobody."""
    shown = [
        (80 + 100 * number + 10 * place, value)
        for number in range(4)
        for place, value in enumerate((0, 30, 60, 90, 40))
    ]
    for frame, value in [*shown, (480, 100), (520, 40), (580, 100)]:
        stage.at(frame, do=lambda value=value: stage("watch", o="gauge#1", name="shown", v=value))
    return a_silo_that_always_says_so(stage) + 60


@quiet("threshold-missed", "level")
def two_silos_that_always_say_so(stage: Stage) -> int:
    return one_silo_of_two_is_filled_at_once(stage, both=True)


@quiet("threshold-missed", "level")
def a_silo_that_always_says_so(stage: Stage) -> int:
    frames = a_silo_is_filled_at_once(stage)
    stage.at(480, do=lambda: stage.send("full", o="silo#1"))
    return frames
