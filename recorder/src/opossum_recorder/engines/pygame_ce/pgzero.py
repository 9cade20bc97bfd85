"""Pygame Zero on top of pygame: a game's `update`, `draw` and `on_…`, what its clock schedules, and its animations.

The engine holds scheduled functions weakly, and so do we.
"""

from __future__ import annotations

import functools
import importlib
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.pygame_ce.events import PygameEvents, event_name
from opossum_recorder.engines.pygame_ce.frames import PygameFrames
from opossum_recorder.game_code import is_games_own
from opossum_recorder.recorder import Recorder

FINISHED = "on_finished"


class _Handler:
    """A function that handles an event: looks to the engine like the game's own."""

    def __init__(self, run: Callable[..., Any], function: Any) -> None:
        self._run = run
        self.__code__ = function.__code__

    def __call__(self, **given: Any) -> Any:
        return self._run(**given)


class _Fired:
    """A scheduled function that is being run: equal to the function, so that the engine finds it again."""

    def __init__(self, run: Callable[..., Any], function: Any, event: Any = None) -> None:
        self._run, self.function, self.event = run, function, event

    def __call__(self, *args: Any) -> Any:
        return self._run(self.function, *args)

    def __eq__(self, other: object) -> bool:
        return bool(self.function == plain(other))

    def __hash__(self) -> int:
        return hash(self.function)


def plain(function: Any) -> Any:
    """Return a function as the game gave it."""
    return function.function if isinstance(function, _Fired) else function


class PygameZero:
    """Puts the recorder into Pygame Zero's game, clock and animations."""

    def __init__(
        self,
        recorder: Recorder,
        names: ObjectNames,
        effects: Effects,
        frames: PygameFrames,
        events: PygameEvents,
    ) -> None:
        self._recorder, self._names, self._effects = recorder, names, effects
        self._frames, self._events = frames, events
        self._delay = 0.0
        self._ticking = False

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {
            "pgzero.clock": self._put_on_clock,
            "pgzero.animation": self._put_on_animations,
            "pgzero.game": self._put_on_game,
        }

    def _who(self, function: Any) -> tuple[str, str, str]:
        thing = getattr(function, "__self__", None)
        name, place = describe(function)
        module = place.partition(".py:")[0] or "game"
        return self._names.of(thing) if thing is not None else module, name, place

    def _run(self, send: int, bind: int, function: Any, *args: Any, **given: Any) -> Any:
        owner, name, place = self._who(function)
        with self._recorder.call(send, bind, owner, name, place) as call:
            return self._effects.run(call, function, *args, **given)

    # --- update, draw, on_… --------------------------------------------------------------------------

    def _put_on_game(self) -> None:
        import pygame

        kind_of_game: Any = importlib.import_module("pgzero.game").PGZeroGame
        prepare, find_update, find_draw = (
            kind_of_game.prepare_handler,
            kind_of_game.get_update_func,
            kind_of_game.get_draw_func,
        )
        kinds = {name: kind for kind, name in kind_of_game.EVENT_HANDLERS.items()}

        @functools.wraps(prepare)
        def recorded_prepare(game: Any, handler: Any) -> Any:
            kind = kinds.get(getattr(handler, "__name__", ""))
            if kind is None or not hasattr(handler, "__code__"):
                return prepare(game, handler)
            owner, name, place = self._who(handler)
            bind = self._recorder.bind(
                event_name(pygame, pygame.event.Event(kind)),
                owner,
                name,
                at=place,
                via="" if name == "on_music_end" else "input",
            )

            def run(**given: Any) -> Any:
                return self._run(self._events.current_send, bind, handler, **given)

            return prepare(game, _Handler(run, handler))

        @functools.wraps(find_update)
        def recorded_update(game: Any) -> Any:
            return self._tick(game, "update", find_update(game))

        @functools.wraps(find_draw)
        def recorded_draw(game: Any) -> Any:
            return self._tick(game, "draw", find_draw(game))

        kind_of_game.prepare_handler = recorded_prepare
        kind_of_game.get_update_func, kind_of_game.get_draw_func = recorded_update, recorded_draw

    def _tick(self, game: Any, name: str, found: Any) -> Any:
        """Return what to run every frame instead of what the engine found in the game's module."""
        function: Any = getattr(game.mod, name, None)
        if found is None or not hasattr(function, "__code__"):
            return found
        owner, _, place = self._who(function)
        bind = self._recorder.bind(name, owner, name, at=place)
        takes = function.__code__.co_argcount

        def run(*args: Any) -> Any:
            self._frames.tell_phase(name)
            return self._run(self._recorder.send(name, via="tick"), bind, function, *args[:takes])

        return run

    # --- the clock -----------------------------------------------------------------------------------

    def _put_on_clock(self) -> None:
        clocks: Any = importlib.import_module("pgzero.clock")
        kind, plain_event, zero = clocks.Clock, clocks.Event, self

        class Event(plain_event):  # type: ignore[misc,valid-type]
            """A scheduled function with its timer or delay."""

            def __init__(self, time: float, cb: Any, repeat: float | None = None) -> None:
                plain_event.__init__(self, time, plain(cb), repeat)
                self.arm = cb.event.arm if isinstance(cb, _Fired) and cb.event is not None else zero._armed(cb, repeat)

            @property
            def callback(self) -> Any:
                function = self.cb()
                if function is None:
                    zero.disarm(self, "owner")
                    return None
                return _Fired(functools.partial(zero._fire, self), function, self) if zero._ticking else function

        clocks.Event = Event
        for name in ("schedule", "schedule_interval"):
            setattr(kind, name, self._scheduling(getattr(kind, name)))
        kind.unschedule = self._unscheduling(kind.unschedule)
        kind.each_tick = self._each_tick(kind.each_tick)
        tick = kind.tick

        @functools.wraps(tick)
        def recorded_tick(own: Any, dt: float) -> Any:
            self._ticking = True
            try:
                return tick(own, dt)
            finally:
                self._ticking = False

        kind.tick = recorded_tick
        for name in ("tick", "schedule", "schedule_interval", "schedule_unique", "unschedule", "each_tick"):
            setattr(clocks, name, getattr(clocks.clock, name))  # its own shorthands were made before

    def _scheduling(self, schedule: Any) -> Any:
        @functools.wraps(schedule)
        def recorded(own: Any, callback: Any, delay: float) -> Any:
            self._delay = float(delay)
            with self._effects.setting(plain(callback)):
                return schedule(own, callback, delay)

        return recorded

    def _armed(self, function: Any, repeat: float | None) -> int:
        """Tell of a timer or delay that is set."""
        function = plain(function)
        if not is_games_own(getattr(getattr(function, "__code__", None), "co_filename", "<")):
            return 0
        owner, name, place = self._who(function)
        what = "timer" if repeat is not None else "delay"
        return self._recorder.arm(what, owner, name, sec=self._delay, loop=repeat is not None, at=place)

    def disarm(self, event: Any, how: str) -> None:
        """Tell that a timer or delay will not fire again, once."""
        if event.arm:
            self._recorder.disarm(event.arm, how)
            event.arm = 0

    def _fire(self, event: Any, function: Any) -> Any:
        arm = event.arm
        if not arm:
            return function()
        owner, name, _ = self._who(function)
        number = self._recorder.send(name, owner, via="delay" if event.repeat is None else "timer", a=arm)
        if event.repeat is None:
            self.disarm(event, "done")
        return self._run(number, 0, function)

    def _unscheduling(self, unschedule: Any) -> Any:
        @functools.wraps(unschedule)
        def recorded(own: Any, callback: Any) -> Any:
            before, ticking = list(own.events), self._ticking
            self._ticking = False
            try:
                with self._effects.setting(plain(callback)):
                    result = unschedule(own, plain(callback))
            finally:
                self._ticking = ticking
            kept = {id(event) for event in own.events}
            for event in before:
                if id(event) not in kept:
                    self.disarm(event, "cleared")
            return result

        return recorded

    def _each_tick(self, each_tick: Any) -> Any:
        @functools.wraps(each_tick)
        def recorded(own: Any, callback: Any) -> Any:
            each_tick(own, callback)
            if is_games_own(getattr(getattr(callback, "__code__", None), "co_filename", "")):
                weak = own._each_tick.pop()

                def found() -> Any:
                    function = weak()
                    return None if function is None else _Fired(self._ticked, function)

                own._each_tick.append(found)

        return recorded

    def _ticked(self, function: Any, *args: Any) -> Any:
        _, name, _ = self._who(function)
        return self._run(self._recorder.send(name, via="tick"), 0, function, *args)

    # --- animations ----------------------------------------------------------------------------------

    def _put_on_animations(self) -> None:
        animation: Any = importlib.import_module("pgzero.animation").Animation
        begin, update, stop, plays = animation.__init__, animation.update, animation.stop, self
        recorder = self._recorder

        @functools.wraps(begin)
        def recorded_begin(own: Any, thing: Any, *args: Any, **given: Any) -> None:
            begin(own, thing, *args, **given)
            marks = [(FINISHED, float(own.duration))] if own.on_finished is not None else []
            clip = "animate " + ", ".join(sorted(own.targets))
            own._opossum_play = recorder.play(plays._names.of(thing), clip, float(own.duration), marks)

        @functools.wraps(update)
        def recorded_update(own: Any, dt: float) -> None:
            finished = own.on_finished
            own.on_finished = mark = functools.partial(plays._finished, own, finished)
            try:
                update(own, dt)
            finally:
                if own.on_finished is mark:
                    own.on_finished = finished

        @functools.wraps(stop)
        def recorded_stop(own: Any, complete: bool = False) -> None:
            stop(own, complete)
            if not complete or own.t < own.duration:
                plays._end(own, "cut", float(own.t))

        animation.__init__, animation.update, animation.stop = recorded_begin, recorded_update, recorded_stop

    def _finished(self, animation: Any, function: Any) -> None:
        """Tell of an animation's end, and run what the game wants to be run then."""
        play, length = getattr(animation, "_opossum_play", 0), float(animation.duration)
        if function is None:
            self._end(animation, "end", length)
            return
        number = self._recorder.send(
            FINISHED, self._names.of(animation.object), via="clip", y=play, mark=FINISHED, pos=length
        )
        try:
            self._run(number, 0, function)
        finally:
            self._end(animation, "end", length)

    def _end(self, animation: Any, how: str, position: float) -> None:
        play = getattr(animation, "_opossum_play", 0)
        if play:
            animation._opossum_play = 0
            self._recorder.stop(play, how, round(position, 4))
