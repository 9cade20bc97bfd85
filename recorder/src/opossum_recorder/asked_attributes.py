"""Attributes of objects that live, which Opossum asks for: read at the end of each frame and when the game is held.

Nothing of the game's runs for it: only what lies in an object's own dictionary or slots is read, never a property, never
`__getattr__`, never a `__repr__`.  While nothing is asked for it costs one look a frame.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable
from types import MemberDescriptorType
from typing import Any, Protocol

MOST_ASKED = 64
MOST_KNOWN = 1 << 16
"""Objects that a game's own code made known, at most."""
PLAIN = (int, float, str, bool, type(None))
SIZED = (list, tuple, dict, set, frozenset, bytes, bytearray)
LONGEST_TEXT = 400


class Watching(Protocol):
    """What reading attributes asks of a recorder."""

    def watch(self, o: str, name: str, v: float | str | bool) -> None:
        """Say that a watched value changed."""

    def say(self, text: str, level: str = "", o: str = "") -> None:
        """Record a log line."""


class _Missing:
    """Stands for an attribute that an object does not have, or that only code could tell."""


MISSING = _Missing()


def attribute_of(thing: Any, name: str) -> Any:
    """Return what lies under a name in an object's own dictionary or slots, `MISSING` where nothing does; runs none of its code."""
    try:
        values = object.__getattribute__(thing, "__dict__")
    except Exception:
        values = None
    if type(values) is dict and name in values:
        return values[name]
    for base in type.__getattribute__(type(thing), "__mro__"):
        member = base.__dict__.get(name, MISSING)
        if isinstance(member, MemberDescriptorType):
            try:
                return member.__get__(thing)
            except AttributeError:
                return MISSING
        if type(member) in PLAIN:
            return member  # a class's own value, which the object has not replaced
    return MISSING


def told_value(value: Any) -> float | str | bool:
    """Return a value as a stream tells it: numbers and texts as they are, what holds others by its size, else its class."""
    kind = type(value)
    if kind is str:
        return value[:LONGEST_TEXT]
    if kind in PLAIN:
        return "none" if value is None else value
    if kind in SIZED:
        return f"{kind.__name__} of {len(value)}"
    return f"a {kind.__name__}"


class AskedAttributes:
    """What is asked for of one recorder's game. `ask` and `forget` come from the link's thread, `read` from the game's."""

    def __init__(self, recorder: Watching) -> None:
        self._recorder = recorder
        self._finders: list[Callable[[str], Any]] = [self._known_by_hand]
        self._known: dict[str, Any] = {}
        self.asked: dict[int, tuple[str, str]] = {}
        """By number, the object's name and the attribute's; replaced whole, so that both threads may look."""
        self._last: dict[int, Any] = {}

    def find_by(self, finder: Callable[[str], Any]) -> None:
        """Let objects be found by a function that returns the object of a name, or None."""
        self._finders.append(finder)

    def know(self, o: str, thing: Any) -> None:
        """Let an object be found by its name; it is held weakly, where it can be."""
        if len(self._known) < MOST_KNOWN:
            try:
                self._known[o] = weakref.ref(thing)
            except TypeError:
                return  # it would live longer for being recorded

    def _known_by_hand(self, o: str) -> Any:
        held = self._known.get(o)
        return held() if held is not None else None

    def ask(self, told: dict[str, Any]) -> None:
        """Take in one line of Opossum's that asks for an attribute (`id`, `o`, `name`)."""
        number, o, name = told.get("id"), told.get("o"), told.get("name")
        if not isinstance(number, int) or not isinstance(o, str) or not isinstance(name, str):
            return
        if len(self.asked) >= MOST_ASKED and number not in self.asked:
            self._recorder.say(f"Opossum: {o} {name} is not watched: {MOST_ASKED} are watched already", "warning")
            return
        self._last.pop(number, None)
        self.asked = self.asked | {number: (o[:LONGEST_TEXT], name[:LONGEST_TEXT])}

    def forget(self, number: Any = None) -> None:
        """Ask for one no more; None: for nothing any more."""
        self.asked = {} if number is None else {key: asked for key, asked in self.asked.items() if key != number}

    def read(self) -> None:
        """Record what has changed of what is asked for; raises nothing."""
        for number, (o, name) in list(self.asked.items()):
            try:
                self._read_one(number, o, name)
            except Exception:
                self._last[number] = MISSING

    def _read_one(self, number: int, o: str, name: str) -> None:
        thing = next((found for finder in self._finders if (found := finder(o)) is not None), None)
        value = MISSING if thing is None else attribute_of(thing, name)
        told = MISSING if value is MISSING else told_value(value)
        before = self._last.get(number, self)
        if told is MISSING:
            if before is self:
                why = (
                    "is not known, or gone"
                    if thing is None
                    else f"has no `{name}` that can be read without running code"
                )
                self._recorder.say(f"Opossum: {o} {why}", "warning")
        elif type(told) is not type(before) or (told != before and (told == told or before == before)):  # NaN stays NaN
            self._recorder.watch(o, name, told)  # type: ignore[arg-type]
        self._last[number] = told
