"""pyglet's clock: what the game schedules, as ticks, timers and delays."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import is_game_function
from opossum_recorder.recorder import Recorder

FRAME_S = 0.05
"""What is scheduled at least this often turns with the frames."""


class _Scheduled:
    """A scheduled function: equal to the function, so that the game can still unschedule it."""

    def __init__(self, clock: PygletClock, function: Callable[..., Any], what: str, arm: int) -> None:
        self._clock, self.function = clock, function
        self.what, self.arm = what, arm
        self.turns = False
        """Whether it runs as often as frames do."""
        self.is_games = is_game_function(function)

    def __call__(self, dt: float, *args: Any, **kwargs: Any) -> Any:
        return self._clock.fire(self, dt, args, kwargs)

    def __eq__(self, other: object) -> bool:
        return self.function == (other.function if isinstance(other, _Scheduled) else other)

    def __hash__(self) -> int:
        return hash(self.function)


class PygletClock:
    """Puts the recorder into pyglet's clock.

    `who` tells the owner, name and place of a function, `begin_frame` begins a frame if none is under way.
    """

    def __init__(
        self,
        recorder: Recorder,
        effects: Effects,
        who: Callable[[Any], tuple[str, str, str]],
        begin_frame: Callable[[], None],
    ) -> None:
        self.recorder, self.effects, self._who, self._begin_frame = recorder, effects, who, begin_frame
        self._scheduled: list[_Scheduled] = []
        self.fired: Any = None
        """The window whose method is running that turns with the frames, if one is."""

    def put_on(self, clock: Any) -> None:
        """Patch the clock's class."""
        for name, what in (
            ("schedule", "tick"),
            ("schedule_once", "delay"),
            ("schedule_interval", "timer"),
            ("schedule_interval_soft", "timer"),
        ):
            setattr(clock, name, self._scheduling(getattr(clock, name), what))
        unschedule = clock.unschedule

        @functools.wraps(unschedule)
        def recorded_unschedule(own: Any, function: Any) -> Any:
            for item in [item for item in self._scheduled if item == function]:
                self._scheduled.remove(item)
                if item.arm:
                    self.recorder.disarm(item.arm, "cleared")
            with self.effects.setting(function):
                return unschedule(own, function)

        clock.unschedule = recorded_unschedule

    def _scheduling(self, schedule: Callable[..., Any], what: str) -> Callable[..., Any]:
        @functools.wraps(schedule)
        def recorded(own: Any, function: Any, *args: Any, **kwargs: Any) -> Any:
            if (getattr(function, "__module__", None) or "").startswith("pyglet."):
                return schedule(own, function, *args, **kwargs)
            arm, seconds = 0, 0.0
            if what != "tick":
                seconds = args[0] if args else kwargs.get("interval", kwargs.get("delay", 0))
            if what != "tick" and is_game_function(function):
                owner, name, place = self._who(function)
                arm = self.recorder.arm(what, owner, name, sec=float(seconds), loop=what == "timer", at=place)
            item = _Scheduled(self, function, what, arm)
            item.turns = what == "tick" or (what == "timer" and float(seconds) <= FRAME_S)
            self._scheduled.append(item)
            with self.effects.setting(function):
                return schedule(own, item, *args, **kwargs)

        return recorded

    def fire(self, item: _Scheduled, dt: float, args: Any, kwargs: Any) -> Any:
        """Run a scheduled function as one call of a send of its own."""
        self._begin_frame()
        if not item.is_games:
            return self._turn(item, dt, args, kwargs)
        owner, name, place = self._who(item.function)
        if item.what == "tick":
            number = self.recorder.send(name, owner, via="tick")
        else:
            number = self.recorder.send(name, owner, via=item.what, a=item.arm)
        if item.what == "delay":
            self._scheduled = [other for other in self._scheduled if other is not item]
            self.recorder.disarm(item.arm, "done")
        with self.recorder.call(number, None, owner, name, place) as call:
            before, self.fired = self.fired, _window_of(item.function) if item.turns else None
            try:
                return self.effects.run(call, item.function, dt, *args, **kwargs)
            finally:
                self.fired = before

    def _turn(self, item: _Scheduled, dt: float, args: Any, kwargs: Any) -> Any:
        """Run what an engine has scheduled that is built upon this one: what it tells the game comes with the frames."""
        before, self.fired = self.fired, _window_of(item.function) if item.turns else None
        try:
            return item.function(dt, *args, **kwargs)
        finally:
            self.fired = before


def _window_of(function: Any) -> Any:
    """Return the window whose method this is, or None: windows alone can flip."""
    thing = getattr(function, "__self__", None)
    return thing if hasattr(type(thing), "flip") else None
