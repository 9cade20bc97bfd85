"""Names for a game's objects, for engines that have none: class and number, in the order they were first seen."""

from __future__ import annotations

import functools
import inspect
import weakref
from collections.abc import Callable, Sequence
from typing import Any

from opossum_recorder.recorder import Recorder


class ObjectNames:
    """Gives each object a name and tells the recorder of its beginning (where it is first seen) and its end.

    An object has ended when one of its class's own methods that end it has run, or when the interpreter has freed it:
    it is held by a weak reference only, so that nothing lives longer for being recorded.
    """

    def __init__(self, recorder: Recorder, endings: Sequence[str] = (), engines_own: tuple[str, ...] = ()) -> None:
        """Begin without any; `endings` are names of methods that end an object, in classes whose modules do not
        begin with one of `engines_own`.
        """
        self._recorder = recorder
        self._endings, self._engines_own = endings, engines_own
        self.known: dict[int, tuple[Any, str]] = {}
        """What holds each object that has a name, and the name, by the object's id."""
        self._counts: dict[str, int] = {}
        self._gone: set[int] = set()
        self._watched: set[type] = set()
        self._keys: dict[str, int] = {}
        recorder.attributes.find_by(self.thing_of)

    def of(self, thing: Any) -> str:
        """Return an object's name, telling of its beginning if it is new."""
        known = self.known.get(id(thing))
        if known is not None:
            return known[1]
        class_name = type(thing).__name__
        self._counts[class_name] = self._counts.get(class_name, 0) + 1
        name = f"{class_name.lower()}#{self._counts[class_name]}"
        key = id(thing)
        try:
            held: Any = weakref.ref(thing, lambda _: self._freed(key))
        except TypeError:
            held = thing  # its id must not become another object's name
        self.known[key] = (held, name)
        self._keys[name] = key
        self._recorder.spawn(name, class_name)
        self._watch_endings(type(thing))
        return name

    def thing_of(self, name: str) -> Any:
        """Return the object of a name while it is there, None afterwards and for a name that was never given."""
        known = self.known.get(self._keys.get(name, -1))
        if known is None or known[1] != name:
            return None
        return known[0]() if isinstance(known[0], weakref.ref) else known[0]

    def end(self, thing: Any) -> None:
        """Tell of an object's end, once; it keeps its name, for whoever calls it all the same."""
        known = self.known.get(id(thing))
        if known is not None and id(thing) not in self._gone:
            self._gone.add(id(thing))
            self._recorder.gone(known[1])

    def _freed(self, key: int) -> None:
        known = self.known.pop(key, None)
        if known is not None:
            self._keys.pop(known[1], None)
        if known is not None and key not in self._gone:
            self._recorder.gone(known[1])
        self._gone.discard(key)

    def _watch_endings(self, kind: type) -> None:
        """Have the ends of a class's objects told, where the class has a method for it."""
        if not self._endings:
            return
        for base in kind.__mro__[:-1]:
            if base in self._watched or base.__module__.startswith(self._engines_own):
                continue
            self._watched.add(base)
            for ending in self._endings:
                method = base.__dict__.get(ending)
                if inspect.isfunction(method):
                    setattr(base, ending, self._ending(method))

    def _ending(self, method: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(method)
        def ended(thing: Any, *args: Any, **kwargs: Any) -> Any:
            try:
                return method(thing, *args, **kwargs)
            finally:
                self.end(thing)

        return ended
