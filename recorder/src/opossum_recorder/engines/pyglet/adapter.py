"""Records a pyglet 2 game: dispatched events, handlers on their levels, scheduled functions, posted events.

A turn of pyglet's loop may be empty, and input is delivered between two turns: a frame begins with the first event or
scheduled function after the last one ended, and ends where the turn's work does, so an empty turn leaves no record.
The engine guarantees no order between updates and drawing, so there are no phases but for showing the picture, which may
wait for the screen.  Handlers that are methods are held weakly by the engine, and stay so.  What the engine, or one that
is built upon it, tells and does among its own is not recorded: a send is, where the game sent it, where one of the game's
functions hears it, or where it is an input.
"""

from __future__ import annotations

import functools
import inspect
import sys
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe, is_game_function, shown
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.pyglet.arcade_sprites import ArcadeSprites
from opossum_recorder.engines.pyglet.clock import PygletClock
from opossum_recorder.game_code import is_games_own
from opossum_recorder.recorder import Recorder

QUEUE = "posted"
ENDINGS = ("delete", "close", "destroy")
INPUTS = {
    "on_key_press": "down",
    "on_key_release": "up",
    "on_mouse_press": "down",
    "on_mouse_release": "up",
    "on_mouse_motion": "held",
    "on_mouse_drag": "held",
    "on_mouse_scroll": "down",
    "on_text": "down",
    "on_text_motion": "down",
}


DRAWING = {"on_draw", "on_refresh"}
SHOWING_PHASE, WORKING_PHASE = "display", "update"


class _Send:
    """A send that is told where somebody hears it, or must know of it."""

    __slots__ = ("_make", "_number")

    def __init__(self, make: Callable[[], int]) -> None:
        self._make, self._number = make, 0

    def number(self) -> int:
        """Return the send's id, telling of it if nobody has yet."""
        if not self._number:
            self._number = self._make()
        return self._number


class _Recorded:
    """A plain function as a handler: equal to the function, so that the game can still take it away."""

    def __init__(self, adapter: PygletAdapter, function: Callable[..., Any]) -> None:
        self._adapter, self.function = adapter, function
        self.bind = 0
        functools.update_wrapper(self, function)

    def __call__(self, *args: Any) -> Any:
        return self._adapter.run(self.bind, self.function, args)

    def __eq__(self, other: object) -> bool:
        return self.function == (other.function if isinstance(other, _Recorded) else other)

    def __hash__(self) -> int:
        return hash(self.function)


class PygletAdapter:
    """Puts the recorder into pyglet's dispatchers, clock and loop; one a process."""

    waits = (SHOWING_PHASE,)

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.names = ObjectNames(recorder, ENDINGS, ("pyglet.",))
        self.effects = Effects()
        self._frame = -1
        self._in_frame = False
        self._sends: list[_Send] = []
        self._posted: dict[tuple[int, str], list[int]] = {}
        self._bound: dict[int, dict[tuple[int, str], tuple[Any, Any]]] = {}
        self._clock = PygletClock(recorder, self.effects, self._who, self._begin_frame)
        self._arcade = ArcadeSprites(recorder, self.names, self.effects)

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded: pyglet loads its own as they are first touched."""
        return {
            "pyglet.event": self._put_on_events,
            "pyglet.clock": self._put_on_clock,
            "pyglet.app.base": self._put_on_loop,
            "pyglet.window": self._put_on_windows,
            **self._arcade.watched,
        }

    def _put_on_events(self) -> None:
        from pyglet import event

        self._watch_handlers(event)
        self._watch_dispatch(event.EventDispatcher)

    def _put_on_clock(self) -> None:
        from pyglet.clock import Clock

        self._clock.put_on(Clock)

    def _put_on_loop(self) -> None:
        from pyglet.app.base import EventLoop, PlatformEventLoop

        self._watch_loop(EventLoop, PlatformEventLoop)

    def _put_on_windows(self) -> None:
        from pyglet import window

        kind: Any = window.Window
        flip = kind.flip

        @functools.wraps(flip)
        def recorded_flip(own: Any) -> Any:
            if not self._in_frame:
                return flip(own)
            self.recorder.phase(SHOWING_PHASE)
            try:
                return flip(own)
            finally:
                self.recorder.phase(WORKING_PHASE)

        kind.flip = recorded_flip

    # --- frames ------------------------------------------------------------------------------------

    def _begin_frame(self) -> None:
        if not self._in_frame:
            self._in_frame = True
            self._frame += 1
            self.recorder.frame(self._frame)

    def _watch_loop(self, loop: Any, platform: Any) -> None:
        adapter, idle, post = self, loop.idle, platform.post_event

        @functools.wraps(idle)
        def recorded_idle(own: Any) -> Any:
            try:
                return idle(own)
            finally:
                if adapter._in_frame:
                    adapter._in_frame = False
                    adapter.recorder.idle()

        @functools.wraps(post)
        def recorded_post(own: Any, dispatcher: Any, event: str, *args: Any) -> Any:
            if not is_games_own(sys._getframe(1).f_code.co_filename):
                return post(own, dispatcher, event, *args)  # the engine's own; told where the game hears it
            number = adapter.recorder.send(event, adapter.names.of(dispatcher), via="queue", q=QUEUE, d=shown(args))
            adapter.recorder.put(QUEUE, number)
            adapter._posted.setdefault((id(dispatcher), event), []).append(number)
            return post(own, dispatcher, event, *args)

        loop.idle, platform.post_event = recorded_idle, recorded_post

    # --- calls -------------------------------------------------------------------------------------

    def run(self, bind: int, function: Callable[..., Any], args: Any) -> Any:
        """Run a handler as one call of the send that is being dispatched."""
        owner, name, place = self._who(function)
        with self.recorder.call(self._sends[-1].number() if self._sends else 0, bind, owner, name, place) as call:
            return self.effects.run(call, function, *args)

    def _who(self, function: Callable[..., Any]) -> tuple[str, str, str]:
        thing = getattr(function, "__self__", None)
        name, place = describe(function)
        return self.names.of(thing) if thing is not None else function.__module__ or "game", name, place

    def _watch_dispatch(self, dispatcher: Any) -> None:
        adapter, dispatch = self, dispatcher.dispatch_event

        @functools.wraps(dispatch)
        def recorded_dispatch(own: Any, event: str, *args: Any) -> Any:
            adapter._begin_frame()
            waiting = adapter._posted.get((id(own), event))
            number = waiting.pop(0) if waiting else 0
            if number:
                adapter.recorder.pull(QUEUE, number)
            # what a window tells of its own scheduled method, and its drawing, come with every frame
            via = "tick" if own is adapter._clock.fired or event in DRAWING else ""
            send = _Send(lambda: number or adapter._send(own, event, via, args))
            if number or event in INPUTS or is_games_own(sys._getframe(1).f_code.co_filename):
                send.number()
            adapter._sends.append(send)
            shadowed = adapter._shadow(own, event)
            try:
                return dispatch(own, event, *args)
            finally:
                if shadowed:
                    own.__dict__.pop(event, None)
                adapter._sends.pop()

        dispatcher.dispatch_event = recorded_dispatch

    def _send(self, own: Any, event: str, via: str, args: Any) -> int:
        owner = self.names.of(own)
        if event in INPUTS:
            return self.recorder.send(event, owner, via="input", key=str(args[0]) if args else "", edge=INPUTS[event])
        return self.recorder.send(event, owner, via=via, d=shown(args))

    def _shadow(self, own: Any, event: str) -> bool:
        """Lay a recorded handler over the object's own method of that name, for as long as the event is dispatched."""
        attributes = getattr(own, "__dict__", None)
        method = getattr(type(own), event, None)
        if attributes is None or event in attributes or not inspect.isfunction(method):
            return False
        if not is_game_function(method):
            return False
        attributes[event] = functools.partial(self._run_own, getattr(own, event))
        return True

    def _run_own(self, method: Callable[..., Any], *args: Any) -> Any:
        return self.run(0, method, args)

    # --- handlers ----------------------------------------------------------------------------------

    def _watch_handlers(self, events: Any) -> None:
        adapter, weak, dispatcher = self, events.WeakMethod, events.EventDispatcher

        class RecordedWeakMethod(weak):  # type: ignore[misc,valid-type]
            """A weak method whose answer is recorded when it is run."""

            bind = 0

            def plain(self) -> Any:
                """Return the method itself, or None if its owner is dead."""
                return super().__call__()

            def __call__(self) -> Any:
                method = super().__call__()
                if method is None or not self.bind:
                    return method
                return functools.wraps(method)(lambda *args: adapter.run(self.bind, method, args))

            __hash__ = weak.__hash__

        events.WeakMethod = RecordedWeakMethod
        plain_set = dispatcher.set_handler

        @functools.wraps(plain_set)
        def set_handler(own: Any, name: str, handler: Any) -> None:
            recorded = inspect.isfunction(handler) and is_game_function(handler)
            plain_set(own, name, _Recorded(adapter, handler) if recorded else handler)
            adapter._compare(own)

        dispatcher.set_handler = set_handler
        for name in ("pop_handlers", "remove_handlers", "remove_handler", "_remove_handler"):
            setattr(dispatcher, name, self._comparing(getattr(dispatcher, name)))

    def _comparing(self, change: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(change)
        def changed(own: Any, *args: Any, **kwargs: Any) -> Any:
            try:
                return change(own, *args, **kwargs)
            finally:
                self._compare(own)

        return changed

    def _compare(self, dispatcher: Any) -> None:
        """Tell which handlers of a dispatcher are new and which are no more."""
        known = self._bound.setdefault(id(dispatcher), {})
        current = {
            (id(level), name): (handler, level)
            for level in dispatcher._event_stack
            for name, handler in level.items()
            if hasattr(handler, "bind")
        }
        for place, (handler, _) in list(known.items()):
            if current.get(place, (None,))[0] is not handler:
                self.recorder.unbind(handler.bind)
                del known[place]
        for place, (handler, level) in current.items():
            if place not in known:
                function = handler.function if isinstance(handler, _Recorded) else handler.plain()
                if function is None or not is_game_function(function):
                    continue
                owner, name, at = self._who(function)
                via = "input" if place[1] in INPUTS else ""
                handler.bind = self.recorder.bind(place[1], owner, name, self.names.of(dispatcher), at, via)
                known[place] = (handler, level)
