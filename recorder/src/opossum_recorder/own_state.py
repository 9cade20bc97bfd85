"""What can be seen of an object's own state, and of its module's globals: compared before and after a call.

Shallowly, and without running any of the game's code: the attributes themselves, and what the collections and small
values (a rectangle, a vector) among them hold.
"""

from __future__ import annotations

from collections import deque
from itertools import islice
from types import MemberDescriptorType
from typing import Any

MOST_ITEMS = 64
"""Items looked at of a collection, and attributes of an object."""
_PLAIN = (int, float, complex, bool, str, bytes, type(None))


def seen_of(owner: Any, names: dict[str, Any] | None = None) -> list[tuple[Any, Any]]:
    """Return what can be seen of an object and of a module's names: to be compared by `changes`."""
    seen: list[tuple[Any, Any]] = []
    attributes = getattr(owner, "__dict__", None)
    for of, values in (("owner", attributes), ("module", names)):
        if isinstance(values, dict):
            for name, value in islice(list(values.items()), 4 * MOST_ITEMS):
                seen.append(((of, name), _held(value)))
    for base in type(owner).__mro__:
        slots = base.__dict__.get("__slots__", ())
        for slot in (slots,) if isinstance(slots, str) else tuple(slots):
            member = base.__dict__.get(slot)
            if isinstance(member, MemberDescriptorType):
                try:
                    seen.append((("slot", slot), _held(member.__get__(owner))))
                except AttributeError:
                    seen.append((("slot", slot), None))
    return seen


def changes(before: list[tuple[Any, Any]], after: list[tuple[Any, Any]]) -> int:
    """Return how many attributes differ."""
    was, now = dict(before), dict(after)
    return sum(name not in was or name not in now or was[name] != now[name] for name in was.keys() | now.keys())


def _held(value: Any) -> tuple[Any, ...]:
    kind = type(value)
    if kind in _PLAIN:
        return (kind, repr(value) if kind is float else value)
    if kind is dict:
        return (id(value), len(value), *(entry for pair in islice(value.items(), MOST_ITEMS) for entry in _flat(pair)))
    if kind in (list, tuple, set, frozenset, deque, bytearray):
        return (id(value), len(value), *_flat(islice(value, MOST_ITEMS)))
    return (id(value), *_small(value))


def _flat(values: Any) -> list[Any]:
    return [value if type(value) in _PLAIN else id(value) for value in values]


def _small(value: Any) -> list[Any]:
    """Return the numbers of a small value of an extension's type, such as a rectangle: no code of the game's runs."""
    kind = type(value)
    if kind.__module__ == "builtins" or not hasattr(kind, "__len__") or _runs_python(kind):
        return []
    try:
        return _flat(islice(value, MOST_ITEMS)) if len(value) <= MOST_ITEMS else []
    except Exception:
        return []


def _runs_python(kind: type) -> bool:
    return any(hasattr(getattr(kind, name, None), "__code__") for name in ("__len__", "__iter__", "__getitem__"))
