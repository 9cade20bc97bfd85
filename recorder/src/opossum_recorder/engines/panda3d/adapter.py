"""Records a Panda3D game: its messenger, its tasks, its frames.

What is known and how: sends, listeners, their order and durations from `Messenger`; ticks, delays and phases from
`TaskManager`; an object's end from its `destroy`, `cleanup` or `delete`, or when it is freed; what a call changed by
tracing a sample (see `effects`).  An object begins, for us, where it first listens.

Patched are classes of the engine's Python half, once a process, just after `ShowBase` was imported: earlier, the
engine would not see the game's own configuration any more.
"""

from __future__ import annotations

import functools
import inspect
import sys
from collections import Counter
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe, is_game_function, shown
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.panda3d.clips import PandaClips
from opossum_recorder.engines.panda3d.ursina_game import UrsinaGame
from opossum_recorder.game_code import is_games_own
from opossum_recorder.recorder import Recorder

WATCHED_MODULE = "direct.showbase.ShowBase"
"""The adapter is put on when this module has been imported."""

WAITING_PHASE = "draw and wait"
"""The engine draws, and may wait for the screen or its frame limit, inside one task of its own."""

HOUSEKEEPING = {"NewFrame", "event-loop-done", "collisionLoopFinished", "TaskManager-addTask", "TaskManager-removeTask"}
"""What the engine sends of its own in every frame; recorded where somebody listens."""

ENDINGS = ("destroy", "cleanup", "delete", "removeNode")


class PandaAdapter:
    """Puts the recorder into the engine's classes; one a process."""

    phases = ()
    waits = (WAITING_PHASE,)
    engine = "Panda3D"

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.names = ObjectNames(recorder, ENDINGS, ("direct.", "panda3d."))
        self.effects = Effects()
        self.clips = PandaClips(recorder, self.names, self.effects)
        self._ursina = UrsinaGame(recorder, self.names, self.effects)
        self._heard: Counter[str] = Counter()
        """How many of the game's own listeners are bound to each event."""
        self._binds: dict[tuple[str, int], int] = {}
        self._sends: list[int] = []
        self._waits: dict[str, list[tuple[int, Any]]] = {}
        self._from_engine = False
        self._frame = 0
        self._phase = ""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {WATCHED_MODULE: self.put_on, **self.clips.watched, **self._ursina.watched}

    def put_on(self) -> None:
        """Patch the messenger and the task manager."""
        from direct.showbase.EventManager import EventManager
        from direct.showbase.Messenger import Messenger
        from direct.task.Task import TaskManager

        self._watch_messenger(Messenger)
        self._watch_engine_events(EventManager)
        self._watch_waiting(Messenger)
        self._watch_tasks(TaskManager)

    # --- messenger ---------------------------------------------------------------------------------

    def _watch_messenger(self, messenger: type) -> None:
        recorder, binds, sends, effects = self.recorder, self._binds, self._sends, self.effects
        accept, ignore = messenger.accept, messenger.ignore  # type: ignore[attr-defined]
        ignore_all, send = messenger.ignoreAll, messenger.send  # type: ignore[attr-defined]

        def recorded_accept(
            own: Any, event: str, thing: Any, method: Any, extraArgs: Any = (), persistent: int = 1
        ) -> Any:
            if not callable(method) or not is_game_function(method):
                return accept(own, event, thing, method, list(extraArgs), persistent)
            owner, key = self.names.of(thing), (event, id(thing))
            function, place = describe(method)
            old = binds.pop(key, None)
            self._heard[event] += 1
            if old is not None:  # one method a pair of event and object: the new one takes the place
                self._unbind(event, old)
            via = "input" if self._button_of(event)[0] else ""
            number = binds[key] = recorder.bind(event, owner, function, at=place, via=via)

            def run(*args: Any) -> Any:
                if not persistent and binds.get(key) == number:
                    del binds[key]
                    self._unbind(event, number)
                with recorder.call(sends[-1] if sends else 0, number, owner, function) as call:
                    return effects.run(call, method, *args)

            run.__name__ = getattr(method, "__name__", "listener")
            called = run
            if persistent:
                sample = effects.sample_of(method)
                called = recorder.runner(sends, number, owner, function, "", method, sample, run)
            return accept(own, event, thing, called, list(extraArgs), persistent)

        def recorded_ignore(own: Any, event: str, thing: Any) -> Any:
            number = binds.pop((event, id(thing)), None)
            if number is not None:
                self._unbind(event, number)
            return ignore(own, event, thing)

        def recorded_ignore_all(own: Any, thing: Any) -> Any:
            for key in [key for key in binds if key[1] == id(thing)]:
                self._unbind(key[0], binds.pop(key))
            return ignore_all(own, thing)

        def recorded_send(own: Any, event: str, sentArgs: Any = (), taskChain: Any = None) -> Any:
            key, edge = self._key_of(event)
            if not self._heard[event] and event not in self._waits and not key:
                # the engine, and what is built upon it, among their own
                engines_own = not is_games_own(sys._getframe(1).f_code.co_filename)
                if engines_own or event in HOUSEKEEPING or own.whoAccepts(event):
                    return send(own, event, list(sentArgs), taskChain)
            if key:
                sends.append(recorder.send(event, via="input", key=key, edge=edge, d=shown(sentArgs)))
            else:
                sends.append(recorder.send(event, d=shown(sentArgs), via="queue" if taskChain else ""))
            if event in self._waits:
                self._meet(event, sends[-1])
            try:
                return send(own, event, list(sentArgs), taskChain)
            finally:
                sends.pop()

        for name, method in (
            ("accept", recorded_accept),
            ("ignore", recorded_ignore),
            ("ignoreAll", recorded_ignore_all),
            ("ignore_all", recorded_ignore_all),
            ("send", recorded_send),
        ):
            setattr(messenger, name, method)

    def _unbind(self, event: str, number: int) -> None:
        self._heard[event] -= 1
        self.recorder.unbind(number)

    # --- what the engine itself sends, and who waits -------------------------------------------------

    def _watch_engine_events(self, manager: Any) -> None:
        process = manager.processEvent

        def recorded(own: Any, event: Any) -> Any:
            self._from_engine = True
            try:
                return process(own, event)
            finally:
                self._from_engine = False

        manager.processEvent = recorded

    def _key_of(self, event: str) -> tuple[str, str]:
        """Return (key or button, edge) of an event that the engine sends for one, two empty texts for any other."""
        return self._button_of(event) if self._from_engine else ("", "")

    def _button_of(self, event: str) -> tuple[str, str]:
        """Return (key or button, edge) that an event of this name stands for, two empty texts for any other."""
        from panda3d.core import ButtonHandle, ButtonRegistry

        name, _, ending = event.rpartition("-")
        edge = {"up": "up", "repeat": "held"}.get(ending, "down")
        key = (event if edge == "down" else name).rpartition("-")[2] or "-"
        known = ButtonRegistry.ptr().findButton(key) != ButtonHandle.none()
        return (key, edge) if known else ("", "")

    def _watch_waiting(self, messenger: Any) -> None:
        future = messenger.future

        def recorded(own: Any, event: str) -> Any:
            made = future(own, event)
            caller = sys._getframe(1)
            thing = caller.f_locals.get("self")
            owner = self.names.of(thing) if thing is not None else caller.f_code.co_name.strip("<>")
            number = self.recorder.wait(owner, event)
            self._waits.setdefault(event, []).append((number, made))
            made.add_done_callback(lambda done: self._given_up(event, number, done))
            return made

        messenger.future = recorded

    def _meet(self, event: str, send: int) -> None:
        """Code that waits for an event goes on when the engine, not the game, sends it."""
        if self._from_engine:
            for number, _ in self._waits.pop(event):
                self.recorder.met(number, send)

    def _given_up(self, event: str, number: int, done: Any) -> None:
        waiting = self._waits.get(event, [])
        if done.cancelled() and any(known == number for known, _ in waiting):
            self._waits[event] = [known for known in waiting if known[0] != number]
            self.recorder.quit(number)

    # --- tasks -------------------------------------------------------------------------------------

    def _watch_tasks(self, manager: type) -> None:
        recorder = self.recorder
        add, later, step = manager.add, manager.doMethodLater, manager.step  # type: ignore[attr-defined]

        def recorded_add(own: Any, what: Any, name: Any = None, *args: Any, **kwargs: Any) -> Any:
            delay = kwargs.get("delay")
            with self.effects.setting(what):
                return add(own, self._task(what, name, delay), name, *args, **kwargs)

        def recorded_later(own: Any, seconds: float, what: Any, name: Any, *args: Any, **kwargs: Any) -> Any:
            with self.effects.setting(what):
                return later(own, seconds, self._task(what, name, seconds), name, *args, **kwargs)

        def recorded_step(own: Any) -> Any:
            from direct.showbase.ShowBaseGlobal import globalClock

            self._phase = ""
            recorder.frame(self._frame, globalClock.getDt())
            self._frame += 1
            step(own)
            self.clips.look()
            recorder.idle()

        for alias in ("doMethodLater", "do_method_later"):
            if hasattr(manager, alias):
                setattr(manager, alias, recorded_later)
        manager.add, manager.step = recorded_add, recorded_step  # type: ignore[attr-defined]

    def _tell_phase(self, name: str) -> None:
        if name != self._phase:
            self._phase = name
            self.recorder.phase(name)

    def _task(self, what: Any, name: Any, delay: float | None) -> Any:
        """Return a task's function, recorded. Task objects and coroutines are left as they are."""
        if (
            not callable(what)
            or inspect.iscoroutinefunction(what)
            or (not hasattr(what, "__code__") and not hasattr(what, "__func__"))
        ):
            return what
        function, place = describe(what)
        if not is_game_function(what):
            phase = WAITING_PHASE if function.endswith("__igLoop") else function
            return self._engine_task(what, phase)
        recorder = self.recorder
        owner_object = getattr(what, "__self__", None)
        event = f"task {name or function}"
        arms: list[int] = []

        def arm() -> None:
            owner = self.names.of(owner_object) if owner_object is not None else ""
            arms.append(recorder.arm("delay", owner, event, sec=float(delay or 0), loop=False, at=place))

        if delay is not None:
            arm()

        @functools.wraps(what)
        def run(*args: Any, **kwargs: Any) -> Any:
            owner = self.names.of(owner_object) if owner_object is not None else function
            self._tell_phase("tasks")
            if delay is None:
                number = recorder.send(event, owner, via="tick")
            else:
                number = recorder.send(event, owner, via="delay", a=arms[-1])
            with recorder.call(number, None, owner, function, place) as call:
                result = self.effects.run(call, what, *args, **kwargs)
                if delay is not None and is_again(result):
                    arm()  # it sets itself again, from its own call
            return result

        return run

    def _engine_task(self, what: Callable[..., Any], phase: str) -> Callable[..., Any]:
        @functools.wraps(what)
        def run(*args: Any, **kwargs: Any) -> Any:
            self._tell_phase(phase)
            return what(*args, **kwargs)

        return run


def is_again(result: Any) -> bool:
    """Say whether a task asked to be run again after its delay."""
    from direct.task import Task

    return isinstance(result, int) and result == Task.again
