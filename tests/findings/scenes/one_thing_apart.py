"""Scenes that differ from others, or from a fault, in one thing: another key, another name, another speed, another way to tell it."""

from __future__ import annotations

from findings.scenes import fault, quiet
from tape import Bound, Stage


@fault("cut-before-mark", "cut", 190, clip="reach", mark="grip", cls="Cook", o="cook#1")
def a_slow_clip_is_blended_away_before_its_mark(stage: Stage) -> int:
    """At half its speed it takes twice as long, and has not gone round when it has run longer than it is."""
    stage.spawn("cook#1", "Cook")
    made: dict[str, int] = {}
    stage.at(100, do=lambda: made.update(y=stage.play("cook#1", "reach", 0.9, [["grip", 0.8]], rate=0.5)))
    stage.at(120, do=lambda: stage.wait("cook#1", "grip"))
    stage.at(190, do=lambda: stage("stop", y=made["y"], how="blend", pos=0.75))
    return 260


@fault("cut-before-mark", "cut", 120, clip="reach", mark="grip", cls="Cook", o="cook#1")
def a_clip_is_cut_before_a_mark_that_is_listened_to(stage: Stage) -> int:
    """Nobody waits for it, but somebody would have heard it."""
    stage.spawn("cook#1", "Cook")
    stage.bind("grip", "cook#1", "Cook.on_grip")
    made: dict[str, int] = {}
    stage.at(100, do=lambda: made.update(y=stage.play("cook#1", "reach", 0.9, [["grip", 0.6]])))
    stage.at(120, do=lambda: stage("stop", y=made["y"], how="cut", pos=0.33))
    return 200


@fault("cue-off", "drifts", 238, "risk", clip="waltz", cls="Radio")
def cues_run_ahead(stage: Stage) -> int:
    """Ever earlier: the track is told to be ahead."""
    stage.spawn("radio#1", "Radio")
    made: dict[str, int] = {}
    cues = [["beat", float(number + 1)] for number in range(7)]
    stage.at(stage.hz, do=lambda: made.update(y=stage.play("radio#1", "waltz", 9.0, cues, what="track")))
    for number in range(7):
        frame = round((2 + number * 0.98) * stage.hz)
        stage.at(frame, do=lambda: stage.send("beat", o="radio#1", via="clip", y=made["y"], mark="beat", pos=1.0))
    stage.at(10 * stage.hz, do=lambda: stage("stop", y=made["y"], how="end", pos=9.0))
    return 11 * stage.hz


@fault("delay-off-mark", "early", 130, ev="cut", clip="chop", mark="cut", cls="Cook")
def of_two_marks_that_of_the_delays_name_is_meant(
    stage: Stage, lands: int = 30, comes: tuple[bool, bool] = (True, True)
) -> int:
    """Though the delay lands on the other one, in so many frames. `comes`: whether the mark itself does, in each of two rounds."""
    stage.spawn("cook#1", "Cook")
    cook = Bound(0, "cut", "cook#1", "Cook.on_cut")

    def chop(begin: int, comes: bool) -> None:
        made: dict[str, int] = {}

        def start() -> None:
            made["y"] = stage.play("cook#1", "chop", 1.2, [["lift", 0.5], ["cut", 0.8]])
            made["a"] = stage.arm("delay", "cook#1", "cut", sec=lands / stage.hz, loop=False)

        def land() -> None:
            stage.heard("cut", cook, o="cook#1", via="delay", a=made["a"])
            stage("disarm", a=made["a"], how="done")

        def come(mark: str) -> None:
            stage.heard(mark, cook, o="cook#1", via="clip", y=made["y"], mark=mark)

        stage.at(begin, do=start)
        stage.at(begin + lands, do=land)
        stage.at(begin + round(0.5 * stage.hz) + 1, do=lambda: come("lift"))
        if comes:
            stage.at(begin + round(0.8 * stage.hz), do=lambda: come("cut"))
        stage.at(begin + round(1.2 * stage.hz), do=lambda: stage("stop", y=made["y"], how="end", pos=1.2))

    chop(100, comes[0])
    chop(400, comes[1])
    return 500


@quiet("mark-late", "skipped")
def a_delay_does_the_work_of_a_mark_that_never_comes(stage: Stage) -> int:
    """Other marks of the clip do come."""
    return of_two_marks_that_of_the_delays_name_is_meant(stage, lands=round(0.8 * stage.hz), comes=(False, False))


@fault("mark-late", "skipped", 449, clip="chop", mark="cut", cls="Cook")
def a_mark_that_came_before_is_stepped_over_beside_a_delay(stage: Stage) -> int:
    return of_two_marks_that_of_the_delays_name_is_meant(stage, lands=round(0.8 * stage.hz), comes=(True, False))


@quiet("double-fire", "held-input")
def two_keys_are_tapped_in_turn(stage: Stage) -> int:
    """Each is held on every other frame only."""
    till = stage.bind("sell_held", "till#1", "Till.on_sell")
    for key in ("E", "F"):
        stage.at(99, do=lambda key=key: stage.send("press", via="input", key=key, edge="down"))
    for number in range(12):
        key = "EF"[number % 2]
        stage.at(100 + number, do=lambda key=key: stage.heard("sell_held", till, via="input", key=key, edge="held"))
    return 150


@quiet("double-fire", "no-latch")
def a_mouse_runs_in_and_out(stage: Stage) -> int:
    """It enters again and again, and each time is one."""
    stage.spawn("mouse#1", "Mouse")
    trap = stage.bind("touched", "trap#1", "Trap.on_touched")
    touch = {"o": "trap#1", "via": "zone", "d": {"other": "mouse#1"}}
    for number in range(12):
        stage.at(100 + 2 * number, do=lambda: stage.heard("touched", trap, edge="enter", **touch))
        stage.at(101 + 2 * number, do=lambda: stage.send("left", edge="leave", **touch))
    return 160


@quiet("double-fire", "two-routes")
def a_function_hears_the_frame_and_the_step(stage: Stage) -> int:
    """Both come with every frame: no fault, but how the game is built."""
    early, late = (stage.bind(event, "oven#1", "Oven.on_tick") for event in ("tick", "late_tick"))

    def tick(number: int) -> None:
        stage.heard("tick", early, via="tick")
        stage.heard("late_tick", late, via="tick")

    stage.each(tick)
    return 200


def _cook_who_sends_on(stage: Stage, own: int) -> int:
    """Plan twenty orders of which one is not passed on; what calls do is told by what they changed themselves."""
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    waiter = stage.bind("cooked", "waiter#1", "Waiter.on_cooked")

    def order(sends_on: bool) -> None:
        number = stage.open_call(stage.send("order"), cook)
        if sends_on:
            stage.heard("cooked", waiter, c=number)
        stage("ret", c=number, own=0 if sends_on else own)

    for number in range(30):
        stage.at(50 + 5 * number, do=lambda: order(True))
    stage.at(300, do=lambda: order(False))
    return 400


@fault("dead-end", "returned", 300, "risk", ev="order", fn="Cook.on_order")
def a_cook_who_changed_nothing_himself_forgets_to_say_so(stage: Stage) -> int:
    return _cook_who_sends_on(stage, own=0)


@quiet("dead-end", "returned")
def a_cook_who_changed_something_himself_need_not_say_so(stage: Stage) -> int:
    return _cook_who_sends_on(stage, own=1)
