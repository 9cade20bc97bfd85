"""Scenes of clips, their marks, delays beside them, and waits for them."""

from __future__ import annotations

from findings.scenes import fault, quiet
from tape import Stage


def _chop(stage: Stage, begin: int, lands: int | None, *, clip: str = "chop", place: float = 0.8, length: float = 1.2,
          marks: int = 1, mark: str = "blade_down", stops: bool = True, first: float | None = None) -> None:  # fmt: skip
    """Plan a clip with a mark at `place` seconds, and a delay set with it that lands `lands` frames after its begin.

    `first`: the clip begins there, in seconds, if not at its own beginning.
    """
    made: dict[str, int] = {}

    def start() -> None:
        names = [[mark, place], ["late_mark", length - 0.1]][:marks]
        made["y"] = stage.play("cook#1", clip, length, names, **{"from": first})
        if lands is not None:
            made["a"] = stage.arm("delay", "cook#1", "cut", sec=lands / stage.hz, loop=False)

    def land() -> None:
        stage.heard("cut", cook, o="cook#1", via="delay", a=made["a"])
        stage("disarm", a=made["a"], how="done")

    def come() -> None:
        stage.heard(mark, cook, o="cook#1", via="clip", y=made["y"], mark=mark, pos=place)

    from tape import Bound

    cook = Bound(0, "cut", "cook#1", "Cook.on_cut")
    stage.at(begin, do=start)
    if lands is not None:
        stage.at(begin + lands, do=land)
    if marks:
        stage.at(begin + round((place - (first or 0.0)) * stage.hz), do=come)
    if marks > 1:
        late = begin + round((length - 0.1) * stage.hz)
        stage.at(late, do=lambda: stage.heard("late_mark", cook, o="cook#1", via="clip", y=made["y"], mark="late_mark"))
    if stops:
        stage.at(begin + round(length * stage.hz), do=lambda: stage("stop", y=made["y"], how="end", pos=length))


@fault("delay-off-mark", "early", 130, ev="cut", clip="chop", mark="blade_down", cls="Cook", o="cook#1")
def a_delay_lands_before_the_mark(
    stage: Stage, lands: int = 30, plays: int = 2, marks: int = 1, stops: bool = True
) -> int:
    stage.spawn("cook#1", "Cook")
    for number in range(plays):
        _chop(stage, 100 + 3 * stage.hz * number, lands, marks=marks, stops=stops)
    return 150 + 3 * stage.hz * plays


@fault("delay-off-mark", "late", 160, ev="cut", clip="chop", mark="blade_down", cls="Cook")
def a_delay_lands_after_the_mark(stage: Stage) -> int:
    return a_delay_lands_before_the_mark(stage, lands=60)


@fault("delay-off-mark", "early", 130, ev="cut", mark="blade_down")
def of_several_marks_the_nearest_is_meant(stage: Stage) -> int:
    return a_delay_lands_before_the_mark(stage, plays=3, marks=2)


@quiet("delay-off-mark", "early")
def a_delay_lands_on_the_mark(stage: Stage) -> int:
    return a_delay_lands_before_the_mark(stage, lands=round(0.8 * stage.hz) - 1)


@quiet("delay-off-mark", "late")
def a_delay_lands_with_its_mark_after_a_long_frame(stage: Stage) -> int:
    """The mark itself could not have come sooner."""
    lands = round(0.8 * stage.hz)
    for begin in (100, 100 + 3 * stage.hz):
        stage.at(begin + lands - 1, do=lambda: stage.ms(min(95, 5000 / stage.hz)))
    return a_delay_lands_before_the_mark(stage, lands=lands)


@quiet("delay-off-mark", "late")
def a_delay_lands_after_the_clip(stage: Stage) -> int:
    return a_delay_lands_before_the_mark(stage, lands=round(1.3 * stage.hz))


@fault("delay-off-mark", "late", 160, ev="cut", clip="chop", mark="blade_down", cls="Cook")
def a_delay_lands_within_a_clip_whose_end_is_not_told(stage: Stage) -> int:
    return a_delay_lands_before_the_mark(stage, lands=60, stops=False)


@quiet("delay-off-mark", "late")
def a_delay_lands_after_a_clip_whose_end_is_not_told(stage: Stage) -> int:
    """It does not go round, as far as its marks show: it ends where it is long."""
    return a_delay_lands_before_the_mark(stage, lands=round(1.3 * stage.hz), stops=False)


@quiet("delay-off-mark", "late")
def a_delay_lands_after_a_clip_that_began_in_its_middle(stage: Stage) -> int:
    """No `stop` tells its end: it is over sooner by what was left out of it, and so is its mark."""
    stage.spawn("cook#1", "Cook")
    for begin in (100, 100 + 3 * stage.hz):
        _chop(stage, begin, stage.hz, place=0.6, first=0.4, stops=False)
    return 150 + 6 * stage.hz


@quiet("delay-off-mark", "early")
def of_several_marks_none_is_meant(stage: Stage) -> int:
    """Twice near one of two marks may be chance."""
    return a_delay_lands_before_the_mark(stage, plays=2, marks=2)


@quiet("delay-off-mark", "early")
def of_several_marks_none_is_meant_in_either_clip(stage: Stage) -> int:
    """Twice in one and once in the other are three times near no mark."""
    a_delay_lands_before_the_mark(stage, plays=2, marks=2)
    _chop(stage, 100 + 6 * stage.hz, 30, clip="slice", marks=2)
    return 150 + 9 * stage.hz


@fault("delay-off-mark", "one-delay-many-clips", 130, "risk", ev="cut", cls="Cook")
def one_delay_for_a_short_clip_and_a_long_one(stage: Stage, longer: float = 1.4, lands: int = 30) -> int:
    stage.spawn("cook#1", "Cook")
    _chop(stage, 100, 30, marks=0)
    _chop(stage, 250, lands, marks=0, clip="chop_slow", length=longer)
    return 400


@quiet("delay-off-mark", "one-delay-many-clips")
def one_delay_for_clips_of_one_length(stage: Stage) -> int:
    return one_delay_for_a_short_clip_and_a_long_one(stage, longer=1.25)


@quiet("delay-off-mark", "one-delay-many-clips")
def a_delay_of_its_own_for_a_short_clip_and_a_long_one(stage: Stage) -> int:
    return one_delay_for_a_short_clip_and_a_long_one(stage, lands=31)


def _mow(stage: Stage, begin: int, clip: str, *, marked: bool, waits: bool, c: int | None = None) -> None:
    """Plan a clip of 0.8 s, with or without its mark at 0.4 s, with or without a wait for it."""
    made: dict[str, int] = {}

    def start() -> None:
        made["y"] = stage.play("cook#1", clip, 0.8, [["knead_low", 0.4]] if marked else [], c=c)
        if waits:
            made["w"] = stage.wait("cook#1", "knead_low")

    def come() -> None:
        s = stage.send("knead_low", o="cook#1", via="clip", y=made["y"], mark="knead_low", pos=0.4)
        if waits:
            stage("met", w=made["w"], s=s)

    stage.at(begin, do=start)
    if marked:
        stage.at(begin + round(0.4 * stage.hz), do=come)
    stage.at(begin + round(0.8 * stage.hz), do=lambda: stage("stop", y=made["y"], how="end", pos=0.8))


@fault("missing-mark", "wait-without", 348, clip="knead_left", mark="knead_low", cls="Cook")
def a_clip_without_the_mark_that_is_waited_for(stage: Stage) -> int:
    stage.spawn("cook#1", "Cook")
    _mow(stage, 100, "knead", marked=True, waits=True)
    _mow(stage, 300, "knead_left", marked=False, waits=True)
    return 500


@fault("missing-mark", "wait-without", 348, clip="knead_left", mark="knead_low", cls="Cook")
def another_clip_meets_the_wait_too_late(stage: Stage, gap: int = 10) -> int:
    """The clip that has the mark begins so many frames after the one that lacks it ended."""
    stage.spawn("cook#1", "Cook")
    _mow(stage, 100, "knead", marked=True, waits=True)
    _mow(stage, 300, "knead_left", marked=False, waits=True)
    begin = 300 + round(0.8 * stage.hz) + gap
    made: dict[str, int] = {}

    def come() -> None:
        s = stage.send("knead_low", o="cook#1", via="clip", y=made["y"], mark="knead_low", pos=0.4)
        stage("met", w=2, s=s)

    stage.at(begin, do=lambda: made.update(y=stage.play("cook#1", "knead", 0.8, [["knead_low", 0.4]])))
    stage.at(begin + round(0.4 * stage.hz), do=come)
    stage.at(begin + round(0.8 * stage.hz), do=lambda: stage("stop", y=made["y"], how="end", pos=0.8))
    return begin + 100


@quiet("missing-mark", "wait-without")
def another_clip_meets_the_wait_at_once(stage: Stage) -> int:
    return another_clip_meets_the_wait_too_late(stage, gap=1)


@quiet("missing-mark", "wait-without")
def every_clip_has_the_mark_that_is_waited_for(stage: Stage) -> int:
    _mow(stage, 100, "knead", marked=True, waits=True)
    _mow(stage, 300, "knead_left", marked=True, waits=True)
    return 500


@fault("missing-mark", "clip-without", 300, clip="knead_left", mark="knead_low", cls="Cook")
def one_of_two_clips_that_one_function_starts(
    stage: Stage, functions: tuple[str, str] = ("begin", "begin"), told: bool = True, via: str | None = None
) -> int:
    stage.spawn("cook#1", "Cook")
    for begin, clip, marked, function in ((100, "knead", True, functions[0]), (300, "knead_left", False, functions[1])):
        bound = stage.bind(f"ask_{function}", "cook#1", f"Cook.{function}")
        stage.at(
            begin,
            do=lambda bound=bound, clip=clip, marked=marked: stage.inside(
                stage.send(bound.event, o="till#1", via=via),
                bound,
                lambda c: stage.play(
                    "cook#1", clip, 0.8, [["knead_low", 0.4]] if marked else [], **({"c": c} if told else {})
                ),
            ),
        )
    return 340


@fault("missing-mark", "clip-without", 300, clip="knead_left", mark="knead_low", cls="Cook")
def one_of_two_clips_that_lie_within_calls_of_one_function(stage: Stage) -> int:
    """The recorder does not tell in which call a clip is started."""
    return one_of_two_clips_that_one_function_starts(stage, told=False)


@quiet("missing-mark", "clip-without")
def clips_that_different_functions_start(stage: Stage) -> int:
    return one_of_two_clips_that_one_function_starts(stage, functions=("knead", "rest"))


@quiet("missing-mark", "clip-without")
def clips_that_lie_within_calls_of_different_functions(stage: Stage) -> int:
    return one_of_two_clips_that_one_function_starts(stage, functions=("knead", "rest"), told=False)


@quiet("missing-mark", "clip-without")
def clips_that_a_function_starts_which_runs_by_tick(stage: Stage) -> int:
    """It starts whatever comes next: its clips are not each other's like."""
    return one_of_two_clips_that_one_function_starts(stage, via="tick")


def _reach(
    stage: Stage, begin: int, cut: int | None, *, how: str = "cut", waits: bool = True, then: bool = False
) -> None:
    made: dict[str, int] = {}

    def start() -> None:
        made["y"] = stage.play("cook#1", "reach", 0.9, [["grip", 0.6]])
        if waits:
            made["w"] = stage.wait("cook#1", "grip")

    def come() -> None:
        s = stage.send("grip", o="cook#1", via="clip", y=made["y"], mark="grip", pos=0.6)
        if waits:
            stage("met", w=made["w"], s=s)

    def stop() -> None:
        stage("stop", y=made["y"], how=how, pos=None if cut is None else round(cut / stage.hz, 4))
        if then:
            stage.play("cook#1", "fall", 0.4, [])

    stage.at(begin, do=start)
    if cut is None or cut > 0.6 * stage.hz:
        stage.at(begin + round(0.6 * stage.hz), do=come)
    stage.at(begin + (round(0.9 * stage.hz) if cut is None else cut), do=stop)


@fault("cut-before-mark", "cut", 320, clip="reach", mark="grip", cls="Cook", o="cook#1")
def a_clip_is_cut_before_its_mark(stage: Stage, cut: int = 20, then: bool = False) -> int:
    stage.spawn("cook#1", "Cook")
    _reach(stage, 100, None)
    _reach(stage, 300, cut, then=then)
    return 400


@fault("cut-before-mark", "replaced", 320, clip="reach", mark="grip", cls="Cook")
def a_clip_is_replaced_before_its_mark(stage: Stage) -> int:
    return a_clip_is_cut_before_its_mark(stage, then=True)


@quiet("cut-before-mark", "cut")
def a_clip_is_cut_after_its_mark(stage: Stage) -> int:
    return a_clip_is_cut_before_its_mark(stage, cut=round(0.75 * stage.hz))


@quiet("cut-before-mark", "replaced")
def a_clip_goes_round_and_is_then_replaced(stage: Stage) -> int:
    stage.spawn("cook#1", "Cook")
    made: dict[str, int] = {}
    stage.bind("step", "floor#1", "Floor.on_step")
    second = stage.hz

    def stop() -> None:
        stage("stop", y=made["y"], how="cut", pos=0.2)
        stage.play("cook#1", "stand", 5.0, [])

    def step() -> None:
        from tape import Bound

        bound = Bound(1, "step", "floor#1", "Floor.on_step")
        stage.heard("step", bound, o="cook#1", via="clip", y=made["y"], mark="step", pos=0.5)

    stage.at(60, do=lambda: made.update(y=stage.play("cook#1", "walk", 1.0, [["step", 0.5]])))
    for turn in range(4):
        stage.at(60 + turn * second + second // 2, do=step)
    stage.at(60 + 4 * second + second // 5, do=stop)
    return 60 + 5 * second


@fault("wait-never-met", "clip-ended", 154, ev="grip", cls="Cook", o="cook#1")
def a_wait_outlives_its_clip(stage: Stage) -> int:
    """The mark came while nobody waited for it; the wait began after it."""
    stage.spawn("cook#1", "Cook")
    made: dict[str, int] = {}
    stage.at(100, do=lambda: made.update(y=stage.play("cook#1", "reach", 0.9, [["grip", 0.6]])))
    stage.at(136, do=lambda: stage.send("grip", o="cook#1", via="clip", y=made["y"], mark="grip", pos=0.6))
    stage.at(140, do=lambda: stage.wait("cook#1", "grip"))
    stage.at(154, do=lambda: stage("stop", y=made["y"], how="end", pos=0.9))
    return 300


@quiet("wait-never-met", "clip-ended")
def a_wait_is_given_up_with_its_clip(stage: Stage) -> int:
    frames = a_wait_outlives_its_clip(stage)
    stage.at(155, do=lambda: stage("quit", w=1))
    return frames


@fault("wait-never-met", "owner-gone", 160, ev="served", o="guest#1", cls="Guest")
def a_guest_leaves_while_it_waits(stage: Stage) -> int:
    stage.spawn("guest#1", "Guest")
    stage.at(100, do=lambda: stage.wait("guest#1", "served"))
    stage.at(160, do=lambda: stage("gone", o="guest#1"))
    return 300


@quiet("wait-never-met", "owner-gone")
def a_guest_gives_up_and_leaves(stage: Stage) -> int:
    frames = a_guest_leaves_while_it_waits(stage)
    stage.at(159, do=lambda: stage("quit", w=1))
    return frames


@fault("wait-never-met", "take-ended", 429, "risk", ev="served", o="guest#1")
def a_guest_waits_to_the_end(stage: Stage, seconds: float = 5.5) -> int:
    stage.spawn("guest#1", "Guest")
    stage.at(100, do=lambda: stage.wait("guest#1", "served"))
    return 100 + round(seconds * stage.hz)


@quiet("wait-never-met", "take-ended")
def a_guest_has_not_waited_for_long(stage: Stage) -> int:
    return a_guest_waits_to_the_end(stage, seconds=4.0)


def _steps(
    stage: Stage, come: list[tuple[str, float, int]], begin: int = 100, end: int = 180, length: float = 1.2
) -> int:
    """Play a clip with marks (name, seconds) of which each comes so many frames after the clip's beginning, or never (-1)."""
    stage.spawn("cook#1", "Cook")
    made: dict[str, int] = {}
    names = [[name, place] for name, place, _ in come]
    stage.at(begin, do=lambda: made.update(y=stage.play("cook#1", "dance", length, names)))
    for name, place, frame in come:
        if frame >= 0:
            stage.at(
                begin + frame,
                do=lambda name=name, place=place: stage.send(
                    name, o="cook#1", via="clip", y=made["y"], mark=name, pos=place
                ),
            )
    stage.at(end, do=lambda: stage("stop", y=made["y"], how="end", pos=length))
    return end + 60


@fault("mark-late", "late", 140, "risk", clip="dance", mark="left", cls="Cook")
def a_mark_comes_late(stage: Stage, late: int = 10) -> int:
    due = round(0.5 * stage.hz)
    return _steps(stage, [("left", 0.5, due + late)])


@quiet("mark-late", "late")
def a_mark_comes_a_frame_late(stage: Stage) -> int:
    return a_mark_comes_late(stage, late=1)


@fault("mark-late", "late", 190, "risk", clip="dance", mark="left", cls="Cook")
def a_mark_comes_later_than_a_long_wait_explains(stage: Stage, late: int = 60) -> int:
    """The display waits for 0.6 s, and the frames after it make up for it: a game that counts them is late by no more."""

    def wait() -> None:
        stage("idle")
        stage.ms(600)

    stage.at(110, do=wait)
    return _steps(stage, [("left", 0.5, round(0.5 * stage.hz) + late)], end=250)


@quiet("mark-late", "late")
def a_mark_comes_as_late_as_a_long_wait_explains(stage: Stage) -> int:
    return a_mark_comes_later_than_a_long_wait_explains(stage, late=0)


@fault("mark-late", "skipped", 131, clip="dance", mark="left", cls="Cook")
def a_mark_is_stepped_over(stage: Stage) -> int:
    return _steps(stage, [("left", 0.5, -1), ("right", 0.9, round(0.9 * stage.hz) + 1)])


@quiet("mark-late", "skipped")
def a_recorder_that_sees_no_marks(stage: Stage) -> int:
    return _steps(stage, [("left", 0.5, -1), ("right", 0.9, -1)])


@fault("mark-late", "burst", 155, clip="dance", cls="Cook")
def two_marks_come_at_once(stage: Stage) -> int:
    return _steps(stage, [("left", 0.5, 55), ("right", 0.9, 55)])


@fault("mark-late", "burst", 130, clip="dance", cls="Cook")
def two_marks_come_at_once_after_a_long_frame(stage: Stage, taken: float = 1.8) -> int:
    """Five frames long; `taken`: how many of them the machine took."""
    due = round(0.5 * stage.hz)

    def run_long() -> None:
        stage.ms(5000 / stage.hz)
        stage.told_at_idle = {"ready": round(taken * 1e9 / stage.hz)}

    stage.at(100 + due - 1, do=run_long)
    return _steps(stage, [("left", 0.5, due), ("right", 0.5 + 3 / stage.hz, due)])


@quiet("mark-late", "burst")
def two_marks_come_at_once_where_the_machine_was_taken(stage: Stage) -> int:
    return two_marks_come_at_once_after_a_long_frame(stage, taken=2.2)


@quiet("mark-late", "burst")
def two_marks_of_one_frame(stage: Stage) -> int:
    frame = round(0.5 * stage.hz) + 1
    return _steps(stage, [("left", 0.5, frame), ("right", 0.502, frame)])
