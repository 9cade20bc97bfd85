"""Whether a call changed anything: shown by tracing, or not known."""

from __future__ import annotations

import sys
from types import FunctionType

import pytest

from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.effects import EVERY, GIVE_UP, RECURS_AFTER, TRIED, Effects

pytestmark = pytest.mark.skipif(not TRIED, reason="tracing was not tried with this version of the interpreter")

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

    def changed(self, count: int) -> None:
        self.told = count

    def sent_at_least(self) -> None:
        pass


def found(name: str, times: int = 200) -> set[int | None]:
    """Return what is told of a function's calls, None for not known."""
    effects, oven, told = Effects(), Oven(), set()
    for _ in range(times):
        call = FakeCall()
        effects.run(call, getattr(oven, name))
        told.add(call.told)
    return told


@pytest.mark.parametrize("name", ["looks", "loops", "collects", "calls_a_looker"])
def test_a_call_that_only_looks_is_shown_to_have_changed_nothing(name):
    """Of the calls that were traced; of the others nothing is known."""
    assert found(name) == {None, 0}


@pytest.mark.parametrize(("name", "stores"), [("stores", 1), ("calls_a_storer", 2), ("stores_an_item", 1)])
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


def test_only_functions_that_recur_are_traced_and_only_now_and_then():
    """And one that cannot be judged is left alone."""
    assert found("looks", RECURS_AFTER) == {None}
    effects, oven, traced = Effects(), Oven(), 0
    seen = []

    class Spy(Oven):
        def appends(self) -> None:
            seen.append(sys.gettrace() is not None)

    spy = Spy()
    for _ in range(EVERY * 50):
        effects.run(FakeCall(), spy.appends)
    assert sum(seen) == GIVE_UP and traced == 0 and oven is not None
    assert sys.gettrace() is None and sys.getprofile() is None


def test_errors_pass_through_and_tracing_ends():
    """The call's effect is then not known."""
    effects, call = Effects(), FakeCall()

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


def test_polling_is_found_in_a_game_that_never_said_what_its_calls_changed(tmp_path):
    """The rare call that sends is no waste."""
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
        effects, before = Effects(), len(told)
        for _ in range(RECURS_AFTER + EVERY * 3):
            effects.run(Told(), function)  # type: ignore[arg-type]
        return len(told) - before

    monkeypatch.setattr(sys, "path", ["/games/site-packages/mine", *sys.path])
    assert run("/games/site-packages/mine") == run("/games/mine") == 3
    assert run("/games/site-packages/library") == 0
