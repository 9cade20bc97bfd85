"""pygame's event queue and timers: what is posted, what is taken, and where the game's loop handles it."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from types import FrameType
from typing import Any

from opossum_recorder.engines.describing import shown_value
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.pygame_ce.frames import PygameFrames
from opossum_recorder.engines.pygame_ce.handling import HandledLines, place_of
from opossum_recorder.halves import Call
from opossum_recorder.recorder import Recorder

QUEUE = "events"
LOOPS_OF_OTHERS = os.sep + "pgzero" + os.sep
"""An event loop that lies there hands its events on to functions that are recorded by themselves."""
MOST_POSTED = 70_000
"""Posted events are remembered until they are taken, at most as many as the engine's own queue holds."""


class PygameEvents:
    """Records what goes through the event queue."""

    def __init__(self, recorder: Recorder, names: ObjectNames, frames: PygameFrames) -> None:
        self._recorder, self._names, self._frames = recorder, names, frames
        self._lines = HandledLines()
        self.handled: list[_Handling] = []
        """The event that the game is at, if it took one and has not gone on: one at most."""
        self._posted: dict[int, tuple[Any, int]] = {}
        self._timers: dict[int, int] = {}

    def put_on(self, pygame: Any) -> None:
        """Patch the queue and the timers."""
        self._pygame = pygame
        self._watch_queue(pygame)
        self._watch_timers(pygame)

    def _watch_queue(self, pygame: Any) -> None:
        events, recorder, frames = self, self._recorder, self._frames
        post, get, wait, poll = pygame.event.post, pygame.event.get, pygame.event.wait, pygame.event.poll

        class Taken(list):
            """What `event.get` returns: a list whose loop tells where and how long each event was handled."""

            def __iter__(self) -> Iterator[Any]:
                handler = sys._getframe(1)
                for event in list.__iter__(self):
                    handling = events._handling(event, handler)
                    try:
                        yield event
                    finally:
                        handling.end()

        def recorded_post(event: Any) -> Any:
            number = recorder.send(event_name(pygame, event), via="queue", q=QUEUE, d=shown(event))
            accepted = post(event)
            if accepted is not False:
                recorder.put(QUEUE, number)
                if len(events._posted) < MOST_POSTED:
                    # the dictionary of a posted event comes back as the very same object
                    events._posted[id(event.__dict__)] = (event.__dict__, number)
            return accepted

        def recorded_get(*args: Any, **kwargs: Any) -> Any:
            if events.handled:
                events.end_handling()
            frames.begin_after_turn()
            frames.tell_phase("events")
            taken = get(*args, **kwargs)
            return Taken(taken) if taken else taken

        def told(event: Any) -> Any:
            if event.type != pygame.NOEVENT:
                # what is done with it is not known, but who took it is
                taker = sys._getframe(2)
                events.handled_at(events._arrived(event), taker, taker.f_lineno).__exit__(None, None, None)
            return event

        def recorded_wait(*args: Any, **kwargs: Any) -> Any:
            events.end_handling()
            frames.idle()
            event = wait(*args, **kwargs)
            frames.begin_after_turn()
            frames.tell_phase("events")
            return told(event)

        def recorded_poll() -> Any:
            events.end_handling()
            frames.begin_after_turn()
            frames.tell_phase("events")
            return told(poll())

        pygame.event.post, pygame.event.get = recorded_post, recorded_get
        pygame.event.wait, pygame.event.poll = recorded_wait, recorded_poll

    def _handling(self, event: Any, handler: FrameType) -> _Handling:
        """Begin to follow an event that the game's loop has come to."""
        self.end_handling()
        handling = _Handling(self, self._arrived(event))
        self.handled[:] = (handling,)
        if LOOPS_OF_OTHERS not in handler.f_code.co_filename:
            try:
                self._lines.follow(handler, event, handling.begin)
            except Exception:  # whatever the source of a game looks like
                self._lines.ended()
        return handling

    @property
    def current_send(self) -> int:
        """Return the send of the event that the game is at, 0 for none."""
        return self.handled[0].send if self.handled else 0

    def end_handling(self) -> None:
        """End the handling of an event that is still under way, if one is: the game has gone on."""
        if self.handled:
            self.handled[0].end()

    def _arrived(self, event: Any) -> int:
        """Tell of an event that was taken; return its send."""
        pygame, recorder = self._pygame, self._recorder
        posted = self._posted.pop(id(event.__dict__), None)
        if posted is not None and posted[0] is event.__dict__:
            recorder.pull(QUEUE, posted[1])
            return posted[1]
        name = event_name(pygame, event)
        arm = self._timers.get(event.type)
        if arm is not None:
            return recorder.send(name, via="timer", a=arm)
        edges = {pygame.KEYDOWN: "down", pygame.KEYUP: "up", pygame.MOUSEBUTTONDOWN: "down", pygame.MOUSEBUTTONUP: "up"}
        if event.type in edges:
            key = pygame.key.name(event.key) if hasattr(event, "key") else f"button {event.button}"
            return recorder.send(name, via="input", key=key, edge=edges[event.type])
        return recorder.send(name, d=shown(event))

    def handled_at(self, send: int, frame: FrameType, line: int) -> Call:
        """Begin the call of an event's handling, named by the function and the line that handles it."""
        code = frame.f_code
        own = frame.f_locals.get("self")
        module = os.path.splitext(os.path.basename(code.co_filename))[0]
        function = str(getattr(code, "co_qualname", code.co_name))  # Python 3.10 knows the plain name only
        function = function.removesuffix(".<locals>.<genexpr>").removesuffix(".<locals>.<listcomp>")
        function = module if function.startswith("<") else function.rpartition("<locals>.")[2]
        owner = self._names.of(own) if own is not None else module
        return self._recorder.call(send, None, owner, f"{function}:{line}", place_of(frame, line))

    def handling_ended(self) -> None:
        """Follow the event no further."""
        self.handled.clear()
        self._lines.ended()

    def _watch_timers(self, pygame: Any) -> None:
        set_timer = pygame.time.set_timer

        def recorded(event: Any, millis: int, loops: int = 0) -> Any:
            kind = event if isinstance(event, int) else event.type
            old = self._timers.pop(kind, None)
            if old is not None:
                self._recorder.disarm(old, "cleared")
            result = set_timer(event, millis, loops)
            if millis > 0:
                name = event_name(pygame, event if not isinstance(event, int) else pygame.event.Event(kind))
                self._timers[kind] = self._recorder.arm("timer", "", name, sec=millis / 1000, loop=loops != 1)
            return result

        pygame.time.set_timer = recorded


class _Handling:
    """One event between the game's loop having come to it and going on to the next."""

    def __init__(self, events: PygameEvents, send: int) -> None:
        self._events, self.send = events, send
        self._call: Call | None = None
        self._ended = False

    def begin(self, frame: FrameType, line: int) -> None:
        """Begin the call: this line handles the event."""
        try:
            self._call = self._events.handled_at(self.send, frame, line)
        except Exception:  # it is told while the game's own lines run
            self._call = None

    def end(self) -> None:
        """End the call, once, if anybody handled the event."""
        if self._ended:
            return
        self._ended = True
        self._events.handling_ended()
        if self._call is not None:
            self._call.__exit__(None, None, None)


def event_name(pygame: Any, event: Any) -> str:
    """Return an event's name; the game's own kinds are told apart by their number."""
    name = str(pygame.event.event_name(event.type))
    return f"{name} {event.type - pygame.USEREVENT}" if event.type >= pygame.USEREVENT else name


def shown(event: Any) -> dict[str, Any] | None:
    """Return what an event carries as short plain values, None for nothing."""
    return {name: shown_value(value) for name, value in list(event.__dict__.items())[:8]} or None
