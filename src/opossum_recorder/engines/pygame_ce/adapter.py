"""Records a pygame-ce game: its clock, its event queue, its timers, its sprites.

pygame has no listeners: an event is handled where the game takes it from `event.get`, so what runs between one
event of that loop and the next is recorded as one call of the function that loops.  A group's `update` is a tick
that calls each sprite.  What an event's handling changed is not known; a sprite's update is traced now and then (see
`effects`).  A sprite begins, for us, where a group first updates it, and ends in `kill`.

A frame is what lies between two ticks of a clock.  A game, or a part of one, that ticks none has a frame from where it
asks for events after it has shown a picture to where it does so again.
"""

from __future__ import annotations

import functools
import os
import sys
from collections.abc import Callable, Iterator
from types import FrameType
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.recorder import Recorder

WATCHED_MODULE = "pygame"
QUEUE = "events"
WAITING_PHASE = "wait"
PHASE_AFTER_WAITING = "update"
"""What a game does after it waited where its frame had told no phase before."""
MOST_POSTED = 70_000
"""Posted events are remembered until they are taken, at most as many as the engine's own queue holds."""


class PygameAdapter:
    """Puts the recorder into pygame's modules; one a process."""

    waits = (WAITING_PHASE,)

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.effects = Effects()
        self._frame = -1
        self._clocked = self._shown = False
        self._pictures = 0
        """Pictures shown, and events asked for after them, since a clock last ticked."""
        self._posted: dict[int, tuple[Any, int]] = {}
        self._timers: dict[int, int] = {}
        self.names = ObjectNames(recorder)
        self._phase = ""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {WATCHED_MODULE: self.put_on}

    def put_on(self) -> None:
        """Patch clock, waits, events, timers, display and groups."""
        import pygame

        self._watch_clock(pygame)
        self._watch_waits(pygame)
        self._watch_events(pygame)
        self._watch_timers(pygame)
        self._watch_display(pygame)
        self._watch_sprites(pygame)

    # --- frames ------------------------------------------------------------------------------------

    def _begin_frame(self, dt: float | None = None) -> None:
        self._frame += 1
        self._phase = ""
        self.recorder.frame(self._frame, dt)

    def _begin_frame_after_picture(self) -> None:
        """Begin a frame where events are asked for after a picture was shown, if no clock says where frames begin."""
        if self._shown:
            self._shown = False
            self._pictures += 1
            if self._pictures > self._clocked:  # between two ticks of a clock, one picture is usual
                self._begin_frame()

    def _tell_phase(self, name: str) -> None:
        if self._frame < 0:
            self._begin_frame()
        if name != self._phase:
            self._phase = name
            self.recorder.phase(name)

    def _watch_clock(self, pygame: Any) -> None:
        adapter, original = self, pygame.time.Clock

        class Clock:
            """Stands in for pygame's clock, which cannot be subclassed: ticking is where a frame ends and begins."""

            def __init__(self) -> None:
                self._clock = original()

            def tick(self, *args: Any, **kwargs: Any) -> int:
                return self._ticked(self._clock.tick, args, kwargs)

            def tick_busy_loop(self, *args: Any, **kwargs: Any) -> int:
                return self._ticked(self._clock.tick_busy_loop, args, kwargs)

            def _ticked(self, tick: Any, args: Any, kwargs: Any) -> int:
                if adapter._frame < 0:
                    adapter._begin_frame()
                adapter.recorder.idle()
                passed = tick(*args, **kwargs)
                adapter._clocked, adapter._shown, adapter._pictures = True, False, 0
                adapter._begin_frame(passed / 1000)
                return int(passed)

            def __getattr__(self, name: str) -> Any:
                return getattr(self._clock, name)

        pygame.time.Clock = Clock
        if hasattr(pygame, "Clock"):
            pygame.Clock = Clock

    def _watch_waits(self, pygame: Any) -> None:
        for name in ("wait", "delay"):
            setattr(pygame.time, name, self._waiting(getattr(pygame.time, name)))

    def _waiting(self, function: Any) -> Any:
        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            if self._frame < 0:  # it begins to play later
                return function(*args, **kwargs)
            before = self._phase or PHASE_AFTER_WAITING
            self._tell_phase(WAITING_PHASE)
            try:
                return function(*args, **kwargs)
            finally:
                self._tell_phase(before)

        return run

    def _watch_display(self, pygame: Any) -> None:
        for name in ("flip", "update"):
            setattr(pygame.display, name, self._showing(getattr(pygame.display, name)))

    def _showing(self, function: Any) -> Any:
        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            self._tell_phase("display")
            self._shown = True
            return function(*args, **kwargs)

        return run

    # --- events ------------------------------------------------------------------------------------

    def _watch_events(self, pygame: Any) -> None:
        adapter, recorder = self, self.recorder
        post, get, wait, poll = pygame.event.post, pygame.event.get, pygame.event.wait, pygame.event.poll

        class Taken(list):
            """What `event.get` returns: a list whose loop tells how long each event was handled."""

            def __iter__(self) -> Iterator[Any]:
                handler = sys._getframe(1)
                for event in list.__iter__(self):
                    number, owner, function, place = adapter._arrived(pygame, event, handler)
                    with recorder.call(number, None, owner, function, place):
                        yield event

        def recorded_post(event: Any) -> Any:
            number = recorder.send(event_name(pygame, event), via="queue", q=QUEUE, d=shown(event))
            accepted = post(event)
            if accepted is not False:
                recorder.put(QUEUE, number)
                if len(adapter._posted) < MOST_POSTED:
                    # the dictionary of a posted event comes back as the very same object
                    adapter._posted[id(event.__dict__)] = (event.__dict__, number)
            return accepted

        def recorded_get(*args: Any, **kwargs: Any) -> Any:
            adapter._begin_frame_after_picture()
            adapter._tell_phase("events")
            return Taken(get(*args, **kwargs))

        def told(event: Any) -> Any:
            if event.type != pygame.NOEVENT:
                adapter._arrived(pygame, event, sys._getframe(2))
            return event

        def recorded_wait(*args: Any, **kwargs: Any) -> Any:
            recorder.idle()
            event = wait(*args, **kwargs)
            adapter._begin_frame_after_picture()
            adapter._tell_phase("events")
            return told(event)

        def recorded_poll() -> Any:
            adapter._begin_frame_after_picture()
            adapter._tell_phase("events")
            return told(poll())

        pygame.event.post, pygame.event.get = recorded_post, recorded_get
        pygame.event.wait, pygame.event.poll = recorded_wait, recorded_poll

    def _arrived(self, pygame: Any, event: Any, handler: FrameType) -> tuple[int, str, str, str]:
        """Tell of an event that is being handled; return its send and who handles it."""
        code = handler.f_code
        own = handler.f_locals.get("self")
        owner = self.names.of(own) if own is not None else code.co_name.strip("<>")
        place = f"{os.path.basename(code.co_filename)}:{handler.f_lineno}"
        posted = self._posted.pop(id(event.__dict__), None)
        if posted is not None and posted[0] is event.__dict__:
            self.recorder.pull(QUEUE, posted[1])
            return posted[1], owner, code.co_qualname, place
        name = event_name(pygame, event)
        arm = self._timers.get(event.type)
        if arm is not None:
            return self.recorder.send(name, via="timer", a=arm), owner, code.co_qualname, place
        edges = {pygame.KEYDOWN: "down", pygame.KEYUP: "up", pygame.MOUSEBUTTONDOWN: "down", pygame.MOUSEBUTTONUP: "up"}
        if event.type in edges:
            key = pygame.key.name(event.key) if hasattr(event, "key") else f"button {event.button}"
            number = self.recorder.send(name, via="input", key=key, edge=edges[event.type])
        else:
            number = self.recorder.send(name, d=shown(event))
        return number, owner, code.co_qualname, place

    def _watch_timers(self, pygame: Any) -> None:
        set_timer = pygame.time.set_timer

        def recorded(event: Any, millis: int, loops: int = 0) -> Any:
            kind = event if isinstance(event, int) else event.type
            old = self._timers.pop(kind, None)
            if old is not None:
                self.recorder.disarm(old, "cleared")
            result = set_timer(event, millis, loops)
            if millis > 0:
                name = event_name(pygame, event if not isinstance(event, int) else pygame.event.Event(kind))
                self._timers[kind] = self.recorder.arm("timer", "", name, sec=millis / 1000, loop=loops != 1)
            return result

        pygame.time.set_timer = recorded

    # --- sprites -----------------------------------------------------------------------------------

    def _watch_sprites(self, pygame: Any) -> None:
        import pygame.sprite as sprites

        recorder = self.recorder
        kill, idle_update = sprites.Sprite.kill, sprites.Sprite.update

        def recorded_update(group: Any, *args: Any, **kwargs: Any) -> None:
            self._tell_phase("update")
            number = recorder.send(f"{type(group).__name__} update", via="tick")
            for sprite in group.sprites():
                function = type(sprite).update
                if function is idle_update:  # the engine's own, which does nothing
                    continue
                code = getattr(function, "__code__", None)
                place = f"{os.path.basename(code.co_filename)}:{code.co_firstlineno}" if code is not None else ""
                with recorder.call(
                    number, None, self.names.of(sprite), getattr(function, "__qualname__", "update"), place
                ) as call:
                    self.effects.run(call, sprite.update, *args, **kwargs)

        def recorded_kill(sprite: Any) -> None:
            kill(sprite)
            self.names.end(sprite)

        for kind, name, method in (
            (sprites.AbstractGroup, "update", recorded_update),
            (sprites.Sprite, "kill", recorded_kill),
        ):
            setattr(kind, name, method)


def event_name(pygame: Any, event: Any) -> str:
    """Return an event's name; the game's own kinds are told apart by their number."""
    name = pygame.event.event_name(event.type)
    return f"{name} {event.type - pygame.USEREVENT}" if event.type >= pygame.USEREVENT else name


def shown(event: Any) -> dict[str, Any] | None:
    """Return what an event carries as short plain values, None for nothing."""
    plain = {
        name: value if isinstance(value, str | int | float | bool | None) else repr(value)[:80]
        for name, value in list(event.__dict__.items())[:8]
    }
    return plain or None
