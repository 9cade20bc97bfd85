"""Polling waste: each cause on a small stream, and the quiet case beside it."""

from __future__ import annotations

import json

import pytest

from opossum.findings.polling_waste.wasting import POLLING_CALLS
from opossum.findings.settings import Settings
from tape import Tape, only

KIND = "polling-waste"
FRAMES = 80


def polled(
    finds: set[int] = frozenset(), announce: bool = False, eff_of_miss: int | None = 0, frames: int = FRAMES
) -> Tape:
    """Return a tape on which a shelf looks every frame and finds bread on some of them."""
    tape = Tape(hz=60).frame().frame()
    tape("spawn", o="shelf#1", cls="Shelf")
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick", at="shelf.gd:9")
    for frame in range(frames):
        tape.frame()
        if announce and frame in finds:
            tape.heard("bread_ready", o="oven#1")
        tape.heard("tick", look, eff=1 if frame in finds else eff_of_miss, takes_ms=0.1, via="tick")
    return tape


# --- every-frame ---------------------------------------------------------------------------------


def test_a_tick_that_mostly_finds_nothing():
    """Calls, share, time and what is saved are told with numbers."""
    finding = only(polled({10, 30, 50}).found(), "every-frame")

    assert finding.kind == KIND
    assert finding.severity.value == "waste"
    assert finding.count == 80
    assert len(finding.frames) == 77
    assert finding.cost_ns == pytest.approx(77 * 101_000, rel=0.02)
    assert "80 times on every frame, 96.2% of them for nothing" in finding.summary
    assert "3 times" in finding.summary
    assert "shelf.gd:9" in finding.advice
    assert "77 calls" in finding.details[0]


@pytest.mark.parametrize("peers", [1, 2])
@pytest.mark.parametrize("idle", [True, False], ids=["between frames", "within a frame"])
def test_what_it_costs_a_second_is_of_the_time_played(idle, peers):
    """A person may hold the game for a minute; whether one peer is held or two, it is that minute."""
    tape = polled()
    usual = only(tape.found(), "every-frame").summary
    told = tape.lines
    if peers == 2:
        told.insert(1, '{"k":"head","t":0,"opossum":1,"game":"test","peer":"guest","p":"guest"}')
    begun = next(place for place, line in enumerate(told) if '"frame"' in line and '"n":40' in line) + (not idle)
    now, later = json.loads(told[begun])["t"], 60_000_000_000
    held = ("main", "guest")[:peers]
    told[begun:begun] = [json.dumps({"k": "held", "t": now, "p": peer}) for peer in held] + [
        json.dumps({"k": "went", "t": now + later, "p": peer}) for peer in held
    ]
    for place in range(begun + 2 * peers, len(told)):
        line = json.loads(told[place])
        told[place] = json.dumps(line | {"t": line["t"] + later})
    (finding,) = [finding for finding in tape.found() if finding.cause == "every-frame"]
    assert finding.summary == usual


def test_the_event_that_comes_just_then_is_named():
    """bread_ready comes on every find and at no other time: bind to it."""
    finding = only(polled({10, 30, 50}, announce=True).found(), "every-frame")

    assert "`bread_ready`" in finding.advice
    assert finding.details[1] == (
        "`bread_ready` came just then in 100% of the finds; polling noticed it 2 µs later on average."
    )


@pytest.mark.parametrize(
    ("ms", "frame", "said"),
    [
        (-5, 0, "in 100% of the finds right after polling had noticed."),
        (15, 0, "just then in 100% of the finds; polling noticed it 15 ms later on average."),
        (15, -1, "just then in 100% of the finds; polling noticed it 31 ms later on average."),
        (300, 0, "just then in 100% of the finds; polling noticed it 300 ms later on average."),
        (-5, 1, "in 100% of the finds right after polling had noticed."),
    ],
    ids=["after it", "in its frame", "in the frame before", "in its frame, which was long", "in the frame after"],
)
def test_how_much_later_polling_noticed(ms, frame, said):
    """Of an event in the same frame or the one before: what it told of earlier is nothing to a later find."""
    tape = Tape(hz=60).frame().frame()
    tape("spawn", o="shelf#1", cls="Shelf")
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for number in range(FRAMES):
        comes = number - frame in (10, 30, 50)
        tape.frame(length_ms=16.0)
        if comes and ms > 0:
            tape.send("bread_ready")
            tape.ms(ms)
        tape.heard("tick", look, eff=int(number in (10, 30, 50)), takes_ms=0.1, via="tick")
        if comes and ms < 0:
            tape.ms(-ms).send("bread_ready")

    assert only(tape.found(KIND), "every-frame").details[1] == f"`bread_ready` came {said}"


def test_what_the_poll_sends_itself_is_none_of_the_events_that_come_just_then():
    """Others sent it at half of the finds only."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(FRAMES):
        tape.frame()
        if frame in (10, 30):
            tape.send("bread_ready")
        c = tape.open_call(tape.send("tick", via="tick"), look)
        if frame in (50, 70):
            tape.send("bread_ready", c=c)
        tape("ret", c=c, eff=int(frame in (10, 30, 50, 70)))
    assert "bread_ready" not in only(tape.found(KIND), "every-frame").advice


def test_an_event_the_poll_itself_sends_is_no_replacement():
    """What the poll causes cannot be its cue."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(FRAMES):
        tape.frame()
        c = tape.open_call(tape.send("tick", via="tick"), look)
        if frame in (10, 30, 50):
            tape.send("shelf_full", o="shelf#1", c=c)
        tape("ret", c=c, eff=int(frame in (10, 30, 50)))

    assert "shelf_full" not in only(tape.found(), "every-frame").advice


def test_an_event_that_comes_all_the_time_is_no_replacement():
    """It would not tell when there is something to find."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(FRAMES):
        tape.frame()
        tape.send("moved", o="cat#1")
        tape.heard("tick", look, eff=int(frame in (10, 30, 50)), via="tick")

    assert "moved" not in only(tape.found(), "every-frame").advice


@pytest.mark.parametrize(
    "quiet",
    [
        {"eff_of_miss": None},
        {"finds": set(range(0, FRAMES, 5))},
        {"frames": 50},
    ],
    ids=["effects unknown", "one look in five finds something", "too few calls to say"],
)
def test_a_tick_that_does_work_or_is_unknown_is_quiet(quiet):
    """Dear or not: what is not shown to be wasted is not called waste."""
    assert polled(**quiet).found() == []


def test_instances_of_one_class_are_summed():
    """Three shelves with thirty looks each are ninety looks."""
    tape = Tape(hz=60).frame().frame()
    shelves = []
    for number in range(3):
        tape("spawn", o=f"shelf#{number}", cls="Shelf")
        shelves.append(tape.bind("tick", f"shelf#{number}", "Shelf.on_tick"))
    for _ in range(30):
        tape.frame().heard("tick", *shelves, eff=0, via="tick")

    finding = only(tape.found(), "every-frame")

    assert finding.count == 90
    assert "3 objects" in finding.summary


def test_thresholds_are_settings():
    """Whoever wants to hear earlier, may."""
    assert only(polled(frames=50).found(settings=Settings({POLLING_CALLS.name: 40})), "every-frame").count == 50


def looked_at(every: int, takes_ms: float = 0.2, eff: int = 0) -> Tape:
    """Return a poll of 300 calls of which only some were looked at."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for number in range(300):
        tape.frame().heard("tick", look, eff=eff if number % every == 0 else None, takes_ms=takes_ms, via="tick")
    return tape


@pytest.mark.parametrize(("unlooked", "ms"), [(9, 4.0), (10, 0.5)])
def test_too_few_calls_that_were_not_looked_at_do_not_tell_what_a_call_costs(unlooked, ms):
    """Ten do; of fewer, those that were looked at tell."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(100):
        looked_at = frame >= unlooked
        tape.frame().heard("tick", look, eff=0 if looked_at else None, takes_ms=4 if looked_at else 0.5, via="tick")
    assert only(tape.found(), "every-frame").cost_ns == pytest.approx(100 * (ms + 0.001) * 1e6, rel=0.02)


@pytest.mark.parametrize(("unseen", "severity"), [(24, "waste"), (25, "waste"), (26, "note")])
def test_samples_say_little_of_a_long_stretch_that_nobody_saw(unseen, severity):
    """Where it cannot be judged, a function may be working."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(100):
        tape.frame().heard("tick", look, eff=0 if frame < 100 - unseen else None, takes_ms=0.5, via="tick")
    finding = only(tape.found(), "every-frame")
    assert finding.severity.value == severity
    said = "Of 26 calls in a row nothing is known; it may work there."
    assert [line for line in finding.details if "in a row" in line] == [said] * (unseen == 26)


def test_what_looking_at_a_call_cost_is_not_told_as_the_games():
    """What a call costs is known from those that were not looked at."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for frame in range(100):
        looked_at = frame % 10 < 4
        tape.frame().heard("tick", look, eff=0 if looked_at else None, takes_ms=4 if looked_at else 0.5, via="tick")
    finding = only(tape.found(), "every-frame")

    assert finding.cost_ns == pytest.approx(100 * 501_000, rel=0.02)


def test_samples_are_told_as_samples():
    """How many were looked at, of how many; what was not seen cannot be excluded."""
    finding = only(looked_at(10).found(), "every-frame")

    assert "30 of 300 looked at, none of them found anything" in finding.summary
    assert "about " in finding.summary and "about 300 calls" in finding.details[0]
    assert "rare finds cannot be excluded" in finding.details[-1]
    assert finding.severity.value == "waste"
    assert finding.cost_ns == pytest.approx(300 * 201_000, rel=0.02)
    assert len(finding.frames) == 30  # those that were seen


def test_what_was_seen_to_be_sent_by_others_is_told_beside_the_samples():
    """A call that was not looked at and sent something found something all the same."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for number in range(300):
        call = tape.frame().open_call(tape.send("tick", via="tick"), look)
        if number in (55, 155):
            tape.send("empty", c=call)
        tape("ret", c=call, eff=None if number % 10 else int(number == 100))

    finding = only(tape.found(), "every-frame")

    assert "30 of 300 looked at, 1 of them found something, 2 others sent something" in finding.summary


def test_what_samples_say_costs_next_to_nothing_is_a_note():
    """Less than half a percent of the budget; of counted calls it stays waste."""
    assert only(looked_at(10, takes_ms=0.01).found(), "every-frame").severity.value == "note"
    assert only(looked_at(1, takes_ms=0.01).found(), "every-frame").severity.value == "waste"


@pytest.mark.parametrize(("own", "found"), [(0, ["risk"]), (1, []), (None, [])])
def test_as_far_as_its_own_object_shows(own, found):
    """Where nobody knows the effect, the owner's own state is the weaker evidence."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for _ in range(80):
        c = tape.frame().open_call(tape.send("tick", via="tick"), look)
        tape.ms(0.1)("ret", c=c, own=own)

    findings = tape.found()

    assert [finding.severity.value for finding in findings] == found
    assert all("as far as its own object shows" in finding.details[-1] for finding in findings)


def test_a_known_effect_outweighs_what_its_own_object_shows():
    """It changed something elsewhere on every call."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for _ in range(80):
        c = tape.frame().open_call(tape.send("tick", via="tick"), look)
        tape.ms(0.1)("ret", c=c, eff=1, own=0)

    assert tape.found() == []


# --- short-timer, delay-loop, stay-loop ----------------------------------------------------------


def test_a_looping_timer_that_mostly_finds_nothing():
    """Its interval is told, and the delay it adds."""
    tape = Tape(hz=60).frame().frame()
    look = tape.bind("look", "window#1", "Window.on_look")
    a = tape.arm("timer", "window#1", "look")
    for _ in range(70):
        tape.frames(6).heard("look", look, eff=0, via="timer", a=a, o="window#1")

    finding = only(tape.found(), "short-timer")

    assert "by a timer every 100 ms" in finding.summary
    assert "50 ms late on average" in finding.details[1]


def test_what_runs_three_times_a_frame_looks_once_a_frame():
    """Nothing changes between them: the next look is the next frame's."""
    tape = Tape(hz=50).frame().frame()
    look = tape.bind("look", "window#1", "Window.on_look")
    for _ in range(70):
        tape.frame(length_ms=20).heard("look", look, look, look, eff=0, via="tick", o="window#1")

    finding = only([item for item in tape.found() if item.kind == KIND], "every-frame")

    assert "10 ms late on average (half the interval of 20 ms)" in finding.details[1]


@pytest.mark.parametrize("seconds", [0.001, None, 0.02, 0.01])
def test_a_timer_is_no_quicker_than_it_comes(seconds):
    """Once a frame, whatever was asked; an interval that was not told is read from when it came."""
    tape = Tape(hz=50).frame().frame()
    look = tape.bind("look", "window#1", "Window.on_look")
    a = tape.arm("timer", "window#1", "look", sec=seconds)
    for _ in range(70):
        tape.frame(length_ms=20 - 0.024).heard("look", look, eff=0, via="timer", a=a, o="window#1")

    assert "by a timer every 20 ms" in only(tape.found(), "short-timer").summary


def test_a_timer_that_comes_twice_a_frame_is_as_quick():
    """Both firings may see something else."""
    tape = Tape(hz=50).frame().frame()
    look = tape.bind("look", "window#1", "Window.on_look")
    a = tape.arm("timer", "window#1", "look", sec=0.01)
    for _ in range(70):
        tape.frame(length_ms=20 - 0.05)
        for _ in range(2):
            tape.heard("look", look, eff=0, via="timer", a=a, o="window#1")

    assert "by a timer every 10 ms" in only(tape.found(), "short-timer").summary


def test_a_timer_that_counts_frames_is_told_in_time():
    """Six of them are 120 ms at 50 a second."""
    tape = Tape(hz=50).frame().frame()
    look = tape.bind("look", "window#1", "Window.on_look")
    a = tape.arm("timer", "window#1", "look", sec=None, frames=6)
    for _ in range(70):
        tape.frames(6).heard("look", look, eff=0, via="timer", a=a, o="window#1")

    assert "by a timer every 120 ms" in only(tape.found(), "short-timer").summary


def delay_loop(effect: int, length_ms: float) -> Tape:
    """Return a tape with a delay that sets itself again in its own call."""
    tape = Tape(hz=60).frame().frame()
    check = tape.bind("check", "lamp#1", "Lamp.on_check")
    a = tape.arm("delay", "lamp#1", "check", sec=length_ms / 1000)
    for _ in range(70):
        if length_ms > 16:
            tape.frame(length_ms=length_ms)
        else:
            tape.ms(length_ms)
        c = tape.open_call(tape.send("check", via="delay", a=a), check)
        a = tape.arm("delay", "lamp#1", "check", c=c, sec=length_ms / 1000)
        tape("ret", c=c, eff=effect)
    return tape


def test_a_delay_that_sets_itself_again_for_nothing():
    """The polling loop in disguise."""
    finding = only(delay_loop(0, 50).found(), "delay-loop")

    assert finding.count >= 69
    assert "sets itself again every 50 ms" in finding.summary


def test_a_delay_loop_faster_than_a_frame_is_said_to_be_worse_than_a_tick():
    """It runs more often than frames do."""
    tape = delay_loop(0, 5)
    finding = only([item for item in tape.found() if item.kind == KIND], "delay-loop")

    assert any("worse than a tick" in detail for detail in finding.details)


def test_a_delay_loop_that_does_work_is_quiet():
    """A heartbeat may beat."""
    assert delay_loop(1, 50).found() == []


def test_a_stay_listener_that_mostly_finds_nothing():
    """It is told to use enter and leave."""
    tape = Tape(hz=60).frame().frame()
    stay = tape.bind("till_stay", "mat#1", "Mat.on_stay")
    for _ in range(70):
        tape.frame().heard("till_stay", stay, eff=0, o="till#1", via="zone", edge="stay", d={"other": "customer#1"})

    finding = only(tape.found(), "stay-loop")

    assert "`enter`" in finding.advice
    assert "never found anything" in finding.summary
