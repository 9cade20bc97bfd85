"""Whether a call changed anything: shown by tracing, or not known."""

from __future__ import annotations

import gc
import itertools
import sys
from types import FunctionType

import pytest

from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.effects import DENSE, DENSE_AGAIN, EVERY, GIVE_UP, NEVER, Effects
from opossum_recorder.game_code import is_games_own
from opossum_recorder.instructions import instructions_of, telling
from opossum_recorder.own_state import changes, seen_of
from opossum_recorder.tracing import LOOK_AT_CLOCK, MOST_INSTRUCTIONS, MOST_NS, Trace, run_traced, works

STORE = []
NUMBERS = {"coins": 3}


class Oven:
    """Functions of a game, by what can be known of them."""

    def __init__(self) -> None:
        self.heat = 20
        self.trays = [1, 2, 3]
        self.prices = {"bread": 2}

    def looks(self) -> bool:
        return self.heat > 30 and self.prices.get("bread", 0) > 1 and len(self.trays) == 3

    def loops(self) -> int:
        total = 0
        for tray in self.trays:
            total += tray
        return max(total, abs(-3))

    def collects(self) -> list[int]:
        return [tray for tray in self.trays if tray > 2]

    def calls_a_looker(self) -> bool:
        return self.looks() or self.loops() > 100

    def stores(self) -> None:
        self.heat = 20

    def calls_a_storer(self) -> None:
        self.stores()
        self.stores()

    def stores_an_item(self) -> None:
        NUMBERS["coins"] = 3

    def converts(self) -> int:
        return int(self.heat) + len(list(range(int(self.heat) + 1)))

    def enumerates(self) -> int:
        total = 0
        for place, tray in enumerate(self.trays):
            total += place * tray
        return total

    def adds(self) -> None:
        self.heat += 1

    def appends(self) -> None:
        STORE.append(1)

    def adds_in_place(self) -> None:
        trays = self.trays
        trays += []

    def makes(self) -> object:
        return Oven()

    def iterates_an_iterator(self) -> None:
        for _ in self.feed:
            break

    feed = iter(range(10**9))


class FakeCall:
    """Takes what is found out of a call."""

    def __init__(self) -> None:
        self.told: int | None = None
        self.own: int | None = None

    def changed(self, count: int) -> None:
        self.told = count

    def seemed(self, count: int) -> None:
        self.own = count

    def sent_at_least(self) -> None:
        pass


def found(name: str, times: int = 200) -> set[int | None]:
    """Return what is told of a function's calls, None for not known."""
    effects, oven, told = Effects(lambda: 0), Oven(), set()
    gc.collect()
    gc.disable()  # what other tests left is not to be finalised within a call, and counted as its own
    try:
        for _ in range(times):
            call = FakeCall()
            effects.run(call, getattr(oven, name))
            told.add(call.told)
    finally:
        gc.enable()
    return told


@pytest.mark.parametrize("name", ["looks", "loops", "collects", "calls_a_looker", "converts", "enumerates"])
def test_a_call_that_only_looks_is_shown_to_have_changed_nothing(name):
    """Of the calls that were traced; of the others nothing is known."""
    assert found(name) == {None, 0}


@pytest.mark.parametrize(("name", "stores"), [("stores", 1), ("calls_a_storer", 2), ("stores_an_item", 1), ("adds", 1)])
def test_stores_are_counted(name, stores):
    """Through every Python function that is called."""
    assert found(name) == {None, stores}


@pytest.mark.parametrize("name", ["appends", "adds_in_place", "iterates_an_iterator"])
def test_what_cannot_be_judged_is_not_known(name):
    """Never 0."""
    assert found(name) == {None}


def test_making_an_object_is_not_shown_to_be_nothing():
    """It stores, or cannot be judged."""
    assert 0 not in found("makes")


def test_a_functions_first_calls_are_all_looked_at_then_ever_fewer():
    """As many as are said."""
    effects, oven, told = Effects(lambda: 0), Oven(), []
    for _ in range(DENSE + EVERY * 10):
        call = FakeCall()
        effects.run(call, oven.looks)
        told.append(call.told)
    assert told[:DENSE] == [0] * DENSE
    assert told[DENSE:].count(0) == 10
    assert sys.gettrace() is None and sys.getprofile() is None


def test_of_a_function_that_runs_very_often_ever_fewer_calls_are_looked_at():
    """From the 512th call on, one in as many as a thirty-second part of those before."""
    effects, oven, looked_at = Effects(lambda: 0), Oven(), []
    for number in range(1, 4000):
        call = FakeCall()
        effects.run(call, oven.looks)
        if call.told is not None:
            looked_at.append(number)
    later = [(place, after - place) for place, after in itertools.pairwise(looked_at) if place >= DENSE]
    assert later[-1][1] > 100 and all(apart == max(16, place // 32) for place, apart in later)


def test_a_function_is_looked_at_closely_again_once_it_does_what_it_did_not():
    """And back."""
    effects, turns, told = Effects(lambda: 0), [0], []
    oven = Oven()

    def on_tick() -> None:
        if turns[0] >= 200:
            oven.heat = 30

    for turn in range(300):
        turns[0] = turn
        call = FakeCall()
        effects.run(call, on_tick)
        told.append(call.told)
    first = told.index(1)
    assert 200 <= first < 200 + EVERY
    assert told[first : first + DENSE_AGAIN] == [1] * DENSE_AGAIN
    assert None in told[first + DENSE_AGAIN : first + DENSE_AGAIN + 3]


def test_objects_of_which_one_moves_and_one_rests_are_looked_at_no_more_closely():
    """Each does what it always did."""
    effects, looked_at = Effects(lambda: 0), 0
    moving, resting = Oven(), Oven()

    def on_tick(self: Oven) -> None:
        if self is moving:
            self.heat = 30

    for turn in range(2000):
        call = FakeCall()
        effects.run(call, on_tick, resting if turn % 7 else moving)
        looked_at += call.told is not None
    assert looked_at <= DENSE + 2000 / EVERY


def test_what_was_seen_of_objects_that_come_and_go_is_not_kept_for_ever(monkeypatch):
    """Of a game's bullets there is no end."""
    monkeypatch.setattr("opossum_recorder.effects.MOST_SEEN", 4)
    effects, ovens = Effects(lambda: 0), [Oven() for _ in range(9)]
    for oven in ovens:
        effects.run(FakeCall(), Oven.looks, oven)
    assert 0 < len(effects._seen) <= 4


def test_a_function_that_reaches_outside_is_left_alone():
    """What it changed is neither seen by tracing nor by its owner's state."""
    effects = Effects(lambda: 0)

    class Spy(Oven):
        def draws(self) -> None:
            sys.stdout.flush()

    spy = Spy()
    for _ in range(EVERY * 50):
        call = FakeCall()
        effects.run(call, spy.draws)
        assert (call.told, call.own) == (None, None)
    sample = effects.sample_of(spy.draws)
    assert (sample.unjudged, sample.next) == (GIVE_UP, NEVER)


def test_where_tracing_cannot_judge_the_owners_own_state_is_compared():
    """Its attributes, what its collections hold, and its module's names: less than an effect, and told as less."""
    effects = Effects(lambda: 0)

    class Shelf(Oven):
        def __init__(self) -> None:
            super().__init__()
            self.loaves: list[int] = []

        def looks_behind_a_door(self) -> None:
            with self:
                pass

        def fills(self) -> None:
            self.loaves.append(1)

        def fills_the_store(self) -> None:
            STORE.append(1)

        def __enter__(self) -> None: ...

        def __exit__(self, *error: object) -> None: ...

    shelf, told = Shelf(), {}
    for name in ("looks_behind_a_door", "fills", "fills_the_store"):
        for _ in range(10):
            call = FakeCall()
            effects.run(call, getattr(shelf, name))
            assert call.told is None
            told[name] = call.own
    assert told == {"looks_behind_a_door": 0, "fills": 1, "fills_the_store": 1}


def test_tracing_takes_no_more_than_its_part_of_the_time():
    """A function that is dear to trace is traced the less."""
    now = [0]
    effects, told = Effects(lambda: now[0]), []

    class Dear(Oven):
        def looks(self) -> bool:
            now[0] += 50_000_000
            return False

    dear = Dear()
    for _ in range(100):
        call = FakeCall()
        effects.run(call, dear.looks)
        told.append(call.told)
        now[0] += 50_000_000
    looked = len(told) - told.count(None)
    assert 5 <= looked <= 25


@pytest.mark.parametrize("turns", range(MOST_INSTRUCTIONS // 8, MOST_INSTRUCTIONS // 8 + 40))
def test_a_call_that_is_too_long_is_never_shown_to_be_nothing(turns):
    """Wherever in it the last instruction that is looked at lies: what comes after it was not seen."""

    class Long(Oven):
        def looks(self) -> bool:
            for _ in range(turns):
                len(self.trays)
            self.heat = 21
            return False

    trace = Trace()
    run_traced(trace, Long().looks)
    assert not (trace.judged and trace.stores == 0)


def test_a_call_is_followed_for_a_while_only(monkeypatch):
    """A slow machine, or a long call, must not be held up by being looked at: what was seen by then is known."""
    now = [0]

    def clock() -> int:
        now[0] += MOST_NS // 3
        return now[0]

    monkeypatch.setattr("opossum_recorder.tracing.time.perf_counter_ns", clock)

    class Long(Oven):
        def works(self) -> None:
            for number in range(5_000):
                self.heat = number

        def looks(self) -> bool:
            return any(
                [self.heat > number for number in range(5_000, 10_000)] + [len(self.trays) for _ in range(5_000)]
            )

    for name, changed in (("works", True), ("looks", False)):
        now[0] = 0
        trace = Trace()
        run_traced(trace, getattr(Long(), name))
        assert not trace.judged and (trace.stores > 0) == changed
        assert trace._instructions <= 4 * LOOK_AT_CLOCK and trace.stores < 200


def test_what_tells_nothing_is_not_looked_at_again():
    """Instructions that neither store nor call cost nothing but their number."""

    def reckons(self) -> float:
        return (self.heat + 1) * 2 - self.heat / 3

    names = instructions_of(reckons.__code__)[1]
    assert len(names) > 8 and not any(telling(reckons.__code__))
    code = Oven.stores.__code__
    told = [name for place, name in enumerate(instructions_of(code)[1]) if telling(code)[place]]
    assert told == ["STORE_ATTR"]


def test_an_attribute_is_not_hidden_by_a_global_of_its_name():
    """Each is compared by itself."""
    oven = Oven()
    before = seen_of(oven, {"heat": 1})
    oven.heat += 1
    assert changes(before, seen_of(oven, {"heat": 1})) == 1


def test_this_interpreter_tells_every_instruction():
    """Else nothing would be traced."""
    assert works()


def test_errors_pass_through_and_tracing_ends():
    """The call's effect is then not known."""
    effects, call = Effects(lambda: 0), FakeCall()

    def fails() -> None:
        raise KeyError("cold")

    for _ in range(EVERY * 3):
        with pytest.raises(KeyError):
            effects.run(call, fails)
    assert call.told is None and sys.gettrace() is None


def test_a_debugger_that_traces_is_left_alone():
    """Coverage too."""
    mine = lambda *_: None  # noqa: E731 - a trace function
    sys.settrace(mine)
    try:
        assert found("looks") == {None}
        assert sys.gettrace() is mine
    finally:
        sys.settrace(None)


def test_polling_is_found_in_a_game_that_never_said_what_its_calls_changed(tmp_path, monkeypatch):
    """The rare call that sends is no waste. However quick its frames are here: a game's take longer."""
    monkeypatch.setattr("opossum_recorder.effects.AT_ONCE_NS", 10**12)
    effects, oven = Effects(), Oven()
    with Recorder(tmp_path / "a.flow.jsonl", "bakery", hz=60, watch_after=0) as recorder:

        def on_tick(turn: int) -> None:
            if oven.heat > 30 or turn % 200 == 150:
                recorder.send("hot", "oven#1")

        for turn in range(600):
            with (
                recorder.frame(turn, 1 / 60),
                recorder.call(recorder.send("tick", via="tick"), None, "oven#1", "Oven.on_tick") as call,
            ):
                effects.run(call, on_tick, turn)
    (finding,) = examine(open_any(str(tmp_path / "a.flow.jsonl")))
    assert (finding.kind, finding.cause) == ("polling-waste", "every-frame")
    assert "of 599 looked at, none of them found anything, 3 others sent something" in finding.summary


def test_what_was_installed_beside_the_game_is_not_judged(monkeypatch):
    """A library's listener that does nothing is nothing that the game's programmer could change; the game's own is."""
    told: list[int] = []

    class Told:
        def changed(self, count: int) -> None:
            told.append(count)

    def idle() -> None:
        pass

    def run(folder: str) -> int:
        function = FunctionType(idle.__code__.replace(co_filename=f"{folder}/window.py"), globals())
        effects, before = Effects(lambda: 0), len(told)
        for _ in range(3):
            effects.run(Told(), function)  # type: ignore[arg-type]
        return len(told) - before

    monkeypatch.setattr(sys, "path", ["/games/site-packages/mine", *sys.path])
    is_games_own.cache_clear()
    assert run("/games/site-packages/mine") == run("/games/mine") == 3
    assert run("/games/site-packages/library") == 0
