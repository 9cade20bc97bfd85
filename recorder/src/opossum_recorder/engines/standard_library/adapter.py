"""Records delays of Python's own library: `threading.Timer`, asyncio's `call_later`, `call_at` and `sleep`.

Only the game's own are: what a library sets for itself stays as it is.  How long code that slept goes on for is not known,
so its going on is a call of no length.
"""

from __future__ import annotations

import functools
import importlib
import os
import sys
import threading
from collections.abc import Callable
from types import FrameType
from typing import Any

from opossum_recorder.engines.describing import describe, is_surely_games
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.game_code import is_games_own
from opossum_recorder.recorder import Recorder


class StandardLibraryAdapter:
    """Puts the recorder into timers of threads and of asyncio's loops; one a process."""

    def __init__(self, recorder: Recorder) -> None:
        self._recorder = recorder
        self._names = ObjectNames(recorder)
        self._watch_threads()

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {"asyncio.base_events": self._watch_loops, "asyncio.tasks": self._watch_sleep}

    def _who(self, function: Any) -> tuple[str, str, str]:
        inner = function
        while isinstance(inner, functools.partial):
            inner = inner.func
        name, place = describe(inner)
        thing = getattr(inner, "__self__", None)
        return self._names.of(thing) if thing is not None else place.partition(".py:")[0] or "game", name, place

    def _arm(self, function: Any, seconds: float) -> int:
        """Tell of a delay that is set for one of the game's functions; 0 for any other."""
        if not is_surely_games(function):
            return 0
        owner, name, place = self._who(function)
        return self._recorder.arm("delay", owner, name, sec=float(seconds), loop=False, at=place)

    def _fire(self, arm: int, function: Any, args: Any, given: dict[str, Any]) -> Any:
        owner, name, place = self._who(function)
        number = self._recorder.send(name, owner, via="delay", a=arm)
        self._recorder.disarm(arm, "done")
        with self._recorder.call(number, None, owner, name, place):
            return function(*args, **given)

    # --- threads -------------------------------------------------------------------------------------

    def _watch_threads(self) -> None:
        kind: Any = threading.Timer
        start, cancel = kind.start, kind.cancel

        @functools.wraps(start)
        def recorded_start(own: Any) -> None:
            arm = self._arm(own.function, own.interval)
            if arm:
                own._opossum_arm = arm
                plain = own.function

                @functools.wraps(plain)
                def fire(*args: Any, **given: Any) -> Any:
                    own._opossum_arm = 0
                    return self._fire(arm, plain, args, given)

                own.function = fire
            start(own)

        @functools.wraps(cancel)
        def recorded_cancel(own: Any) -> None:
            arm = own.__dict__.pop("_opossum_arm", 0)
            if arm:
                self._recorder.disarm(arm, "cleared")
            cancel(own)

        kind.start, kind.cancel = recorded_start, recorded_cancel

    # --- asyncio -------------------------------------------------------------------------------------

    def _watch_loops(self) -> None:
        kind: Any = importlib.import_module("asyncio.base_events").BaseEventLoop
        handle: Any = importlib.import_module("asyncio.events").TimerHandle
        call_at, cancel = kind.call_at, handle.cancel
        armed: dict[Any, int] = {}

        @functools.wraps(call_at)
        def recorded_call_at(own: Any, when: float, callback: Any, *args: Any, **given: Any) -> Any:
            arm = self._arm(callback, max(0.0, when - own.time()))
            if not arm:
                return call_at(own, when, callback, *args, **given)

            @functools.wraps(callback)
            def fire(*fired: Any) -> Any:
                armed.pop(id(made), None)
                return self._fire(arm, callback, fired, {})

            made = call_at(own, when, fire, *args, **given)
            armed[id(made)] = arm
            return made

        @functools.wraps(cancel)
        def recorded_cancel(own: Any) -> None:
            arm = armed.pop(id(own), 0)
            if arm:
                self._recorder.disarm(arm, "cleared")
            cancel(own)

        kind.call_at, handle.cancel = recorded_call_at, recorded_cancel

    def _watch_sleep(self) -> None:
        tasks: Any = importlib.import_module("asyncio.tasks")
        sleep = tasks.sleep

        @functools.wraps(sleep)
        def recorded_sleep(delay: float, result: Any = None, **given: Any) -> Any:
            sleeper = sys._getframe(1)
            plain = sleep(delay, result, **given)
            return (
                self._slept(plain, delay, sleeper) if delay > 0 and is_games_own(sleeper.f_code.co_filename) else plain
            )

        tasks.sleep = recorded_sleep

    async def _slept(self, sleep: Any, delay: float, sleeper: FrameType) -> Any:
        """Sleep for a coroutine of the game's, and tell of it; cancelled, the delay is cleared."""
        code = sleeper.f_code
        own = sleeper.f_locals.get("self")
        module, place = (
            os.path.splitext(os.path.basename(code.co_filename))[0],
            f"{os.path.basename(code.co_filename)}:{sleeper.f_lineno}",
        )
        name = str(getattr(code, "co_qualname", code.co_name)).rpartition("<locals>.")[
            2
        ]  # 3.10 knows the plain name only
        del sleeper  # it holds the coroutine
        owner = self._names.of(own) if own is not None else module
        del own
        arm = self._recorder.arm("delay", owner, name, sec=float(delay), loop=False, at=place)
        try:
            result = await sleep
        except BaseException:
            self._recorder.disarm(arm, "cleared")
            raise
        number = self._recorder.send(name, owner, via="delay", a=arm)
        self._recorder.disarm(arm, "done")
        self._recorder.call(number, None, owner, name, place).__exit__(None, None, None)
        return result
