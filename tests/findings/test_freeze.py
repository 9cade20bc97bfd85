"""Freezes: each cause on a small stream, and the quiet case beside it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.findings.freeze.frozen import _medians_without
from tape import Bound, Tape, only

KIND = "freeze"


def playing(frames: int = 8, **head) -> tuple[Tape, Bound]:
    """Return a tape of a game that plays well, and a listener of it."""
    tape = Tape(**head).frame()
    tape("spawn", o="ledger#1", cls="Ledger")
    quarter = tape.bind("quarter", "ledger#1", "Ledger.on_quarter", at="ledger.gd:30")
    for _ in range(frames):
        tape.frame().heard("quarter", quarter, takes_ms=2)
    return tape, quarter


@given(st.lists(st.integers(0, 9), min_size=1, max_size=9))
def test_a_frame_is_measured_against_the_others(lengths):
    """By their median; where there are no others, by what a frame may take."""
    ordered = np.sort(np.array(lengths, np.int64))
    found = _medians_without(ordered, np.arange(len(ordered)), 16.0)
    others = [np.delete(ordered, place) for place in range(len(ordered))]
    assert found.tolist() == [float(np.median(rest)) if len(rest) else 16.0 for rest in others]


# --- slow-call -----------------------------------------------------------------------------------


def test_one_slow_call_is_named_not_the_frame():
    """Its own time is most of the frame."""
    tape, quarter = playing()
    tape.frame().heard("quarter", quarter, takes_ms=400)
    tape.frame()

    finding = only(tape.found(), "slow-call")

    assert finding.kind == KIND
    assert finding.severity.value == "fault"
    assert finding.frames == [9]
    assert finding.subject.fn == "Ledger.on_quarter"
    assert finding.subject.ev == "quarter"
    assert finding.cost_ns == pytest.approx(400e6, rel=0.01)
    assert "took 400 ms itself" in finding.summary
    assert any("Last before" in detail for detail in finding.details)


def test_time_spent_in_calls_inside_belongs_to_those():
    """The outer call waits for the inner one, which is the slow one."""
    tape, quarter = playing()
    inner = tape.bind("write", "book#1", "Book.on_write")
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape.heard("write", inner, takes_ms=300, c=c)
    tape("ret", c=c, eff=1)
    tape.frame()

    assert only(tape.found(), "slow-call").subject.fn == "Book.on_write"


def test_a_stuck_record_of_a_call_that_came_back_shows_its_stack():
    """It came back, so it was slow, not endless; the watchdog's stack tells where."""
    tape, quarter = playing()
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape.ms(300)("stuck", sec=0.3, stack=["Ledger.write_page ledger.gd:44", "Ledger.on_quarter ledger.gd:31"], c=c)
    tape.ms(300)("ret", c=c, eff=1)
    tape.frame()

    finding = only(tape.found(), "slow-call")

    assert any("Ledger.write_page ledger.gd:44" in detail for detail in finding.details)


def test_slow_calls_of_one_function_are_one_finding():
    """Three frames, one cause."""
    tape, quarter = playing()
    for _ in range(3):
        tape.frame().heard("quarter", quarter, takes_ms=200)
        tape.frame().frame()

    finding = only(tape.found(), "slow-call")

    assert finding.count == 3
    assert len(finding.frames) == 3


# --- quiet ---------------------------------------------------------------------------------------


def test_loading_is_quiet():
    """What comes before the first idle may take its time."""
    tape = Tape().frame()
    load = tape.bind("load", "game#1", "Game.on_load")
    tape.heard("load", load, takes_ms=3000)
    tape.frames(5)

    assert tape.found() == []


def test_time_held_at_a_tripwire_is_quiet():
    """Nobody plays while the game is held."""
    tape, quarter = playing()
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape("held", c=c).ms(5000)("went")
    tape("ret", c=c, eff=1)
    tape.frame()

    assert tape.found() == []


def test_time_held_inside_a_slow_call_is_not_its_own():
    """The call is slow all the same, by what it took while the game ran."""
    tape, quarter = playing()
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape.ms(200)("held", c=c).ms(5000)("went").ms(100)
    tape("ret", c=c, eff=1)
    tape.frame()

    finding = only(tape.found(), "slow-call")

    assert "took 300 ms itself" in finding.summary
    assert finding.cost_ns == pytest.approx(300e6, rel=0.01)


def test_a_long_wait_after_idle_is_quiet():
    """Vertical sync, sleep, a menu: waiting is no freeze."""
    tape, _ = playing()
    tape.frame(length_ms=2000)
    tape.frame()

    assert tape.found() == []


def test_a_game_that_closes_itself_in_the_middle_of_a_frame_is_quiet():
    """Nobody waits for its next picture any more; where it stood still before, somebody did."""
    closing, standing = (playing()[0].frame().ms(2) for _ in range(2))
    standing("stuck", sec=0.4, stack=["wait_for_plug plug.gd:3"]).ms(400)(
        "stuck", sec=0.8, stack=["wait_for_plug plug.gd:3"]
    )

    assert closing.ms(400)("bye").found(bye=False) == []
    assert only(standing.ms(400)("bye").found(bye=False), "waiting").frames == [
        standing.take(bye=False).frames.number[-1]
    ]


def test_a_phase_in_which_the_engine_waits_is_quiet():
    """The head's `waits` names phases whose time is not work."""
    tape, quarter = playing(phases=["update", "draw"], waits=["draw"])
    tape.frame()("phase", name="update").heard("quarter", quarter, takes_ms=2)
    tape("phase", name="draw").ms(800)
    tape.frame()

    assert tape.found() == []


def test_a_slow_game_does_not_freeze_on_every_frame():
    """Six times the median, not one hundred milliseconds alone."""
    tape, quarter = playing(frames=0)
    for _ in range(8):
        tape.frame().heard("quarter", quarter, takes_ms=150)

    assert tape.found() == []


# --- endless-loop --------------------------------------------------------------------------------


def test_a_guarded_loop_that_turned_is_an_endless_loop():
    """The spin record names the place."""
    tape, quarter = playing()
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape.ms(150)("spin", at="ledger.gd:40", n=100_000, c=c)
    tape.ms(350)("spin", at="ledger.gd:40", n=1_000_000, c=c)

    finding = only(tape.found(bye=False), "endless-loop")

    assert finding.frames == [9]
    assert finding.subject.fn == "Ledger.on_quarter"
    assert finding.subject.at == "ledger.gd:40"
    assert "turned 1,000,000 times" in finding.summary
    assert "way out" in finding.advice


def test_a_stuck_call_that_never_came_back_is_a_freeze():
    """The watchdog saw it: it froze, it did not crash."""
    tape, quarter = playing()
    tape.frame()
    c = tape.open_call(tape.send("quarter"), quarter)
    tape.ms(500)("stuck", sec=0.5, stack=["Ledger.find ledger.gd:51"], c=c)

    finding = only(tape.found(bye=False), "endless-loop")

    assert "froze" in finding.summary
    assert "0.5 s" in finding.summary
    assert any("Ledger.find ledger.gd:51" in detail for detail in finding.details)


def test_a_stream_that_ends_in_an_open_call_says_what_is_not_known():
    """Without a watchdog, a freeze and a crash look the same."""
    tape, quarter = playing()
    tape.frame()
    tape.open_call(tape.send("quarter"), quarter)

    finding = only(tape.found(bye=False), "endless-loop")

    assert "ends inside it without `bye`" in finding.summary
    assert any("do not tell whether" in detail for detail in finding.details)
    assert "froze or crashed" in finding.advice


def test_a_stream_cut_off_between_calls_is_quiet():
    """Somebody stopped the game; nothing hung."""
    tape, _ = playing()
    tape.frame()

    assert tape.found(bye=False) == []


# --- event-storm ---------------------------------------------------------------------------------


def storm(rounds: int, takes_ms: float, *, told_on: bool = False) -> Tape:
    """Return a tape on which mixer and pantry answer each other within one frame; at last a sieve is told on."""
    tape, _ = playing()
    low = tape.bind("flour_low", "pantry#1", "Pantry.on_low")
    added = tape.bind("flour_added", "mixer#1", "Mixer.on_added")
    tape.frame()
    open_calls = []
    cause = None
    for _ in range(rounds):
        for event, listener in (("flour_low", low), ("flour_added", added)):
            cause = tape.open_call(tape.send(event, c=cause), listener)
            open_calls.append(cause)
            tape.ms(takes_ms)
    if told_on:
        tape.heard("sifted", tape.bind("sifted", "sieve#1", "Sieve.on_sifted"), c=cause)
    for c in reversed(open_calls):
        tape("ret", c=c, eff=1)
    return tape.frame()


def test_who_is_called_at_the_end_of_a_storm_is_no_part_of_it():
    """A turn has two steps, and begins with the deepest of those that go round."""
    finding = only(storm(60, 3, told_on=True).found(), "event-storm")
    assert (finding.subject.fn, "sifted" in finding.summary) == ("Mixer.on_added", False)


def test_events_that_answer_each_other_are_a_storm():
    """The cycle is named, and how deep it went."""
    finding = only(storm(60, 3).found(), "event-storm")

    assert finding.frames == [9]
    assert "60 times" in finding.summary
    assert "120 calls deep" in finding.summary
    assert "`flour_added`" in finding.summary
    assert "`flour_low`" in finding.summary
    assert any("innermost to outermost" in detail for detail in finding.details)


def test_a_short_exchange_is_no_storm():
    """Two answers in an ordinary frame are talk."""
    assert storm(2, 0.1).found() == []


# --- many-calls ----------------------------------------------------------------------------------


def test_a_burst_of_short_calls_names_event_and_count():
    """No single call is to blame."""
    tape, _ = playing()
    crumb = tape.bind("crumb", "tray#1", "Tray.on_crumb")
    tape.frame()
    for number in range(300):
        tape.heard("crumb", crumb, takes_ms=1, d={"n": number})
    tape.frame()

    finding = only(tape.found(), "many-calls")

    assert finding.subject.ev == "crumb"
    assert finding.subject.fn == "Tray.on_crumb"
    assert "300 calls" in finding.summary


# --- waiting -------------------------------------------------------------------------------------


def test_a_thread_that_stands_still_outside_any_call_waits():
    """The stack shows for what."""
    tape, quarter = playing()
    tape.frame().heard("quarter", quarter, takes_ms=2)
    tape.ms(400)("stuck", sec=0.4, stack=["wait_for_plug plug.gd:3", "main main.gd:9"])
    tape.ms(400)
    tape.frame()

    finding = only(tape.found(), "waiting")

    assert finding.subject.at == "plug.gd:3"
    assert "outside any call" in finding.summary
    assert any("Ledger.on_quarter" in detail for detail in finding.details)


def test_a_stack_that_names_no_place_is_told_as_it_is():
    """Where a line of it has a colon, its last word is a place."""
    tape, _ = playing()
    tape.frame().ms(400)("stuck", sec=0.4, stack=["waits for the plug"])
    tape.ms(400)
    tape.frame()
    assert only(tape.found(), "waiting").subject.at == "waits for the plug"


def test_what_waits_as_it_may_is_no_part_of_the_standstill():
    """Of 900 ms outside any call, 500 are a phase that waits: 400 ms are told."""
    tape, _ = playing(phases=["rest", "update"], waits=["rest"])
    tape.frame()("phase", name="rest").ms(500)
    tape("phase", name="update").ms(400)
    tape.frame()

    finding = only(tape.found(), "waiting")

    assert "took 400 ms" in finding.summary and "400 ms passed outside any call" in finding.summary


@pytest.mark.parametrize(
    ("told", "said", "advised"),
    [
        ({}, "300 ms passed outside any call, and what the game's thread did then is not told", "if it waits"),
        (
            {"cpu": 290_000_000, "ready": 0},
            "the game's thread worked for 300 ms outside any call",
            "the loop itself does",
        ),
        ({"cpu": 151_000_000, "ready": 0}, "the game's thread worked for 300 ms outside any call", "spread that work"),
        (
            {"cpu": 149_000_000, "ready": 0},
            ": the game's thread stood still for 300 ms outside any call.",
            "Do not wait",
        ),
        ({"cpu": 1_000_000, "ready": 0}, "the game's thread stood still for 300 ms outside", "Do not wait"),
    ],
)
def test_what_a_held_up_thread_did_is_said_as_far_as_it_is_told(told, said, advised):
    """Only the processor's time tells work from waiting."""
    tape, _ = playing()
    tape.frame().ms(300)("idle", **told)
    tape("frame", n=10)("idle")
    finding = only(tape.found(), "waiting")
    assert said in finding.summary
    assert advised in finding.advice


def test_a_slow_call_after_idle_is_found():
    """Input delivered after `idle` counts to the frame, and so does its slowness."""
    tape, quarter = playing()
    tape.frame()("idle")
    tape.heard("quarter", quarter, takes_ms=300)
    tape("frame", n=10)("idle")

    assert only(tape.found(), "slow-call").frames == [9]


# --- threads ---------------------------------------------------------------------------------------


def loading(calls: str | None, frames: str | None = None, *, ends: bool = True, slow_ms: float = 0.0) -> list[Finding]:
    """Return what is told of a frame after whose work something loads for 40 frames, in a call of a thread.

    The frames, and a call in each, are of another thread; the frame before the last works for `slow_ms` outside any call.
    """
    tape = Tape(hz=60)
    bell = tape.bind("bell", "till#1", "Till.on_bell")
    for number in range(60):
        tape.ms(14)("frame", n=number, th=frames)
        c = tape.number("c")
        tape("call", c=c, s=tape.send("bell", th=frames), b=bell.number, th=frames).ms(1)("ret", c=c, eff=1, th=frames)
        tape.ms(slow_ms if number == 58 else 1)("idle", th=frames)
        if number in (10, 58):
            c = tape.number("c")
            tape("call", c=c, s=tape.send("load", th=calls), o="loader#1", fn="Loader.run", th=calls)
            held = c
        if number == 50 or (number == 59 and ends):
            tape("ret", c=held, eff=1, th=calls)
    return tape.found(bye=ends)


@pytest.mark.parametrize(
    ("calls", "frames"), [("loader", None), ("loader", "main"), (None, "game"), ("loader", "game")]
)
def test_what_another_thread_does_meanwhile_is_no_freeze(calls, frames):
    """However long it takes; nor is it one that a game was closed while it went on."""
    assert loading(calls, frames) == []
    assert loading(calls, frames, ends=False) == []


@pytest.mark.parametrize("thread", [None, "game"])
def test_what_the_frames_thread_does_after_its_work_is(thread):
    """It keeps the next frame waiting."""
    assert "Loader.run" in loading(thread, thread)[0].summary


def test_what_another_thread_did_is_not_what_came_before_a_freeze():
    """Nor does it take the blame."""
    (finding,) = loading("loader", slow_ms=300)
    assert (finding.cause, finding.frames) == ("waiting", [58])
    assert finding.details == ("Last before: `bell` called Till.on_bell of till#1 in the same frame.",)


def test_where_no_call_is_of_the_frames_thread_each_is():
    """Who told them did not look."""
    tape = Tape(hz=60)
    bell = tape.bind("bell", "till#1", "Till.on_bell")
    for number in range(20):
        tape.frame()
        c = tape.number("c")
        tape("call", c=c, s=tape.send("bell"), b=bell.number, th="pool")
        tape.ms(400 if number == 9 else 1)("ret", c=c, eff=1, th="pool")
    assert only(tape.found(), "slow-call").frames == [9]


# --- the machine's time and the game's -----------------------------------------------------------


@pytest.mark.parametrize(
    ("told", "found"),
    [({}, True), ({"ready": 350_000_000}, False), ({"ready": 100_000_000}, True), ({"cpu": 20_000_000}, False)],
    ids=["the clock alone", "taken away for most of it", "for some of it", "the thread hardly ran"],
)
def test_only_what_the_games_thread_did_is_work(told, found):
    """A thread that was ready and not run is the machine's doing; one that hardly ran did not work."""
    tape, quarter = playing()
    tape.frame().heard("quarter", quarter, takes_ms=400)
    tape("idle", **told)
    tape.ms(5)("frame", n=10)("idle").ms(16)("frame", n=11)

    assert any(finding.cause != "machine-busy" for finding in tape.found("freeze")) is found


@pytest.mark.parametrize(("calls", "named"), [(1, "slow-call"), (40, "many-calls")])
@pytest.mark.parametrize(("taken_ms", "length", "is_named"), [(0, 400, 1), (79, 321, 1), (81, 319, 0), (250, 150, 0)])
def test_what_the_machine_took_may_have_been_taken_of_the_calls(calls, named, taken_ms, length, is_named):
    """They are named where they held the frame even so."""
    tape, quarter = playing()
    tape.frame()
    for _ in range(calls):
        tape.heard("quarter", quarter, takes_ms=240 // calls)
    tape.ms(160)("idle", ready=taken_ms * 10**6)
    tape.ms(5)("frame", n=10)("idle").ms(16)("frame", n=11)
    found = [finding for finding in tape.found("freeze") if finding.cause != "machine-busy"]
    finding = only(found, named if is_named else "waiting")
    assert f"Frame 9 took {length} ms" in finding.summary and ("240 ms" in finding.summary) == is_named


def test_a_call_took_no_more_than_its_frame():
    """From the call to its return the machine was away for some of it."""
    tape, quarter = playing()
    tape.frame().heard("quarter", quarter, takes_ms=400)
    tape("idle", ready=150 * 10**6)
    tape.ms(5)("frame", n=10)("idle").ms(16)("frame", n=11)
    finding = only([finding for finding in tape.found("freeze") if finding.cause != "machine-busy"], "slow-call")
    assert "Frame 9 took 250 ms: " in finding.summary and "took up to 250 ms of it itself" in finding.summary


def test_a_machine_that_was_taken_away_is_a_note_and_no_freeze():
    """Told once a peer, with how long; a frame that the game itself froze is told as that."""
    tape = Tape(hz=60).frame().frame()
    for number in range(12):
        tape("idle", cpu=1_000_000, ready=400_000_000 if number in (5, 7) else 0) if number else None
        tape.ms(3)
        tape("frame", n=number + 2)
        tape.ms(420 if number in (4, 6) else 2)
    (finding,) = tape.found()
    assert (finding.cause, finding.severity.value, finding.count) == ("machine-busy", "note", 2)
    assert finding.frames == [6, 8] and "800 ms in 2 frames, 400 ms at most" in finding.summary


def test_a_machine_taken_away_for_less_than_a_freeze_is_not_told():
    """At exactly the limit nothing is said."""
    for ready, said in ((100_000_000, 0), (100_000_001, 1)):
        tape = Tape(hz=60).frame().frame()
        for number in range(8):
            tape.ms(150 if number == 5 else 3)
            tape("idle", cpu=1_000_000, ready=ready if number == 5 else 0)("frame", n=number + 2)
        assert len(tape.found("freeze")) == said


def test_a_thread_that_worked_did_not_stand_still():
    """Outside any recorded call too: where `idle` tells the processor's time, work is that."""
    tape = Tape(hz=60).frame()
    for _ in range(8):
        tape("idle", cpu=100_000).frame().ms(2)
    tape.ms(160)("idle", cpu=150_000_000).frame()("idle", cpu=1000)
    (finding,) = tape.found("freeze")
    assert finding.summary == "Frame 8 took 150 ms: the game's thread worked for 150 ms outside any call."
    assert "See what the loop itself does" in finding.advice and "wait" not in finding.advice


@pytest.mark.parametrize("lost", [False, True])
@pytest.mark.parametrize("last", [False, True])
def test_a_frame_from_which_records_are_missing_is_not_judged(lost, last):
    """Its end may be among them, or the returns of its calls."""
    tape = Tape()
    bell = tape.bind("bell", "oven#1", "Oven.on_bell")
    tape.frames(30)
    tape.frame()
    tape.open_call(tape.send("bell"), bell)
    tape.ms(900)
    if lost:
        tape("lost", n=5)
    if not last:
        for _ in range(10):
            tape.frame(idle=False)
            tape("idle").ms(16)
    found = [item.kind for item in examine(tape.take(bye=lost))]
    assert found.count("freeze") == (0 if lost else 1)


@pytest.mark.parametrize(
    ("event", "cpu_ms", "found"),
    [("on_draw", 5, []), ("draw", 5, []), ("on_draw", 250, ["slow-call"]), ("on_update", 5, ["slow-call"])],
)
def test_waiting_for_the_display_while_it_draws_is_no_work(event, cpu_ms, found):
    """A thread that is held up where it draws waits for whatever makes the picture; elsewhere, it stands still."""
    tape = Tape().frame()("idle", cpu=1_000_000, ready=0)
    window = tape.bind(event, "window#1", "Window.on_event")
    for number in range(12):
        tape.frame().heard(event, window, takes_ms=300 if number == 8 else 2, via="tick")
        tape("idle", cpu=(cpu_ms if number == 8 else 2) * 1_000_000, ready=0)
    assert [finding.cause for finding in tape.found() if finding.kind == KIND] == found
