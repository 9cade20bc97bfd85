"""Names for a game's objects, for engines that have none: class and number, in the order they were first seen."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from opossum_recorder.recorder import Recorder


class ObjectNames:
    """Gives each object a name and tells the recorder of its beginning (where it is first seen) and its end."""

    def __init__(self, recorder: Recorder, on_new_class: Callable[[type], None] = lambda kind: None) -> None:
        """Begin without any; `on_new_class` is called with the class of every object that is first seen."""
        self._recorder = recorder
        self._on_new_class = on_new_class
        # objects are held on to: an id that is used again must not become another object's name
        self._known: dict[int, tuple[Any, str]] = {}
        self._counts: dict[str, int] = {}
        self._gone: set[int] = set()

    def of(self, thing: Any) -> str:
        """Return an object's name, telling of its beginning if it is new."""
        known = self._known.get(id(thing))
        if known is not None:
            return known[1]
        class_name = type(thing).__name__
        self._counts[class_name] = self._counts.get(class_name, 0) + 1
        name = f"{class_name.lower()}#{self._counts[class_name]}"
        self._known[id(thing)] = (thing, name)
        self._recorder.spawn(name, class_name)
        self._on_new_class(type(thing))
        return name

    def end(self, thing: Any) -> None:
        """Tell of an object's end, once; it keeps its name, for whoever calls it all the same."""
        known = self._known.get(id(thing))
        if known is not None and id(thing) not in self._gone:
            self._gone.add(id(thing))
            self._recorder.gone(known[1])
