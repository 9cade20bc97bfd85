"""Double firing: each cause on a small stream, and the quiet case beside it."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.examine import examine
from tape import Bound, Tape, only, read

KIND = "double-fire"


def started() -> Tape:
    """Return a tape whose loading is over: frame 0 has ended, frame 1 runs."""
    return Tape().frame().frame()


# --- bound-twice ---------------------------------------------------------------------------------


def test_one_listener_bound_twice_is_named_with_both_binds():
    """One (event, owner, function) bound twice: one send calls it twice, and both places are told."""
    tape = started()
    tape("spawn", o="counter#1", cls="Counter")
    first = tape.bind("bread", "counter#1", "Counter.on_bread", at="counter.gd:10")
    again = tape.bind("bread", "counter#1", "Counter.on_bread", at="counter.gd:25")
    tape.frame().heard("bread", first, again)
    tape.frame()
    tape.frame().heard("bread", first, again)

    finding = only(tape.found(), "bound-twice")

    assert finding.kind == KIND
    assert finding.severity.value == "fault"
    assert finding.frames == [2, 4]
    assert finding.count == 2
    assert finding.subject.as_dict() == {
        "ev": "bread",
        "o": "counter#1",
        "cls": "Counter",
        "fn": "Counter.on_bread",
        "at": "counter.gd:25",
    }
    assert "counter.gd:10 and counter.gd:25" in finding.summary
    assert "counter.gd:25" in finding.advice
    assert [item.k for item in finding.evidence] == ["bind", "bind", "send", "call", "call"]
    assert [item.line for item in finding.evidence[:2]] == [6, 7]
    assert finding.cost_ns == pytest.approx(42_000, rel=0.1)


def test_many_objects_of_one_class_are_one_finding_with_a_count():
    """Three ovens with one mistake are one finding."""
    tape = started()
    ovens = []
    for number in (1, 2, 3):
        tape("spawn", o=f"oven#{number}", cls="Oven")
        ovens += [tape.bind("bell", f"oven#{number}", "Oven.on_bell") for _ in range(2)]
    tape.frame().heard("bell", *ovens)

    finding = only(tape.found(), "bound-twice")

    assert finding.count == 3
    assert finding.subject.cls == "Oven"
    assert finding.subject.o == ""


def test_binds_without_ids_in_the_calls_are_found_by_who_was_bound():
    """A recorder that gives no `b` in its calls still has its binds compared."""
    tape = started()
    tape.bind("bread", "baker#1", "Baker.on_bread")  # another's one is no part of it
    for _ in range(2):
        tape.bind("bread", "counter#1", "Counter.on_bread")
    nameless = Bound(0, "bread", "counter#1", "Counter.on_bread")
    tape.frame().heard("bread", nameless, nameless)

    assert only(tape.found(), "bound-twice").count == 1


def test_of_binds_without_ids_only_those_of_the_call_prove_it():
    """Not one that had ended by then or came later, nor another event's, owner's or function's."""
    tape = started()
    ended = tape.bind("bread", "counter#1", "Counter.on_bread")
    tape("unbind", b=ended.number)
    tape.bind("cake", "counter#1", "Counter.on_bread")
    twice = [tape.bind("bread", "counter#1", "Counter.on_bread").number for _ in range(2)]
    tape.bind("bread", "counter#2", "Counter.on_bread")
    tape.bind("bread", "counter#1", "Counter.on_crumb")
    nameless = Bound(0, "bread", "counter#1", "Counter.on_bread")
    tape.frame().heard("bread", nameless, nameless)
    tape.bind("bread", "counter#1", "Counter.on_bread")
    take = tape.take()
    (finding,) = [finding for finding in examine(take) if finding.cause == "bound-twice"]
    numbers = np.asarray(take.tables["bind"]["b"])
    assert [int(numbers[item.row]) for item in finding.evidence if item.k == "bind"] == twice
    assert "it is bound 2 times at once" in finding.summary


def test_a_bind_that_has_ended_is_none_for_calls_without_ids_either():
    """Nor is another owner's."""
    tape = started()
    tape("unbind", b=tape.bind("bread", "counter#1", "Counter.on_bread").number)
    for number in (1, 2):
        tape.bind("bread", f"counter#{number}", "Counter.on_bread")
    nameless = Bound(0, "bread", "counter#1", "Counter.on_bread")
    tape.frame().heard("bread", nameless, nameless)

    assert [finding.cause for finding in tape.found() if finding.cause == "bound-twice"] == []


def test_bound_again_after_unbinding_is_quiet():
    """One bind after the other is how it should be."""
    tape = started()
    first = tape.bind("bread", "counter#1", "Counter.on_bread")
    tape.frame().heard("bread", first)
    tape("unbind", b=first.number)
    second = tape.bind("bread", "counter#1", "Counter.on_bread")
    tape.frame().heard("bread", second)

    assert tape.found() == []


def test_two_functions_of_one_owner_for_one_event_are_quiet():
    """An owner may have two functions for one event."""
    tape = started()
    one = tape.bind("bread", "counter#1", "Counter.on_bread")
    other = tape.bind("bread", "counter#1", "Counter.show_bread")
    tape.frame().heard("bread", one, other)

    assert tape.found() == []


@pytest.mark.parametrize(
    ("owner", "function", "found"),
    [
        ("counter#1", "Counter.on_bread", 1),
        (None, "Counter.on_bread", 0),
        ("", "Counter::on_bread", 0),
        (None, "Counter:on_bread", 0),
        (None, "on_bread", 1),
        ("counter#1", None, 0),
        ("counter#1", "", 0),
    ],
)
def test_what_may_be_of_several_objects_or_functions_is_not_called_bound_twice(owner, function, found):
    """A function of nobody is one; a class's function without its object, and one without a name, may be many."""
    tape = started()
    binds = [tape.bind("bread", owner, function) for _ in range(2)]
    tape.frame().heard("bread", *binds)

    assert [item.cause for item in tape.found()] == ["bound-twice"] * found


def test_frames_of_loading_never_count():
    """What fires twice before the first idle belongs to loading."""
    tape = Tape().frame()
    first = tape.bind("bread", "counter#1", "Counter.on_bread")
    again = tape.bind("bread", "counter#1", "Counter.on_bread")
    tape.heard("bread", first, again)
    tape.frame(idle=False).frame()

    assert tape.found() == []


# --- two-routes ----------------------------------------------------------------------------------


def routes(second_event: str, same_data: bool = True, second_sender: str = "till#1") -> Tape:
    """Return a tape on which a payment reaches the ledger through one call of the till twice."""
    tape = started()
    till = tape.bind("paid", "till#1", "Till.on_paid")
    book = tape.bind("sale", "ledger#1", "Ledger.on_income", at="ledger.gd:5")
    coin = tape.bind("coin", "ledger#1", "Ledger.on_income")
    tape.frame()
    c = tape.open_call(tape.send("paid", o="customer#1"), till)
    tape.heard("sale", book, o="till#1", c=c, d={"coins": 3})
    tape.heard(
        second_event, coin if second_event == "coin" else book, o=second_sender, c=c, d={"coins": 3 if same_data else 4}
    )
    tape("ret", c=c, eff=2)
    return tape


def test_two_events_of_one_cause_that_reach_one_function():
    """Coin and sale spring from one call and book the same income."""
    finding = only(routes("coin").found(), "two-routes")

    assert finding.frames == [2]
    assert finding.subject.fn == "Ledger.on_income"
    assert "`sale` and `coin`" in finding.summary
    assert "Customer" not in finding.summary
    assert [item.k for item in finding.evidence].count("send") >= 2


def test_one_event_sent_twice_by_one_call():
    """The same call sends the same event twice."""
    assert only(routes("sale").found(), "two-routes").count == 1


def test_different_data_tells_two_sends_apart():
    """Two payments of different coins are two payments."""
    assert routes("coin", same_data=False).found() == []
    assert routes("sale", same_data=False).found() == []


def test_one_event_from_different_senders_is_quiet():
    """Two tills may both sell in one frame."""
    assert routes("sale", second_sender="till#2").found() == []


@pytest.mark.parametrize("what", ["timer", "delay"])
def test_two_events_of_one_firing(what):
    """One firing of a timer, or of a delay, that sends two events to one function is one cause."""
    tape = started()
    tick = tape.bind("tick_a", "clock#1", "Clock.on_beat")
    tock = tape.bind("tick_b", "clock#1", "Clock.on_beat")
    a = tape.arm(what, "clock#1", "beat")
    tape.frame()
    tape.heard("tick_a", tick, via=what, a=a)
    tape.heard("tick_b", tock, via=what, a=a)

    assert only(tape.found(), "two-routes").frames == [2]


def test_a_timer_that_catches_up_after_a_stall_is_quiet():
    """Two firings of one timer in one frame are the stall's consequence."""
    tape = started()
    beat = tape.bind("beat", "clock#1", "Clock.on_beat")
    a = tape.arm("timer", "clock#1", "beat")
    tape.frame()
    for _ in range(3):
        tape.heard("beat", beat, via="timer", a=a)

    assert tape.found() == []


@pytest.mark.parametrize("via", ["timer", "delay", "input", "direct"])
def test_what_a_loop_takes_from_the_engines_queue_does_not_spring_from_the_loop(via):
    """Firings and presses that piled up fall into one turn of it; what the loop itself sends twice is its own doing."""
    tape = started()
    loop = tape.bind("turn", "bakery#1", "Bakery.handle")
    beat = tape.bind("beat", "bakery#1", "Bakery.on_beat")
    arm = tape.arm("timer", "bakery#1", "beat")
    how = {"timer": {"a": arm}, "delay": {"a": arm}, "input": {"key": "space", "edge": "down"}, "direct": {}}[via]
    tape.frame()
    c = tape.open_call(tape.send("turn", via="tick"), loop)
    for _ in range(2):
        tape.heard("beat", beat, via=via, c=c, **how)
    tape("ret", c=c, eff=1)

    assert [finding.cause for finding in tape.found()] == (["two-routes"] if via == "direct" else [])


def test_what_one_press_sends_by_two_routes_within_a_loop_springs_from_the_press():
    tape = started()
    loop = tape.bind("turn", "bakery#1", "Bakery.handle")
    key = tape.bind("key", "till#1", "Till.on_key")
    sale, coin = (tape.bind(event, "ledger#1", "Ledger.on_income") for event in ("sale", "coin"))
    tape.frame()
    turn = tape.open_call(tape.send("turn", via="tick"), loop)
    press = tape.open_call(tape.send("key", via="input", key="space", edge="down", c=turn), key)
    tape.heard("sale", sale, c=press)
    tape.heard("coin", coin, c=press)
    tape("ret", c=press, eff=1)
    tape("ret", c=turn, eff=1)

    finding = only(tape.found(), "two-routes")
    assert "both from Till.on_key of till#1" in finding.summary


def test_a_tick_that_all_share_is_no_common_cause():
    """Two objects' ticks may each send the same event: the frame is not a cause."""
    tape = started()
    ovens = [tape.bind("tick", f"oven#{n}", "Oven.on_tick") for n in (1, 2)]
    done = tape.bind("done", "shelf#1", "Shelf.on_done")
    tape.frame()
    s = tape.send("tick", via="tick")
    for oven in ovens:
        c = tape.open_call(s, oven)
        tape.heard("done", done, o="kitchen", c=c)
        tape("ret", c=c, eff=1)

    assert tape.found() == []


def test_a_function_that_calls_itself_in_a_circle_is_no_double_fire():
    """A cycle is told as a cycle."""
    tape = started()
    low = tape.bind("low", "pantry#1", "Pantry.on_low")
    tape.frame()
    outer = tape.open_call(tape.send("low", o="mixer#1"), low)
    inner = tape.open_call(tape.send("low", o="mixer#1", c=outer), low)
    tape("ret", c=inner, eff=1)
    tape("ret", c=outer, eff=1)

    assert tape.found() == []


# --- queue-kept ----------------------------------------------------------------------------------


def test_a_send_pulled_twice_was_kept_on_its_queue():
    """The second pull is the fault, and its frame is told."""
    tape = started()
    job = tape.bind("job", "baker#1", "Baker.on_job")
    s = tape.send("job", via="queue", q="bench")
    tape("put", q="bench", s=s)
    for _ in range(3):
        tape.frame()
        tape("pull", q="bench", s=s)
        tape.call(s, job)

    finding = only(tape.found(), "queue-kept")

    assert finding.frames == [3, 4]
    assert finding.count == 2
    assert finding.subject.q == "bench"
    assert finding.subject.fn == "Baker.on_job"


def test_a_queue_that_was_kept_with_two_events_on_it_is_about_neither():
    """The queue is named, and no event that the other would not fit."""
    tape = started()
    sends = [tape.send(event, via="queue", q="bench") for event in ("job", "break")]
    for s in sends:
        tape("put", q="bench", s=s)
    for _ in range(2):
        tape.frame()
        for s in sends:
            tape("pull", q="bench", s=s)
    finding = only(tape.found("double-fire"), "queue-kept")
    assert (finding.subject.ev, finding.subject.q, finding.count) == ("", "bench", 2)


def test_a_send_put_back_on_purpose_may_be_pulled_again():
    """As many pulls as puts are fine."""
    tape = started()
    s = tape.send("job", via="queue", q="bench")
    for _ in range(2):
        tape.frame()
        tape("put", q="bench", s=s)
        tape("pull", q="bench", s=s)

    assert tape.found() == []


# --- armed-twice ---------------------------------------------------------------------------------


def test_two_looping_timers_alive_together_double_the_rate():
    """Both fire: the effect comes at twice the rate."""
    tape = started()
    tape("spawn", o="oven#1", cls="Oven")
    steam = tape.bind("steam", "oven#1", "Oven.on_steam")
    first = tape.arm("timer", "oven#1", "steam", at="oven.gd:7")
    tape.frame()
    second = tape.arm("timer", "oven#1", "steam", at="oven.gd:7")
    for _ in range(4):
        tape.frame()
        tape.heard("steam", steam, via="timer", a=first, o="oven#1")
        tape.frame()
        tape.heard("steam", steam, via="timer", a=second, o="oven#1")

    finding = only(tape.found(), "armed-twice")

    assert finding.count == 4
    assert finding.frames == [4, 6, 8, 10]
    assert finding.subject.o == "oven#1"
    assert "oven.gd:7" in finding.advice


def test_a_timer_cleared_before_the_next_is_quiet():
    """One timer after the other is how it should be."""
    tape = started()
    steam = tape.bind("steam", "oven#1", "Oven.on_steam")
    for _ in range(2):
        a = tape.arm("timer", "oven#1", "steam")
        tape.frame()
        tape.heard("steam", steam, via="timer", a=a)
        tape("disarm", a=a, how="cleared")

    assert tape.found() == []


def test_overlapping_delays_bring_the_effect_twice():
    """Two delays pending together, and both land."""
    tape = started()
    ready = tape.bind("ready", "oven#1", "Oven.on_ready")
    arms = [tape.arm("delay", "oven#1", "ready") for _ in range(2)]
    for a in arms:
        tape.frame()
        tape.heard("ready", ready, via="delay", a=a)
        tape("disarm", a=a, how="done")

    assert only(tape.found(), "armed-twice").count == 1


def test_delays_for_different_customers_are_quiet():
    """What their sends carry tells them apart."""
    tape = started()
    serve = tape.bind("serve", "till#1", "Till.on_serve")
    arms = [tape.arm("delay", "till#1", "serve") for _ in range(2)]
    for number, a in enumerate(arms):
        tape.frame()
        tape.heard("serve", serve, via="delay", a=a, d={"who": f"customer#{number}"})

    assert tape.found() == []


def delays(count: int, effs: tuple[int, ...] | None = None, one_frame: bool = False) -> Tape:
    """Return delays that are pending together, or set and landed one after the other within one frame."""
    tape = started()
    ready = tape.bind("ready", "oven#1", "Oven.on_ready")
    effs = effs or (1,) * count
    if one_frame:
        first = tape.frame().arm("delay", "oven#1", "ready")
        second = tape.frame().arm("delay", "oven#1", "ready")  # the frame in which the first lands
        tape.heard("ready", ready, via="delay", a=first)
        tape("disarm", a=first, how="done").frame().heard("ready", ready, via="delay", a=second)
        return tape
    arms = [tape.frame().arm("delay", "oven#1", "ready") for _ in range(count)]
    for a, eff in zip(arms, effs, strict=True):
        tape.frame().heard("ready", ready, eff=eff, via="delay", a=a)
        tape("disarm", a=a, how="done")
    return tape


def test_exactly_two_delays_that_land_are_armed_twice():
    """The doubled landing is told, the first one is right."""
    finding = only(delays(2).found(KIND), "armed-twice")

    assert (finding.count, finding.frames) == (1, [5])


@pytest.mark.parametrize(
    "quiet",
    [delays(3), delays(2, (1, 0)), delays(2, (0, 1)), delays(2, (0, 0)), delays(2, one_frame=True)],
    ids=["three are restacked", "the second changes nothing", "nor the first", "neither", "overlap within one frame"],
)
def test_delays_that_do_not_double_the_effect_are_quiet(quiet):
    """Two landings that both change something are asked for."""
    assert quiet.found(KIND) == []


@pytest.mark.parametrize(("eff_of_first", "found"), [(1, True), (0, False)])
def test_a_landing_that_sends_on_has_an_effect_too(eff_of_first, found):
    """What its call sends counts as what it changes."""
    tape = started()
    ready = tape.bind("ready", "oven#1", "Oven.on_ready")
    arms = [tape.frame().arm("delay", "oven#1", "ready") for _ in range(2)]
    for a in arms:
        c = tape.frame().open_call(tape.send("ready", via="delay", a=a), ready)
        if eff_of_first or a == arms[1]:
            tape.send("bread", o="oven#1", c=c, d={"a": a})
        tape("ret", c=c)

    assert bool(tape.found(KIND)) is found


def test_a_delay_that_sets_itself_again_is_no_double_arming():
    """It is set from its own call, when it is no longer pending."""
    tape = started()
    look = tape.bind("look", "lamp#1", "Lamp.on_look")
    a = tape.arm("delay", "lamp#1", "look")
    for _ in range(5):
        tape.frame()
        c = tape.open_call(tape.send("look", via="delay", a=a), look)
        following = tape.arm("delay", "lamp#1", "look", c=c)
        tape("ret", c=c, eff=1)
        tape("disarm", a=a, how="done")
        a = following

    assert tape.found() == []


# --- held-input ----------------------------------------------------------------------------------


def held(owner_uses_down: bool = False, changes: int = 1, with_down: bool = True) -> Tape:
    """Return a tape on which a key is held for four frames."""
    tape = started()
    sell = tape.bind("sell_held", "till#1", "Till.on_sell")
    start = tape.bind("sell_down", "till#1", "Till.on_start")
    tape.frame()
    if with_down:
        tape.heard("sell_down", *([start] if owner_uses_down else []), via="input", key="E", edge="down")
    for _ in range(4):
        tape.frame()
        tape.heard("sell_held", sell, eff=changes, via="input", key="E", edge="held")
    tape.frame()
    tape.send("sell_up", via="input", key="E", edge="up")
    return tape


def test_an_action_that_hangs_on_the_held_key():
    """It ran on four frames of one press: three too many."""
    finding = only(held().found(), "held-input")

    assert finding.count == 3
    assert finding.frames == [4, 5, 6]
    assert "`down`" in finding.advice
    assert finding.summary == (
        "Till.on_sell of till#1 ran on every frame while key `E` was held: 3 times too many in 1 press."
    )


def test_presses_are_counted_by_the_frames_between_them():
    """Held twice, with a rest between."""
    tape = started()
    sell = tape.bind("sell_held", "till#1", "Till.on_sell", at="till.gd:4")
    for _ in range(2):
        tape.frame().send("sell_down", via="input", key="E", edge="down")
        for _ in range(3):
            tape.frame().heard("sell_held", sell, via="input", key="E", edge="held")
        tape.frame().send("sell_up", via="input", key="E", edge="up")
    finding = only(tape.found(), "held-input")

    assert finding.count == 4 and finding.summary.endswith("4 times too many in 2 presses.")
    assert finding.advice.endswith(", which repeats while held (till.gd:4).")


@pytest.mark.parametrize(
    "quiet",
    [{"owner_uses_down": True}, {"changes": 0}, {"with_down": False}],
    ids=["the press has a listener of its own", "it changes nothing", "there is no press to use"],
)
def test_holding_that_is_meant_is_quiet(quiet):
    """Held input is only a fault when the press was there to be used."""
    assert held(**quiet).found() == []


@pytest.mark.parametrize(
    ("presses_used", "found"), [(0, True), (1, True), (2, False)], ids=["none", "one of two", "both"]
)
def test_one_press_that_the_owner_does_not_use_is_enough(presses_used, found):
    """There is a `down` for which no listener of that owner is called."""
    tape = started()
    sell = tape.bind("sell_held", "till#1", "Till.on_sell")
    start = tape.bind("sell_down", "till#1", "Till.on_start")
    for press in range(2):
        tape.frame().heard("sell_down", *([start] if press < presses_used else []), via="input", key="E", edge="down")
        for _ in range(3):
            tape.frame().heard("sell_held", sell, via="input", key="E", edge="held")
        tape.frame().send("sell_up", via="input", key="E", edge="up")

    assert bool(tape.found(KIND)) is found


@pytest.mark.parametrize(("gap", "count"), [(False, 1), (True, 0)])
def test_held_frames_must_follow_each_other(gap, count):
    """Two consecutive frames are more than one; every other frame is a rhythm of its own."""
    tape = started()
    sell = tape.bind("sell_held", "till#1", "Till.on_sell")
    tape.frame().send("sell_down", via="input", key="E", edge="down")
    for _ in range(2):
        tape.frames(1 + gap).heard("sell_held", sell, via="input", key="E", edge="held")

    assert sum(finding.count for finding in tape.found(KIND)) == count


# --- no-latch ------------------------------------------------------------------------------------


def stay(effects: list[int], leave_before: int | None = None) -> Tape:
    """Return a tape on which the cat lies on the warm spot, one frame an effect."""
    tape = started()
    spot = tape.bind("spot_stay", "spot#1", "Spot.on_stay")
    tape.frame()
    tape.send("spot_enter", o="spot#1", via="zone", edge="enter", d={"other": "cat#1"})
    for number, effect in enumerate(effects):
        tape.frame()
        if number == leave_before:
            tape.send("spot_leave", o="spot#1", via="zone", edge="leave", d={"other": "cat#1"})
            tape.send("spot_enter", o="spot#1", via="zone", edge="enter", d={"other": "cat#1"})
        tape.heard("spot_stay", spot, eff=effect, o="spot#1", via="zone", edge="stay", d={"other": "cat#1"})
    return tape


def test_a_dwell_event_that_is_sent_again_on_every_frame():
    """The first effect after waiting is right, the ones after it are the fault."""
    finding = only(stay([0, 0, 1, 1, 1, 1]).found(), "no-latch")

    assert finding.count == 3
    assert finding.frames == [6, 7, 8]
    assert finding.subject.fn == "Spot.on_stay"


@pytest.mark.parametrize(
    ("effects", "leave_before"),
    [
        ([0, 0, 1, 0, 0, 0], None),
        ([1, 0, 1, 0, 1, 0], None),
        ([1, 1, 1, 1], 2),
        ([1, 1, 1, 1, 1, 1], None),
        ([0, 1, 1, 1, 1, 1], None),
        ([0, 0, 1, 1, 0, 1, 1], None),
        ([0, 0, 1, 0, 0, 1], 3),
    ],
    ids=[
        "acts once",
        "stops in between",
        "the zone was left in between",
        "damage from the first stay to the last",
        "one frame of waiting is no wait",
        "not on every later frame",
        "acts once a visit",
    ],
)
def test_a_latched_dwell_is_quiet(effects, leave_before):
    """Acting once a visit, or after leaving, is how it should be."""
    assert stay(effects, leave_before).found() == []


@pytest.mark.parametrize("told", [True, False])
def test_a_dwell_that_sends_the_same_event_again_has_no_latch(told):
    """It need not act on every later frame; that it sent shows that it acted, where nobody tells what calls do."""
    tape = started()
    spot = tape.bind("stay", "spot#1", "Spot.on_stay")
    warm = tape.bind("warm", "cat#1", "Cat.on_warm")
    tape.frame().send("enter", o="spot#1", via="zone", edge="enter", d={"other": "cat#1"})
    for sends in (0, 0, 1, 0, 1, 0, 1):
        c = tape.frame().open_call(tape.send("stay", o="spot#1", via="zone", edge="stay", d={"other": "cat#1"}), spot)
        if sends:
            tape.heard("warm", warm, o="spot#1", c=c)
        tape("ret", c=c, **({"eff": sends} if told else {}))

    finding = only(tape.found(KIND), "no-latch")

    assert finding.frames == [7, 9]
    assert "`warm`" in finding.summary


@pytest.mark.parametrize(
    ("visits", "count"),
    [
        (["--w-w-w"], 2),
        (["--w-w-"], 0),
        (["--w-w-", "--w-w-"], 0),
        (["--w-h-f-g"], 0),
        (["--w-w-w-h"], 2),
        (["--h-w-w-w"], 2),
    ],
    ids=[
        "thrice",
        "twice",
        "twice a visit",
        "something else each time",
        "thrice, and something else",
        "after something else",
    ],
)
def test_what_a_dwell_sends_is_counted_by_event_and_visit(visits, count):
    """Each letter is an event that a stay sends, each dash one that sends nothing."""
    tape = started()
    spot = tape.bind("stay", "spot#1", "Spot.on_stay")
    heard = {letter: tape.bind(letter, "cat#1", f"Cat.on_{letter}") for letter in "whfg"}
    zone = {"o": "spot#1", "via": "zone", "d": {"other": "cat#1"}}
    for visit in visits:
        tape.frame().send("enter", edge="enter", **zone)
        for letter in visit:
            c = tape.frame().open_call(tape.send("stay", edge="stay", **zone), spot)
            if letter in heard:
                tape.heard(letter, heard[letter], o="spot#1", c=c)
            tape("ret", c=c, eff=int(letter in heard))
        tape.frame().send("leave", edge="leave", **zone)

    assert sum(finding.count for finding in tape.found(KIND)) == count


def test_all_that_a_dwell_sends_is_told():
    """Also what it sends once, and late."""
    tape = started()
    spot = tape.bind("stay", "spot#1", "Spot.on_stay")
    warm, hot = (tape.bind(event, "cat#1", f"Cat.on_{event}") for event in ("warm", "hot"))
    for number in range(62):
        stayed = {"o": "spot#1", "via": "zone", "edge": "stay", "d": {"other": "cat#1"}}
        c = tape.frame().open_call(tape.send("stay", **stayed), spot)
        if number > 1:
            event, listener = ("hot", hot) if number == 61 else ("warm", warm)
            tape.heard(event, listener, o="spot#1", c=c)
        tape("ret", c=c, eff=int(number > 1))
    assert "and sent `warm` and `hot` each time" in only(tape.found(KIND), "no-latch").summary


def test_visitors_are_told_apart_though_never_spawned():
    """Each of two visitors that come one after the other is acted on once."""
    tape = started()
    spot = tape.bind("stay", "spot#1", "Spot.on_stay")
    for visitor in ("cat#1", "cat#2", "cat#3"):
        tape.frame().send("enter", o="spot#1", via="zone", edge="enter", d={"other": visitor})
        for eff in (0, 0, 1):
            stayed = {"o": "spot#1", "via": "zone", "edge": "stay", "d": {"other": visitor}}
            tape.frame().heard("stay", spot, eff=eff, **stayed)

    assert tape.found(KIND) == []


@pytest.mark.parametrize(("left_between", "found"), [(False, [3]), (True, [])])
def test_entering_again_without_having_left(left_between, found):
    """A zone that says `enter` twice has no latch; leaving in between makes it right."""
    tape = started()
    door = tape.bind("door_enter", "bell#1", "Bell.on_enter")
    for number in range(2):
        tape.frame().heard("door_enter", door, o="door#1", via="zone", edge="enter", d={"other": "cat#1"})
        if left_between and not number:
            tape.send("door_leave", o="door#1", via="zone", edge="leave", d={"other": "cat#1"})

    assert [frame for finding in tape.found() for frame in finding.frames] == found


def test_a_threshold_event_that_is_sent_while_the_value_is_beyond():
    """The watched heat parts the frames that send from those that do not: there is no latch."""
    tape = started()
    oven = tape.bind("tick", "oven#1", "Oven.on_tick")
    alarm = tape.bind("too_hot", "bell#1", "Bell.on_alarm")
    for heat in (100, 180, 220, 230, 240, 150, 120):
        tape.frame()
        tape("watch", o="oven#1", name="heat", v=heat)
        c = tape.open_call(tape.send("tick", via="tick"), oven)
        if heat >= 200:
            tape.heard("too_hot", alarm, o="oven#1", c=c)
        tape("ret", c=c, eff=1)

    finding = only(tape.found(), "no-latch")

    assert finding.subject.ev == "too_hot"
    assert finding.subject.fn == "Oven.on_tick"
    assert finding.frames == [5, 6]
    assert "`heat` of oven#1 was at or above 220" in finding.summary


def heated(heats: list[int | None], loud: set[int]) -> Tape:
    """Return an oven whose heat changes as told, in some frames not at all, and that sends an alarm in those named."""
    tape = started()
    oven = tape.bind("tick", "oven#1", "Oven.on_tick")
    alarm = tape.bind("too_hot", "bell#1", "Bell.on_alarm")
    for number, heat in enumerate(heats):
        tape.frame()
        if heat is not None:
            tape("watch", o="oven#1", name="heat", v=heat)
        c = tape.open_call(tape.send("tick", via="tick"), oven)
        if number in loud:
            tape.heard("too_hot", alarm, o="oven#1", c=c)
        tape("ret", c=c, eff=1)
    return tape


@pytest.mark.parametrize(
    ("heats", "silent", "found"),
    [
        ([20, 201, 202, 203, 204, 205, 206], 1, True),
        ([20, 201, 201, 203, 204, 205, 206], 2, False),
        ([99, 9, 8, 7, 6, 5, 4], 1, True),
        ([99, 9, 9, 7, 6, 5, 4], 2, False),
        ([20, None, 203, None, None, None, None], 2, True),
    ],
    ids=["above", "as high without", "below", "as low without", "told when it changes"],
)
def test_a_value_parts_the_frames_only_where_none_lies_between(heats, silent, found):
    """A heat at which the oven was silent too is no threshold; one told once is that of the frames after it."""
    take = heated(heats, set(range(silent, 7))).take()
    told = [finding for finding in examine(take) if finding.cause == "no-latch"]
    assert bool(told) is found
    for finding in told:
        assert len([item for item in finding.evidence if item.k == "send"]) == 4
        assert {take.event_of_call(int(call)) for call in finding.calls} == {"too_hot"}
        assert len(finding.calls) == finding.count > 3


def test_a_value_of_another_peers_object_is_no_reason():
    """Though both are called alike."""
    alone = heated([20, 201, 202, 203, 204], {1, 2, 3, 4}).bytes().splitlines()
    host = [line for line in alone if b'"watch"' not in line]
    guest = [
        line.replace(b'"peer":"main"', b'"peer":"guest"') for line in alone if b'"head"' in line or b'"watch"' in line
    ]
    found = examine(read(b"\n".join([*host, *guest]) + b"\n"))
    assert [finding.cause for finding in found if finding.cause == "no-latch"] == []


def test_a_watched_number_may_be_larger_than_any_float():
    """It is no level, and keeps nothing else from being found."""
    tape = heated([20, 201, 202, 203, 204], {1, 2, 3, 4})
    serial = '{"k":"watch","t":%d,"o":"oven#1","name":"serial","v":%s1' + "0" * 400 + "}"
    tape.lines += [serial % (tape.now_ns, sign) for sign in ("", "-")]
    assert "`heat` of oven#1 was at or above 201" in only(tape.found(KIND), "no-latch").summary


# --- mirrored ------------------------------------------------------------------------------------


def two_peers(host_eff: int, client_eff: int, guests_own: str = "till#1") -> list:
    """Return the findings of one networked event heard on two peers."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("frame", n=0, p=peer)("idle", p=peer)("frame", n=1, p=peer)
        owner = "till#1" if peer == "host" else guests_own
        tape("bind", b=1, ev="pay", o=owner, fn="Till.on_pay", p=peer)
        tape("send", s=1, ev="pay", net="pay-1", via="net", p=peer)
        tape("call", c=1, s=1, b=1, o=owner, fn="Till.on_pay", p=peer)
        tape("ret", c=1, eff=host_eff if peer == "host" else client_eff, p=peer)("idle", p=peer)("bye", p=peer)
    return tape.found(bye=False)


def test_one_networked_event_that_changes_one_owner_on_two_peers_is_a_note():
    """It may be meant, so it is only noted."""
    finding = only(two_peers(1, 1), "mirrored")

    assert finding.severity.value == "note"
    assert "host and guest" in finding.summary


def test_a_peer_that_only_shows_it_is_quiet():
    """A guest that changes nothing mirrors nothing."""
    assert two_peers(1, 0) == []


def test_each_peer_that_changes_an_object_of_its_own_is_quiet():
    """Nothing is done twice."""
    assert two_peers(1, 1, "till#2") == []


def test_a_burst_of_timer_firings_after_a_stall_is_the_stalls_consequence():
    """What piled up while the frame stood comes at once: each firing is its own, none is doubled."""
    tape = Tape().frame()
    oven = tape.bind("steam", "oven#1", "Oven.on_steam")
    timer = tape.arm("timer", "oven#1", "steam", sec=0.02)
    for _ in range(30):
        tape.frame()
        tape.heard("steam", oven, via="timer", a=timer)
    tape.frame()
    slow = tape.bind("bell", "bell#1", "Bell.on_bell")
    tape.heard("bell", slow, takes_ms=400)
    tape.frame()
    for _ in range(20):
        tape.heard("steam", oven, via="timer", a=timer)
    tape.frames(5)
    assert [finding.kind for finding in tape.found()] == ["freeze"]
