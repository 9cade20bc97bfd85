"""ursina on top of Panda3D: what entities, scripts and the game itself do in `update` and `input`; sequences and delays.

The engine calls these functions by name; each is replaced, where the game wrote it, by one that is recorded, in its class
or in the object that holds it.  What they do for each other is their own: only what the engine calls is a call.
"""

from __future__ import annotations

import functools
import importlib
import inspect
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe, is_surely_games
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.game_code import is_games_own
from opossum_recorder.recorder import Recorder

UPDATE, INPUT = "update", "input"


class UrsinaGame:
    """Puts the recorder into ursina's loop, its sequences, and the ends of its entities."""

    def __init__(self, recorder: Recorder, names: ObjectNames, effects: Effects) -> None:
        self._recorder, self._names, self._effects = recorder, names, effects
        self._sends: dict[str, int] = {}
        """The send for which the engine now calls functions of each name."""
        self._inside: dict[str, int] = {}
        """The send whose call is running, by name: what that calls in turn is its own."""
        self._wrapped: set[tuple[type, str]] = set()
        self._invoked: Any = None
        self._turning: Any = None
        """The sequence that is being moved on."""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {
            "ursina.main": self._put_on_loop,
            "ursina.sequence": self._put_on_sequences,
            "ursina.ursinastuff": self._put_on_delays,
        }

    # --- update and input ----------------------------------------------------------------------------

    def _put_on_loop(self) -> None:
        main: Any = importlib.import_module("ursina.main")
        kind = _class_of(main.Ursina)
        update, give = kind._update, kind.input

        @functools.wraps(update)
        def recorded_update(own: Any, task: Any) -> Any:
            self._look_at(main, UPDATE)
            return self._during(UPDATE, self._recorder.send(UPDATE, via="tick"), update, own, task)

        @functools.wraps(give)
        def recorded_input(own: Any, key: Any, is_raw: bool = False) -> Any:
            self._look_at(main, INPUT)
            name, _, ending = str(key).rpartition(" ")
            edge = {"up": "up", "hold": "held"}.get(ending, "down")
            name = name if edge != "down" else str(key)
            # the engine hears each key twice, plain and raw, and leaves one of them alone
            used = is_raw or key not in getattr(main, "keyboard_keys", ())
            number = self._recorder.send(f"{INPUT} {key}", via="input", key=name, edge=edge) if used else 0
            return self._during(INPUT, number, give, own, key, is_raw)

        kind._update, kind.input = recorded_update, recorded_input

    def _during(self, name: str, send: int, function: Any, *args: Any) -> Any:
        before = self._sends.get(name, 0)
        self._sends[name] = send
        try:
            return function(*args)
        finally:
            self._sends[name] = before

    def _look_at(self, main: Any, name: str) -> None:
        """Have what the engine is about to call by this name recorded: the game's module, entities and their scripts."""
        game = vars(main.__main__)
        if inspect.isfunction(game.get(name)) and not hasattr(game[name], "opossum_plain"):
            game[name] = self._recorded(game[name], name, None)
        for entity in list(main.scene.entities):
            self._look_at_object(entity, name)
            for script in entity.__dict__.get("scripts", ()):
                self._look_at_object(script, name)

    def _look_at_object(self, thing: Any, name: str) -> None:
        kind = type(thing)
        if (kind, name) not in self._wrapped:
            self._wrapped.add((kind, name))
            for base in kind.__mro__:
                method = base.__dict__.get(name)
                if inspect.isfunction(method) and not hasattr(method, "opossum_plain"):
                    if is_games_own(method.__code__.co_filename):
                        setattr(base, name, self._recorded(method, name, None))
                    break
        own = getattr(thing, "__dict__", {}).get(name)
        if inspect.isroutine(own) and not hasattr(own, "opossum_plain") and is_surely_games(own):
            setattr(thing, name, self._recorded(own, name, thing))

    def _recorded(self, function: Any, name: str, holder: Any) -> Any:
        """Return what records a function; `holder`: the object that has it as an attribute, None for one of a class."""
        is_method = holder is None and inspect.isfunction(function) and function.__code__.co_varnames[:1] == ("self",)
        fn, place = describe(function)
        module = place.partition(".py:")[0] or "game"

        @functools.wraps(function)
        def recorded(*args: Any, **given: Any) -> Any:
            send = self._sends.get(name, 0)
            if not send or self._inside.get(name) == send:
                return function(*args, **given)
            thing = (
                args[0] if is_method and args else holder if holder is not None else getattr(function, "__self__", None)
            )
            owner = self._names.of(thing) if thing is not None else module
            before, self._inside[name] = self._inside.get(name, 0), send
            try:
                with self._recorder.call(send, None, owner, fn, place) as call:
                    return self._effects.run(call, function, *args, **given)
            finally:
                self._inside[name] = before

        recorded.opossum_plain = function  # type: ignore[attr-defined]
        return recorded

    # --- sequences -----------------------------------------------------------------------------------

    def _put_on_sequences(self) -> None:
        module: Any = importlib.import_module("ursina.sequence")
        kind, step = module.Sequence, module.Func
        start, update, kill, run = kind.start, kind.update, kind.kill, step.__call__

        @functools.wraps(start)
        def recorded_start(own: Any) -> Any:
            self._end(own, "cut")
            result = start(own)
            if self._invoked is None:
                self._begin(own)
            return result

        @functools.wraps(update)
        def recorded_update(own: Any) -> Any:
            if not own.started:
                return update(own)
            before, self._turning = self._turning, own
            own._opossum_ran = any(step.finished for step in own.funcs)
            try:
                return update(own)
            finally:
                self._turning = before
                # a new turn begins with no step done
                if own.loop and own._opossum_ran and not any(step.finished for step in own.funcs):
                    self._end(own, "end")
                    self._begin(own)
                elif own.t >= own.duration and not own.loop:
                    self._end(own, "end")

        @functools.wraps(kill)
        def recorded_kill(own: Any) -> Any:
            self._end(own, "cut")
            return kill(own)

        @functools.wraps(run)
        def recorded_run(own: Any) -> Any:
            return self._step(own, run)

        kind.start, kind.update, kind.kill, step.__call__ = recorded_start, recorded_update, recorded_kill, recorded_run

    def _begin(self, sequence: Any) -> None:
        marks = [(describe(step.func)[0], float(step.delay)) for step in sequence.funcs]
        if not any(is_surely_games(step.func) for step in sequence.funcs):
            return
        owner = self._names.of(sequence.entity) if sequence.entity else "game"
        clip = " ".join(name for name, _ in marks)[:80] or "sequence"
        sequence._opossum_play = self._recorder.play(owner, clip, float(sequence.duration), marks)

    def _end(self, sequence: Any, how: str) -> None:
        play, arm = sequence.__dict__.pop("_opossum_play", 0), sequence.__dict__.pop("_opossum_arm", 0)
        if play:
            length = float(sequence.duration)
            self._recorder.stop(play, how, length if how == "end" else round(min(float(sequence.t), length), 4))
        if arm:
            self._recorder.disarm(arm, "done" if how == "end" else "cleared")

    def _step(self, step: Any, run: Any) -> Any:
        """Run a step of a sequence as the call of its mark, or of the delay that it is."""
        sequence, function = self._turning, step.func
        if sequence is not None:
            sequence._opossum_ran = True
        if sequence is None or not is_surely_games(function):
            return run(step)
        name, place = describe(function)
        thing = getattr(function, "__self__", None)
        owner = self._names.of(thing) if thing is not None else place.partition(".py:")[0] or "game"
        arm, play = sequence.__dict__.get("_opossum_arm", 0), sequence.__dict__.get("_opossum_play", 0)
        if arm:
            number = self._recorder.send(name, owner, via="delay", a=arm)
        else:
            number = self._recorder.send(name, owner, via="clip", y=play, mark=name, pos=float(step.delay))
        with self._recorder.call(number, None, owner, name, place) as call:
            step.finished = True  # as the engine's own step says first
            return self._effects.run(call, function, *step.args, **step.kwargs)

    # --- delays and ends -----------------------------------------------------------------------------

    def _put_on_delays(self) -> None:
        module: Any = importlib.import_module("ursina.ursinastuff")
        invoke, destroy = module.invoke, module._destroy

        @functools.wraps(invoke)
        def recorded_invoke(function: Any, *args: Any, **given: Any) -> Any:
            delay = given.get("delay", 0)
            if not delay or not is_surely_games(function):
                return invoke(function, *args, **given)
            before, self._invoked = self._invoked, function
            try:
                with self._effects.setting(function):
                    sequence = invoke(function, *args, **given)
            finally:
                self._invoked = before
            name, place = describe(function)
            thing = getattr(function, "__self__", None)
            owner = self._names.of(thing) if thing is not None else place.partition(".py:")[0] or "game"
            sequence._opossum_arm = self._recorder.arm("delay", owner, name, sec=float(delay), loop=False, at=place)
            return sequence

        @functools.wraps(destroy)
        def recorded_destroy(entity: Any, *args: Any, **given: Any) -> Any:
            result = destroy(entity, *args, **given)
            self._names.end(entity)
            return result

        module.invoke, module._destroy = recorded_invoke, recorded_destroy


def _class_of(made: Any) -> Any:
    """Return the class that a decorator hides which makes one object only."""
    if inspect.isclass(made):
        return made
    cells = [cell.cell_contents for cell in getattr(made, "__closure__", None) or ()]
    return next((cell for cell in cells if inspect.isclass(cell)), made)
