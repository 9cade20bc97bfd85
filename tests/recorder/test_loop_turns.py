"""The turns of a game's loops, and the functions they call, as each half tells them."""

from __future__ import annotations

import copy
import gc
import inspect
import json
import pickle
import sys
import weakref
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FunctionType
from typing import Any

import pytest

from opossum_recorder import Recorder, halves, loop_turns


@pytest.fixture(params=[loop_turns.LoopTurns, halves.LoopTurns], ids=["Python", "built"])
def half(request) -> Any:
    """The one in Python, and the one that this interpreter uses."""
    return request.param


def test_a_turn_of_a_loop_is_one_send(tmp_path, half):
    """It begins with a frame, with what it has called already, and with another loop; within a call, nothing is of a turn."""
    kitchen, menu, helper = compile("1", "a", "eval"), compile("1", "a", "eval"), compile("2", "b", "eval")
    elsewhere: list[int] = []
    with Recorder(tmp_path / "a.flow.jsonl", watch_after=0) as recorder:
        turns = half(recorder, elsewhere)
        turns.stands_for(kitchen, "frame of kitchen")
        turns.stands_for(kitchen, "another name")
        turns.stands_for(menu, "frame of menu")
        assert (turns.event_of(kitchen), turns.event_of(helper)) == ("frame of kitchen", "")
        begun = []

        def takes(caller: Any, function: int = 1, owner: int = 0) -> bool:
            taken = turns.takes(caller, function, owner)
            begun.append(turns.sends[-1] if turns.sends else 0)
            return taken

        assert not takes(helper) and begun == [0]
        assert takes(kitchen) and takes(kitchen, 2) and takes(kitchen, 2, 7) and begun[1:] == [1, 1, 1]
        assert takes(kitchen, 2) and takes(kitchen) and begun[4:] == [2, 2]
        assert takes(menu, 3) and takes(kitchen, 4) and begun[6:] == [3, 4]
        # two loops that are called the same are one, wherever their names come from
        turns.stands_for(helper, "".join(["frame ", "of kitchen"]))
        assert takes(helper, 6) and begun[8:] == [4]
        turns.begin_frame()
        assert turns.sends == []
        with recorder.call(4, None, "oven#1", "Oven.bake"):
            assert not takes(kitchen, 5)
        elsewhere.append(1)
        assert not takes(kitchen, 5) and not turns.sends
        elsewhere.clear()
        assert takes(kitchen, 4) and turns.sends == [5]
    told = [json.loads(line) for line in (tmp_path / "a.flow.jsonl").read_text().splitlines()]
    assert [(line["ev"].removeprefix("frame of "), line["via"]) for line in told if line["k"] == "send"] == [
        (name, "tick") for name in ("kitchen", "kitchen", "menu", "kitchen", "kitchen")
    ]


class Baker:
    """What a game might write."""

    def bake(self, loaves: int = 1, *, late: bool = False) -> int:
        """Bake."""
        self.baked = loaves
        return 2 * loaves


def stir(spoon: str) -> str:
    """Stir."""
    return spoon


class Kitchen:
    """A loop, the objects it knows by name, and what asked for a way to run them."""

    def __init__(self, half: Any, recorder: Recorder) -> None:
        self.turns = half(recorder, [])
        self.turns.stands_for(self.turn.__code__, "frame of turn")
        self.known: dict[int, tuple[Any, str]] = {}
        self.asked: list[str] = []

    def recorded(self, function: Callable[..., Any], is_method: bool) -> Callable[..., Any]:
        """Return a function as it is put into the game."""

        def find(thing: Any) -> tuple[str, Callable[..., Any]]:
            name = (
                "kitchen" if thing is None else self.known.setdefault(id(thing), (thing, f"baker#{len(self.known)}"))[1]
            )
            self.asked.append(name)

            def run(*args: Any, **given: Any) -> tuple[str, Any]:
                return name, function(*args, **given)

            return name, run

        return self.turns.function(function, is_method, self.known, "kitchen", find)

    def turn(self, function: Callable[..., Any], *args: Any, **given: Any) -> Any:
        """Call something as a loop does."""
        return function(*args, **given)


@pytest.fixture
def kitchen(half, tmp_path: Path) -> Iterator[Kitchen]:
    """A loop whose functions can be recorded."""
    with Recorder(tmp_path / "a.flow.jsonl", watch_after=0) as recorder:
        yield Kitchen(half, recorder)


def test_a_loops_function_is_recorded_where_the_loop_calls_it(kitchen, monkeypatch):
    """For each object under its name, for which is asked once; from elsewhere it runs as it is."""
    monkeypatch.setattr(Baker, "bake", kitchen.recorded(Baker.bake, True))
    one, other = Baker(), Baker()
    assert kitchen.turn(one.bake, 3) == ("baker#0", 6) and one.baked == 3
    assert kitchen.turn(other.bake, late=True) == ("baker#1", 2)
    assert kitchen.turn(Baker.bake, one, loaves=5) == ("baker#0", 10)
    assert kitchen.asked == ["baker#0", "baker#1"]
    assert one.bake(4) == 8 and Baker.bake(one) == 2
    assert kitchen.turn(kitchen.recorded(stir, False), spoon="wood") == ("kitchen", "wood")
    with pytest.raises(TypeError, match="positional"):
        one.bake(1, 2)


def test_what_cannot_be_found_runs_all_the_same(kitchen):
    """As the game wrote it."""

    def find(thing: Any) -> Any:
        raise ValueError("no")

    assert kitchen.turn(kitchen.turns.function(stir, False, {}, "kitchen", find), "wood") == "wood"
    with pytest.raises(TypeError, match="spoon"):
        kitchen.turn(kitchen.turns.function(stir, False, {}, "kitchen", find))


def test_more_objects_than_are_remembered_are_recorded_all_the_same(kitchen):
    """They are asked for again."""
    bake = kitchen.recorded(Baker.bake, True)
    bakers = [Baker() for _ in range(loop_turns.MOST_OWNERS + 1)]
    for _ in range(2):
        assert [kitchen.turn(bake, baker)[0] for baker in bakers] == [f"baker#{place}" for place in range(len(bakers))]
    assert loop_turns.MOST_OWNERS + 2 <= len(kitchen.asked) <= 2 * len(bakers)


def test_a_recorded_function_passes_for_the_games_own(kitchen, monkeypatch):
    """Whatever a game asks of its functions it is told as if nothing stood there."""
    own = Baker.bake
    monkeypatch.setattr(Baker, "bake", kitchen.recorded(own, True))
    monkeypatch.setattr(sys.modules[__name__], "stir", kitchen.recorded(stir, False))
    assert isinstance(Baker.bake, FunctionType) and inspect.isfunction(stir) and inspect.ismethod(Baker().bake)
    assert Baker.bake.opossum_plain is own
    assert (Baker.bake.__name__, Baker.bake.__qualname__, Baker.bake.__doc__) == ("bake", "Baker.bake", "Bake.")
    assert Baker.bake.__module__ == __name__ and inspect.signature(Baker.bake) == inspect.signature(own)
    assert str(inspect.signature(Baker().bake)) == "(loaves: 'int' = 1, *, late: 'bool' = False) -> 'int'"
    assert inspect.getsource(Baker.bake) == inspect.getsource(own)
    assert pickle.loads(pickle.dumps(stir)) is stir and copy.deepcopy(stir) is stir
    assert pickle.loads(pickle.dumps(Baker().bake))(2) == 4
    stir.times = 3
    assert stir.times == 3 and "stir" in repr(stir)
    baker = Baker()
    assert weakref.WeakMethod(baker.bake)()(3) == 6 and baker.bake == baker.bake and len({stir, stir}) == 1
    with pytest.raises(AttributeError, match="spoons"):
        stir.spoons  # noqa: B018


def test_a_recorded_function_holds_nothing_once_it_is_gone(kitchen):
    """Not the function either, nor what finds its objects, also where they hold each other."""

    def plain() -> int:
        return 1

    recorded = kitchen.recorded(plain, False)
    plain.itself = recorded
    kitchen.turn(recorded)
    held = weakref.ref(plain)
    del plain, recorded
    gc.collect()
    assert held() is None
