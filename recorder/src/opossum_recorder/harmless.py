"""What built-in functions and types do to what they are given: nothing, something that comparing an object's own state
shows, or something else.
"""

from __future__ import annotations

import math
import time
from types import ModuleType
from typing import Any

_HARMLESS: set[Any] = {
    abs, all, any, bool, callable, chr, divmod, getattr, hasattr, hash, id, isinstance, issubclass, len, max, min, ord,
    pow, repr, round, sorted, sum, time.time, time.monotonic, time.perf_counter,
    *(value for value in vars(math).values() if callable(value)),
}  # fmt: skip
HARMLESS_TYPES: set[Any] = {
    int, float, complex, bool, str, bytes, tuple, list, dict, set, frozenset, range, enumerate, zip, reversed, slice,
    object, type, super,
}  # fmt: skip
"""What calling them makes is new, and what they are given stays as it is."""
_HARMLESS_METHODS: dict[Any, set[str]] = {
    dict: {"get", "keys", "values", "items", "copy"},
    list: {"count", "index", "copy"},
    tuple: {"count", "index"},
    set: {"isdisjoint", "issubset", "issuperset", "union", "intersection", "difference", "copy"},
}
_VALUE_TYPES = {"Rect", "FRect", "Vector2", "Vector3", "Color"}
_READS = ("get_", "collide", "distance_", "length", "angle_")
"""How functions of pygame begin that only read."""
_SEEN_INSIDE = (list, dict, set, bytearray)
"""Collections whose own methods change nothing but them."""
_SEEN_BUILTINS: set[Any] = {setattr, delattr, next, iter, vars, dir, format, bin, hex, oct, ascii}


def is_value_type(kind: type) -> bool:
    """Say whether a type is one of an engine's small values: making one changes nothing."""
    return kind.__name__ in _VALUE_TYPES and kind.__module__.partition(".")[0] == "pygame"


def is_harmless(function: Any, owner: Any) -> bool:
    """Say whether a built-in function (of that object, for a method) changes nothing."""
    try:
        if function in _HARMLESS:
            return True
    except TypeError:
        return False
    if isinstance(owner, str | bytes | int | float):
        return True
    name = getattr(function, "__name__", "")
    if name in _HARMLESS_METHODS.get(type(owner), ()):
        return True
    module = owner.__name__ if isinstance(owner, ModuleType) else type(owner).__module__
    return isinstance(module, str) and module.partition(".")[0] == "pygame" and name.startswith(_READS)


def stays_inside(function: Any, owner: Any) -> bool:
    """Say whether what a built-in function that is not harmless changed is seen by comparing the owner's own state."""
    try:
        if function in _SEEN_BUILTINS:
            return True
    except TypeError:
        return False
    return isinstance(owner, _SEEN_INSIDE) or type(owner).__module__ in ("_random", "random", "_collections")
