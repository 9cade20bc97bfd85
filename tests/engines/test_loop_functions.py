"""The functions a game's loop calls once a frame: found, and recorded from then on."""

from __future__ import annotations

import importlib.util
import itertools
import sys
from typing import Any

import pytest

from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum.take.take import Take
from opossum_recorder import Recorder
from opossum_recorder.effects import Effects
from opossum_recorder.engines.game_loop import EVERY, LEAST_SEEN, MOST_CLOSE, MOST_STEPS, SELDOM, WATCHED, GameLoop
from opossum_recorder.engines.loop_functions import LOOK_AT_CLOCK, MOST_NS, LoopFunctions
from opossum_recorder.engines.names import ObjectNames

KITCHEN = """
def stir():
    pass
"""
GAME = """
from kitchen_of_loops import stir


class Baker:
    def __init__(self):
        self.turn = 0

    def update(self):
        self.turn += 1
        self.helped()

    def helped(self):
        pass

    @staticmethod
    def sing():
        pass


def draw(screen):
    text(screen)

def text(screen):
    pass

def seldom():
    pass

def stepping():
    yield

def run(frames, turns):
    bakers = [Baker(), Baker()]
    def nested():
        pass
    for turn in range(turns):
        frames(turn)
        for baker in bakers:
            baker.update()
        Baker.sing()
        stir()
        text("score")
        text("lives")
        if turn % 10 == 9:
            seldom()
        next(stepping())
        nested()
        draw("screen")
        end_of(frames)

def end_of(frames):
    frames(None)

class World:
    def __init__(self):
        self.steps = 0

    def step(self, seconds, bakers):
        self.steps += 1
        text("step")

    def step_all(self, bakers):
        for baker in bakers:
            baker.update()

def handing_on(frames, turns):
    world, bakers = World(), [Baker(), Baker()]
    for turn in range(turns):
        frames(turn)
        for step in range(1 + turn % 2):
            world.step_all(bakers)
        draw("screen")
        frames(None)

def stepped(frames, turns):
    # A game of fixed time steps: none to two a frame, once a few more to catch up.
    world, bakers = World(), [Baker(), Baker()]
    for turn in range(turns):
        frames(turn)
        for step in range(7 if turn == 3 else turn % 3):
            world.step(0.01 * (step + 1), bakers)
            for baker in bakers:
                baker.update()
        for line in ("score", "lives"):
            text(line)
        for place in range(10):
            stir()
        draw("screen")
        frames(None)

def again(frames, turns):
    for turn in range(turns):
        frames(turn)
        draw("menu")
        frames(None)

def whole(frames, turns):
    for turn in range(turns):
        frames(turn)
        one_turn()
        frames(None)

def menu_and_play(frames, turns):
    for turn in range(turns):
        frames(turn)
        draw("both")
        stir()
        if turn >= 1500:
            one_turn()
        if turn == 100:
            seldom()
        frames(None)

def paced(frames, turns):
    for turn in range(turns):
        frames(turn)
        one_turn()
        pause(frames)
        frames(None)

def pause(frames):
    frames("waits")

def one_turn():
    text("once")
    stir()
"""


@pytest.fixture
def game(tmp_path, monkeypatch) -> Any:
    """Return the game as a module, its kitchen beside it."""
    monkeypatch.syspath_prepend(str(tmp_path))
    (tmp_path / "kitchen_of_loops.py").write_text(KITCHEN)
    path = tmp_path / "loops.py"
    path.write_text(GAME)
    spec = importlib.util.spec_from_file_location("loops", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    monkeypatch.setitem(sys.modules, "loops", module)
    spec.loader.exec_module(module)
    yield module
    sys.modules.pop("kitchen_of_loops", None)


def played(folder: Any, *loops: Any, turns: int = 40, elsewhere: bool = False) -> Take:
    """Record loops, one after the other."""
    path = folder / "loops.flow.jsonl"
    with Recorder(path, "loops", watch_after=0) as recorder:
        functions = LoopFunctions(recorder, ObjectNames(recorder), Effects(), [1] if elsewhere else [])
        number = [0]

        def frames(turn: int | str | None) -> None:
            if turn == "waits":
                functions.waited()
            elif turn is None:
                functions.frame_ended()
                recorder.idle()
                functions.between_frames()
            else:
                recorder.frame(number[0])
                number[0] += 1
                functions.frame_began()

        for loop in loops:
            loop(frames, turns)
    assert sys.getprofile() is None
    return open_any(str(path))


def called(take: Take, frames: range) -> list[set[tuple[str, str, str]]]:
    """Return (owner, function, event) of the calls of each of these frames."""
    calls = take.calls
    told: list[set[tuple[str, str, str]]] = [set() for _ in frames]
    for call in range(len(calls)):
        frame = int(calls.frame[call])
        if frame in frames:
            who = (take.owner_of_call(call), take.function_of_call(call), take.event_of_call(call))
            assert who not in told[frame - frames.start]
            told[frame - frames.start].add(who)
    return told


def test_what_a_loop_calls_once_a_frame_is_recorded_once_it_is_known(tmp_path, game):
    """Methods by object, what was imported by name too; not what a frame ends within, helpers, the seldom."""
    frame_of_run = {
        (owner, function, "frame of run")
        for owner, function in [
            ("baker#1", "Baker.update"),
            ("baker#2", "Baker.update"),
            ("loops", "Baker.sing"),
            ("kitchen_of_loops", "stir"),
            ("loops", "draw"),
        ]
    }
    take = played(tmp_path, game.run)

    assert called(take, range(WATCHED)) == [set()] * WATCHED
    assert called(take, range(WATCHED, 40)) == [frame_of_run] * (40 - WATCHED)
    sends = [take.via_of_send(send) for send in range(len(take.tables["send"]))]
    assert sends == ["tick"] * (40 - WATCHED)
    assert {int(effect) for effect in take.calls.effect} >= {0, 1}


def test_another_loop_is_another_tick(tmp_path, game):
    """Where a menu has a loop of its own, it is watched for itself."""
    take = played(tmp_path, game.run, game.again)

    assert called(take, range(40, 40 + WATCHED)) == [set()] * WATCHED
    assert called(take, range(40 + WATCHED, 80)) == [{("loops", "draw", "frame of again")}] * (40 - WATCHED)
    assert take.game_frames == 80


def test_the_steps_of_a_frame_are_recorded_one_by_one(tmp_path, game):
    """As many as time has passed, each a tick of its own that calls each object once; what goes through a list, or is called
    very often, is none."""
    take = played(tmp_path, game.stepped, turns=60)
    calls = take.calls
    stepping = [("world#1", "World.step"), ("baker#1", "Baker.update"), ("baker#2", "Baker.update")]
    for frame in range(WATCHED, 60):
        mine = take.calls_by_frame.rows(frame)
        told = [
            (take.owner_of_call(call), take.function_of_call(call), take.event_of_call(call)) for call in mine.tolist()
        ]
        steps = [(*who, "step of stepped") for _ in range(frame % 3) for who in stepping]
        assert told == [*steps, ("loops", "draw", "frame of stepped")]
        assert len({int(calls.send[call]) for call in mine.tolist()}) == frame % 3 + 1
    vias = {take.via_of_send(send) for send in range(len(take.tables["send"]))}
    assert vias == {"tick"}
    assert [finding for finding in examine(take) if finding.severity.value in ("fault", "waste")] == []


def test_a_step_that_hands_on_is_looked_through_for_good(tmp_path, game):
    """What it calls of other objects is recorded, and it never is, however long the game plays."""
    take = played(tmp_path, game.handing_on, turns=4 * EVERY)
    calls = take.calls
    for frame in range(WATCHED, 4 * EVERY):
        told = [take.function_of_call(call) for call in take.calls_by_frame.rows(frame).tolist()]
        assert told == ["Baker.update"] * 2 * (1 + frame % 2) + ["draw"], frame
    assert not [call for call in range(len(calls)) if take.function_of_call(call) == "World.step_all"]


def test_where_a_turn_lies_in_one_function_what_it_calls_is_recorded(tmp_path, game):
    """In its stead."""
    take = played(tmp_path, game.whole)
    parts = {("loops", "text", "frame of whole"), ("kitchen_of_loops", "stir", "frame of whole")}
    assert called(take, range(2 * WATCHED, 40)) == [parts] * (40 - 2 * WATCHED)


def test_what_paces_a_loop_is_none_of_the_functions_its_turn_is_told_from(tmp_path, game):
    """What waits is recorded like any other, and the turn lies in the function beside it."""
    take = played(tmp_path, game.paced, turns=80)
    parts = [("loops", "text"), ("kitchen_of_loops", "stir"), ("loops", "pause")]
    assert called(take, range(60, 80)) == [{(*who, "frame of paced") for who in parts}] * 20


def test_what_a_loop_begins_to_call_late_is_found(tmp_path, game):
    """As a game does that shows its menu first; what it called once is not."""
    take = played(tmp_path, game.menu_and_play, turns=1500 + SELDOM + 8 * EVERY)
    calls = take.calls
    first = {}
    for call in range(len(calls)):
        first.setdefault(take.function_of_call(call), int(calls.frame[call]))
    assert first["draw"] == first["stir"] == WATCHED
    assert 1500 < first["one_turn"] <= 1500 + SELDOM + (LEAST_SEEN + 1) * EVERY
    assert set(first) == {"draw", "stir", "one_turn"}


def test_a_loop_is_watched_ever_more_seldom(tmp_path):
    """Closely while it calls what is new, so often at most; then one frame in many."""
    loop, watched = GameLoop(), []
    codes = [compile(f"{number}", "", "eval") for number in range(400)]
    for frame in range(60_000):
        loop.frames += 1
        if loop.is_watched_now:
            loop.watch()
            watched.append(frame)
            loop.count(codes[0], 1)
            if 2000 < frame < 30_000:  # something new each time
                loop.count(codes[len(watched) % 400], 1)
    gaps = [after - before for before, after in itertools.pairwise(watched)]
    assert gaps[: WATCHED - 1] == [1] * (WATCHED - 1)
    assert set(gaps[WATCHED:]) == {EVERY, SELDOM}
    assert MOST_CLOSE / 2 < gaps.count(EVERY) <= MOST_CLOSE + 1
    assert gaps[-20:] == [SELDOM] * 20


@pytest.mark.parametrize(
    ("watched", "calls", "found"),
    [
        (8, {8: 1, 7: 1, 6: 1}, True),  # new, and since then in every frame
        (8, {8: 1, 7: 1}, False),  # too new
        (9, {1: 1, 3: 1, 5: 1, 7: 1, 9: 1}, True),
        (8, {1: 1, 3: 1, 5: 1, 7: 1}, True),  # in half of all frames
        (9, {1: 1, 3: 1, 5: 1, 7: 1}, False),  # in fewer
        (8, dict.fromkeys(range(1, 9), MOST_STEPS), True),
        (8, dict.fromkeys(range(1, 9), MOST_STEPS + 1), False),
        (8, dict.fromkeys(range(1, 8), 1) | {8: 60}, True),  # one frame caught up
    ],
)
def test_a_function_is_the_loops_by_how_often_it_is_called(watched, calls, found):
    """In how many frames since it was first seen, and how many times in most of them."""
    loop, code = GameLoop(), compile("1", "", "eval")
    for frame in range(1, watched + 1):
        loop.frames += 1
        loop.watch()
        if frame in calls:
            loop.count(code, calls[frame])
    assert loop.found_now(set()) == ([code] if found else [])
    assert loop.found_now({code}) == []


def test_a_function_alone_that_calls_nothing_is_recorded_itself(tmp_path, game):
    """Once it was seen that no turn lies in it."""
    take = played(tmp_path, game.again)
    draws = {("loops", "draw", "frame of again")}
    assert called(take, range(3 * WATCHED, 40)) == [draws] * (40 - 3 * WATCHED)


def test_what_runs_elsewhere_is_left_to_whoever_records_it(tmp_path, game):
    """An event that is being handled."""
    assert len(played(tmp_path, game.run, elsewhere=True).calls) == 0


def test_a_profiler_is_left_alone(tmp_path, game):
    """And nothing is found."""
    mine = lambda *_: None  # noqa: E731 - a profile function
    sys.setprofile(mine)
    try:
        path = tmp_path / "loops.flow.jsonl"
        with Recorder(path, "loops", watch_after=0) as recorder:
            functions = LoopFunctions(recorder, ObjectNames(recorder), Effects())
            game.again(lambda turn: functions.between_frames() if turn is None else functions.frame_began(), 20)
        assert sys.getprofile() is mine
    finally:
        sys.setprofile(None)
    assert len(open_any(str(path)).calls) == 0


def test_a_frame_is_watched_for_a_while_only(tmp_path, game, monkeypatch):
    """However much it calls, and however slow the machine is: what it calls first is found all the same."""
    now, profiled = [0], []

    def clock() -> int:
        now[0] += MOST_NS // 2
        return now[0]

    monkeypatch.setattr("opossum_recorder.engines.loop_functions.time.perf_counter_ns", clock)

    def much(screen: str) -> None:
        for _ in range(2 * LOOK_AT_CLOCK):
            abs(-1)
        profiled.append(sys.getprofile())

    game.text = much
    take = played(tmp_path, game.run)
    assert profiled[0] is None
    found = {("baker#1", "Baker.update", "frame of run"), ("kitchen_of_loops", "stir", "frame of run")}
    assert called(take, range(WATCHED, 40))[0] >= found
    assert ("loops", "draw", "frame of run") not in called(take, range(WATCHED, 40))[0]
