"""The functions that a game's own loop calls once a frame: found by watching the first frames, then recorded as ticks.

The loop is the innermost function that runs both when a frame begins and when it ends.  What it calls once a frame (once
for each object, for a method) is one of its functions; where that is one alone, but for what waits, the loop's turn lies in
it, and what it calls in turn is looked at in its stead.  What one place of it calls again and again with the same objects, a
few times a frame, is a step: a game of fixed time steps does as many a frame as time has passed; each is recorded as a tick
of its own, or what it calls of other objects, in its stead.  What else the loop calls several times a frame is a helper,
looked through for what it hands on to, and stays as it is, and so does what it calls seldom, what a frame ends within, and
what is nested in another function and reached by no name.

Cost: while a frame is watched, every call costs about a microsecond, `MOST_NS` in all; `WATCHED` frames of each loop are,
then one in `EVERY` until the loop is known well, and one in `SELDOM` from then on: what is played may begin late.  A call
of a function that is recorded costs what any call does.
"""

from __future__ import annotations

import functools
import inspect
import os
import sys
import threading
import time
from collections.abc import Callable, Sized
from types import CodeType, FrameType
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.game_loop import LOOKED_PAST, WATCHED, GameLoop, LoopCall, first_argument
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.replacing import games_modules, is_method_of, replace
from opossum_recorder.game_code import is_games_own
from opossum_recorder.halves import LoopTurns
from opossum_recorder.recorder import Recorder

MOST_NS = 30_000_000
"""A frame is watched for so long at most, so that being watched does not hold it up: what it calls later is not seen."""
LOOK_AT_CLOCK = 256
"""How many calls and returns apart the clock is looked at."""
MOST_HANDED_ON = 4
MOST_PASSES = 8
"""Times a frame that a function is called at most that is looked through, and how many such functions of a loop are."""
MANY = 2
"""Functions that a turn calls at least; one alone may be a turn in its stead."""
DEEPEST = 3
"""Functions, one within the other, in which a loop's turn may lie."""
MOST_LOOPS = 64
"""Loops of a game that are told apart."""


class LoopFunctions:
    """Finds the functions of a game's loops and has each of their runs recorded."""

    def __init__(
        self,
        recorder: Recorder,
        names: ObjectNames,
        effects: Effects,
        elsewhere: Sized = (),
    ) -> None:
        """Begin without any; what runs while anything is in `elsewhere` is recorded by somebody else, or not at all."""
        self._recorder, self._names, self._effects, self._elsewhere = recorder, names, effects, elsewhere
        self._depths: set[int] = set()
        self._stack_at_end: list[FrameType] = []
        self._loops: dict[tuple[int, ...], GameLoop] = {}
        """By the identity of the code that tells them apart: code is hashed by all it holds, which takes long."""
        self.watched: list[FrameType] = []
        """The stack of the game's own as the frame began that is watched, and to be judged before the next; empty: none."""
        self._calls: list[LoopCall] = []
        self._turns: set[CodeType] = set()
        self._waiting: set[CodeType] = set()
        """Functions that wait: they pace a loop, and no turn of it lies in them or is told from theirs."""
        self._known: set[CodeType] = set()
        self._turn, self._steps = LoopTurns(recorder, elsewhere), LoopTurns(recorder, elsewhere)
        """Turns of loops, once a frame, and their steps."""
        self._has_steps = False
        self._events, self._ends_ns = 0, 0
        self._looked_past = 0
        """Frames that may still begin without asking which loop they are of."""
        self._kept: list[CodeType] = []
        """Code by whose identity loops are told apart."""

    def frame_began(self) -> bool:
        """See whether to watch the frame that begins, and say so. None of these three ever raises into the game."""
        self._turn.begin_frame()
        if self._has_steps:
            self._steps.begin_frame()
        if self._looked_past > 0:
            self._looked_past -= 1
            return False
        try:
            self._begin()
        except Exception:
            self._give_up()
        return bool(self.watched)

    def _give_up(self) -> None:
        self._recorder.say("the functions of the game's loop could not be looked at", "warning")
        if self._depths:
            sys.setprofile(None)
        self.watched, self._calls, self._depths = [], [], set()

    def _begin(self) -> None:
        tells = _told_apart_by(_games_stack(2)) if threading.get_ident() == threading.main_thread().ident else ()
        if not tells:
            return
        key = tuple(map(id, tells))
        loop = self._loops.get(key)
        if loop is None:
            if len(self._loops) >= MOST_LOOPS:
                return
            loop = self._loops[key] = GameLoop()
            self._kept += tells
        # those between the last look and this one were most likely its own
        loop.frames += 1 if loop.watched < WATCHED else 1 + LOOKED_PAST
        if not loop.is_watched_now:
            self._looked_past = LOOKED_PAST
        elif sys.gettrace() is None and sys.getprofile() is None:
            loop.watch()
            self.watched = _games_stack()
            self._depths = {id(frame) for frame in self.watched}
            self._events, self._ends_ns = 0, time.perf_counter_ns() + MOST_NS
            sys.setprofile(self._profile)

    def waited(self) -> None:
        """Know, while a frame is watched, that what runs waits."""
        for frame in _games_stack() if self._depths else ():
            if id(frame) in self._depths:
                return
            self._waiting.add(frame.f_code)

    def frame_ended(self) -> None:
        """Watch no further: the frame's work is done."""
        if self._depths:
            self._depths = set()
            sys.setprofile(None)
            self._stack_at_end = _games_stack()

    def between_frames(self) -> None:
        """Look at what a watched frame called; no frame's time may pass by it."""
        if self.watched:
            self.frame_ended()
            try:
                self._judge(self._stack_at_end)
            except Exception:
                self._give_up()
            self.watched, self._stack_at_end, self._calls = [], [], []

    def _profile(self, frame: FrameType, event: str, argument: Any) -> None:
        self._events += 1
        if not self._events % LOOK_AT_CLOCK and time.perf_counter_ns() > self._ends_ns:
            sys.setprofile(None)
            return
        caller = frame.f_back
        if event != "call" or caller is None or self._is_elsewhere():
            return
        if id(caller) not in self._depths and caller.f_code not in self._turns:
            return
        code = frame.f_code
        if code in self._known or code.co_name.startswith(("<", "__")) or not is_games_own(code.co_filename):
            return
        if code.co_flags & (inspect.CO_GENERATOR | inspect.CO_COROUTINE | inspect.CO_ASYNC_GENERATOR):
            return
        self._calls.append(LoopCall.of(frame, caller))

    def _is_elsewhere(self) -> bool:
        return self._recorder.current_call() is not None or len(self._elsewhere) > 0

    def _judge(self, stack: list[FrameType]) -> None:
        """Count what the loop of the frame that ended called."""
        still = {id(frame) for frame in stack}
        loop_frame = next((frame for frame in self.watched if id(frame) in still), None)
        began = self._loops.get(tuple(map(id, _told_apart_by(self.watched))))
        if loop_frame is None or began is None:
            return
        made: dict[tuple[CodeType, int], list[LoopCall]] = {}
        for call in self._calls:
            caller, code = call.caller, call.code
            if caller is not loop_frame and caller.f_code not in began.turns and caller.f_code not in began.passes:
                continue
            is_method = is_method_of(call.first, code)
            made.setdefault((code, id(call.first) if is_method else 0), []).append(call)
            began.found.setdefault(code, (call.first, call.names))
            if is_method and call.first is not first_argument(caller):
                began.handed_on_by.setdefault(code, set()).add(caller.f_code)
        times: dict[CodeType, int] = {}
        for (code, _), calls in made.items():
            times[code] = max(times.get(code, 0), len(calls))
        for code, count in times.items():
            began.count(code, count)
        helpers = {code for (code, _), calls in made.items() if len({(call.site, call.given) for call in calls}) > 1}
        began.often |= helpers
        # within which the frame ends: a call of it would hold the waiting, and a part of the next frame
        ends = {frame.f_code for frame in stack[: stack.index(loop_frame)]}
        began.often |= ends
        # these, and what may hand on to others, are looked through
        handing_on = {code for code, count in times.items() if 1 < count <= MOST_HANDED_ON}
        for code in ends | handing_on:
            if len(began.passes) < MOST_PASSES:
                began.passes.add(code)
                self._turns.add(code)
        if began.watched >= WATCHED:
            self._record_found(began, loop_frame.f_code)

    def _record_found(self, loop: GameLoop, loop_code: CodeType) -> None:
        for code in (loop_code, *loop.passes):
            self._turn.stands_for(code, f"frame of {_name_of(loop_code)}")
            self._steps.stands_for(code, f"step of {_name_of(loop_code)}")
        found = loop.found_now(self._known)
        working = [code for code in found if code not in self._waiting]
        if len(working) == 1 and len(loop.turns) < DEEPEST and not loop.is_step(working[0]):
            turn = working[0]
            loop.turns.append(turn)
            self._turns.add(turn)
            self._known.add(turn)
            self._turn.stands_for(turn, self._turn.event_of(loop_code))
            self._steps.stands_for(turn, self._steps.event_of(loop_code))
            loop.is_turn_tried = True
            loop.begin_anew()
            return
        if len(working) < MANY and loop.is_turn_tried:  # no turn lies in it: it is the function itself
            found = loop.turns[:1]
            self._turns.difference_update(loop.turns)
            loop.turns.clear()
        loop.is_turn_tried = False
        modules = games_modules() if found else []
        for code in found:
            self._known.add(code)
            first, names = loop.found[code]
            turns = self._steps if code in loop.called and loop.is_step(code) else self._turn
            self._has_steps |= turns is self._steps
            replace(code, first, [names, *modules], functools.partial(self._recorded, turns))

    def _recorded(self, turns: LoopTurns, function: Callable[..., Any], is_method: bool) -> Callable[..., Any]:
        """Return a function that is recorded where it is called in a turn."""
        recorder, effects, names, sends = self._recorder, self._effects, self._names, turns.sends
        code = function.__code__
        place = f"{os.path.basename(code.co_filename)}:{code.co_firstlineno}"
        fn = function.__qualname__.rpartition("<locals>.")[2]
        module = os.path.splitext(os.path.basename(code.co_filename))[0]
        sample = effects.sample_of(function)

        def find(thing: Any) -> tuple[str, Callable[..., Any]]:
            owner = module if thing is None else names.of(thing)

            def slow(*args: Any, **kwargs: Any) -> Any:
                with recorder.call(sends[-1], None, owner, fn, place) as call:
                    return effects.run(call, function, *args, **kwargs)

            return owner, recorder.runner(sends, 0, owner, fn, place, function, sample, slow)

        return turns.function(function, is_method, names.known, module, find)


def _name_of(code: CodeType) -> str:
    """Return a loop's name: its function's, or its file's where it is in none."""
    name = getattr(code, "co_qualname", code.co_name)  # Python 3.10 knows the plain name only
    module = os.path.splitext(os.path.basename(code.co_filename))[0]
    return module if name == "<module>" else str(name).rpartition("<locals>.")[2]


def plain(function: Any) -> Any:
    """Return a function as the game wrote it, whether it is recorded or not."""
    return getattr(function, "opossum_plain", function)


def _games_stack(most: int = sys.maxsize) -> list[FrameType]:
    """Return the game's own frames of the running thread, innermost first, so many at most."""
    frame: FrameType | None = sys._getframe(1)
    stack: list[FrameType] = []
    while frame is not None and len(stack) < most:
        if is_games_own(frame.f_code.co_filename):
            stack.append(frame)
        frame = frame.f_back
    return stack


def _told_apart_by(stack: list[FrameType]) -> tuple[CodeType, ...]:
    """Return by what loops are told apart: who ends the frame, and who called that."""
    return tuple(frame.f_code for frame in stack[:2])
