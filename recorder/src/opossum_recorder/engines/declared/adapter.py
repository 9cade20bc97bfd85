"""Records dispatchers and functions that the user declared: binds, unbinds, sends and calls of the game's own classes.

A listener is what can be called among what a binding method is given (or what is decorated by what it returns); the
event is the first other thing it is given.  A call is a listener's run within a send of its dispatcher.
"""

from __future__ import annotations

import builtins
import enum
import functools
import sys
from collections.abc import Callable
from types import FrameType, FunctionType
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.declared.declarations import (
    MAIN,
    USUAL_NAMES,
    Dispatcher,
    Watched,
    declared_from_environment,
)
from opossum_recorder.engines.declared.trampoline import Run, divert
from opossum_recorder.engines.describing import describe, shown
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.recorder import Recorder

ENDINGS = ("destroy", "delete", "close", "kill")
MOST_LOOKED_AT = 200_000
"""Calls that are looked at to find functions of the main script, which is never done being imported."""


class _Bound:
    """One listener of one dispatcher: its bind, and whether it hears one send only."""

    __slots__ = ("event", "id", "number", "once", "owner")

    def __init__(self, dispatcher: int, event: Any, number: int, owner: str, once: bool) -> None:
        self.id, self.event, self.number, self.owner, self.once = dispatcher, event, number, owner, once


class _Delivery:
    """One send under way, whether a call of it runs, and how often each listener was called for it."""

    __slots__ = ("calling", "event", "heard", "id", "send")

    def __init__(self, dispatcher: int, event: Any, send: int) -> None:
        self.id, self.event, self.send, self.calling = dispatcher, event, send, False
        self.heard: dict[Any, int] = {}


class DeclaredAdapter:
    """Puts the recorder into what the user declared; one a process."""

    def __init__(self, recorder: Recorder) -> None:
        self._recorder = recorder
        self._names = ObjectNames(recorder, ENDINGS)
        self._effects = Effects()
        self._declared = declared_from_environment()
        self._bound: dict[Any, list[_Bound]] = {}
        """What each listener (see `_key`) is bound to."""
        self._under_way: list[_Delivery] = []
        self._diverted: set[Any] = set()
        self._is_binding = False
        self._frame = 0
        if MAIN in self._modules():
            self._watch_main()

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {module: functools.partial(self._put_on, module) for module in self._modules() - {MAIN}}

    def _modules(self) -> set[str]:
        declared = self._declared
        return {one.module for one in declared.dispatchers} | {one.module for one in self._functions()}

    def _functions(self) -> dict[Watched, Run]:
        """Return the functions to be diverted, each with what it is to go through."""
        functions: dict[Watched, Run] = dict.fromkeys(self._declared.watched, self._run_watched)
        if self._declared.frame is not None:
            functions[self._declared.frame] = self._run_frame
        return functions

    def _put_on(self, module: str) -> None:
        names = vars(sys.modules[module])
        for dispatcher in self._declared.dispatchers:
            if dispatcher.module == module:
                self._watch_dispatcher(dispatcher, _found(names, dispatcher.name))
        for watched, run in self._functions().items():
            if watched.module == module:
                self._watch_function(f"{module}:{watched.name}", _found(names, watched.name), run)

    def _watch_main(self) -> None:
        """Watch for classes of the main script as they are made, and for its functions as they are first called."""
        build: Any = builtins.__build_class__
        adapter = self

        @functools.wraps(build)
        def recorded_build(body: Any, name: str, *bases: Any, **given: Any) -> Any:
            made = build(body, name, *bases, **given)
            if isinstance(made, type) and made.__module__ == MAIN:
                for dispatcher in adapter._declared.dispatchers:
                    if dispatcher.module == MAIN and dispatcher.name == made.__qualname__:
                        adapter._watch_dispatcher(dispatcher, made)
                for watched, run in adapter._functions().items():
                    owner, _, method = watched.name.rpartition(".")
                    if watched.module == MAIN and owner == made.__qualname__:
                        adapter._watch_function(watched.name, made.__dict__.get(method), run)
            return made

        vars(builtins)["__build_class__"] = recorded_build
        functions = {
            one.name: run for one, run in self._functions().items() if one.module == MAIN and "." not in one.name
        }
        if functions and sys.getprofile() is None:
            looked = [0]

            def look(frame: FrameType, event: str, argument: Any) -> None:
                looked[0] += 1
                if event == "call" and frame.f_code.co_name in functions and frame.f_globals.get("__name__") == MAIN:
                    name = frame.f_code.co_name
                    self._watch_function(name, frame.f_globals.get(name), functions.pop(name))
                if not functions or looked[0] > MOST_LOOKED_AT:
                    sys.setprofile(None)
                    for name in functions:
                        self._recorder.say(f"{name} of the main script was declared, and was not called", "warning")

            sys.setprofile(look)

    # --- single functions ----------------------------------------------------------------------------

    def _watch_function(self, named: str, function: Any, run: Run) -> None:
        inner = getattr(function, "__func__", function)
        if not divert(inner, run):
            self._recorder.say(f"{named} was declared, but is no function that can be watched", "warning")

    def _run_watched(self, plain: Any, args: tuple[Any, ...], given: dict[str, Any]) -> Any:
        owner, name, place = self._who(plain, args)
        number = self._recorder.send(name, owner)
        with self._recorder.call(number, None, owner, name, place) as call:
            return self._effects.run(call, plain, *args, **given)

    def _run_frame(self, plain: Any, args: tuple[Any, ...], given: dict[str, Any]) -> Any:
        self._recorder.frame(self._frame)
        self._frame += 1
        try:
            return plain(*args, **given)
        finally:
            self._recorder.idle()

    def _who(self, plain: Any, args: tuple[Any, ...]) -> tuple[str, str, str]:
        name, place = describe(plain)
        is_method = plain.__code__.co_varnames[:1] == ("self",) and args
        return self._names.of(args[0]) if is_method else place.partition(".py:")[0] or "game", name, place

    # --- dispatchers ---------------------------------------------------------------------------------

    def _watch_dispatcher(self, dispatcher: Dispatcher, kind: Any) -> None:
        if not isinstance(kind, type):
            self._recorder.say(f"{dispatcher.module}:{dispatcher.name} was declared, but is no class", "warning")
            return
        ways = {"bind": self._binding, "once": self._binding_once, "unbind": self._unbinding, "send": self._sending}
        for does, make in ways.items():
            names = dispatcher.methods.get(does)
            found = [name for name in names or USUAL_NAMES[does] if isinstance(getattr(kind, name, None), FunctionType)]
            for name in found:
                setattr(kind, name, make(getattr(kind, name)))
            missing = [name for name in names or () if name not in found]
            if missing or (does in ("bind", "send") and not found):
                what = ", ".join(missing) or f"method that {does}s"
                self._recorder.say(f"{dispatcher.module}:{dispatcher.name} has no {what}", "warning")

    def _binding(self, method: Any, once: bool = False) -> Any:
        @functools.wraps(method)
        def recorded(own: Any, *args: Any, **given: Any) -> Any:
            event, listener = _event_and_listener(args, given)
            if self._is_binding:
                return method(own, *args, **given)  # one of its methods by another
            if listener is None:
                result = method(own, *args, **given)
                return self._decorating(own, event, result, once) if callable(result) else result
            self._bind(own, event, listener, once)
            self._is_binding = True
            try:
                return method(own, *args, **given)
            finally:
                self._is_binding = False

        return recorded

    def _binding_once(self, method: Any) -> Any:
        return self._binding(method, once=True)

    def _decorating(self, own: Any, event: Any, decorate: Any, once: bool) -> Any:
        """Return what binds the function that it decorates."""

        @functools.wraps(decorate)
        def recorded(listener: Any) -> Any:
            before = len(self._bound.get(_key(listener), ()))
            result = decorate(listener)
            if len(self._bound.get(_key(listener), ())) == before:  # it did so by none of the methods we know
                self._bind(own, event, listener, once)
            return result

        return recorded

    def _bind(self, own: Any, event: Any, listener: Any, once: bool) -> None:
        try:
            function = getattr(listener, "__func__", listener)
            key = _key(listener)
            if function not in self._diverted and divert(function, self._run_listener):
                self._diverted.add(function)
            name, place = describe(listener)
            thing = getattr(listener, "__self__", None)
            owner = self._names.of(thing) if thing is not None else place.partition(".py:")[0] or "game"
            number = self._recorder.bind(_event_name(event), owner, name, at=place)
            self._bound.setdefault(key, []).append(_Bound(id(own), _event_key(event), number, owner, once))
        except Exception:
            self._recorder.lost += 1

    def _unbinding(self, method: Any) -> Any:
        @functools.wraps(method)
        def recorded(own: Any, *args: Any, **given: Any) -> Any:
            result = method(own, *args, **given)
            event, listener = _event_and_listener(args, given)
            named = bool(args or given) and event is not None
            for key in [_key(listener)] if listener is not None else list(self._bound):
                self._unbind(key, lambda bound: bound.id == id(own) and (not named or bound.event == _event_key(event)))
            return result

        return recorded

    def _unbind(self, key: Any, fits: Callable[[_Bound], bool]) -> None:
        for bound in [bound for bound in self._bound.get(key, ()) if fits(bound)]:
            self._bound[key].remove(bound)
            self._recorder.unbind(bound.number)

    def _sending(self, method: Any) -> Any:
        @functools.wraps(method)
        def recorded(own: Any, *args: Any, **given: Any) -> Any:
            event = args[0] if args else next(iter(given.values()), None)
            delivery = self._under_way[-1] if self._under_way else None
            if delivery is not None and delivery.id == id(own) and not delivery.calling:
                return method(own, *args, **given)  # one of its methods by another
            told = shown((*args[1:], *given.values()))
            delivery = _Delivery(id(own), _event_key(event), self._recorder.send(_event_name(event), d=told))
            self._under_way.append(delivery)
            try:
                return method(own, *args, **given)
            finally:
                self._under_way.remove(delivery)

        return recorded

    def _run_listener(self, plain: Any, args: tuple[Any, ...], given: dict[str, Any]) -> Any:
        """Run a listener: as a call, if a send of what it is bound to is under way and none of its calls runs."""
        delivery = self._under_way[-1] if self._under_way else None
        if delivery is None or delivery.calling:
            return plain(*args, **given)
        is_method = plain.__code__.co_varnames[:1] == ("self",) and args
        key = (plain.__code__, id(args[0]) if is_method else 0)
        fitting = [b for b in self._bound.get(key, ()) if b.id == delivery.id and b.event == delivery.event]
        if not fitting:
            return plain(*args, **given)
        # one that is bound twice is called for each of its binds in turn
        times = delivery.heard[key] = delivery.heard.get(key, 0) + 1
        bound = fitting[min(times, len(fitting)) - 1]
        if bound.once:
            self._unbind(key, lambda other: other is bound)
        name, _ = describe(plain)
        delivery.calling = True
        try:
            with self._recorder.call(delivery.send, bound.number, bound.owner, name) as call:
                return self._effects.run(call, plain, *args, **given)
        finally:
            delivery.calling = False


def _found(names: dict[str, Any], path: str) -> Any:
    first, *rest = path.split(".")
    thing = names.get(first)
    for name in rest:
        thing = vars(thing).get(name) if isinstance(thing, type) else None
    return thing


def _event_and_listener(args: tuple[Any, ...], given: dict[str, Any]) -> tuple[Any, Any]:
    """Return what of a binding method's arguments is the event, and what listens; None for what is not there."""
    values = [*args, *given.values()]
    listener = next((value for value in reversed(values) if callable(value) and not isinstance(value, type)), None)
    event = next((value for value in values if value is not listener), None)
    return event, listener


def _key(listener: Any) -> Any:
    """Return what tells a listener from others: its function as written, and the object whose method it is."""
    function = getattr(listener, "__func__", listener)
    plain = getattr(function, "opossum_plain", function)
    thing = getattr(listener, "__self__", None)
    return getattr(plain, "__code__", id(listener)), 0 if thing is None else id(thing)


def _event_name(event: Any) -> str:
    """Return an event's name: it may be a text, a member of an enumeration, a class, or one of a class's objects."""
    if isinstance(event, str):
        return event
    if isinstance(event, enum.Enum):
        return event.name
    if isinstance(event, int | float | tuple):
        return str(event)[:80]
    return event.__name__ if isinstance(event, type) else type(event).__name__


def _event_key(event: Any) -> Any:
    """Return by what an event is known to be the one that was bound to."""
    return (event if isinstance(event, type) else type(event)).__qualname__ if not _is_plain(event) else event


def _is_plain(event: Any) -> bool:
    return isinstance(event, str | int | float | tuple | enum.Enum)
