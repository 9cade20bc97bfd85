"""Prints what every enumeration of Qt holds: `python every_enum_of_qt.py usual`, or `quickly`."""

import enum
import json
import sys

from opossum_desk import quick_enums


def plain(value, own):
    """Return a value found in an enumeration, `own`, as JSON can hold it."""
    if value is own:
        return "itself"
    if isinstance(value, enum.Enum):
        place = getattr(value, "_sort_order_", None)
        return [type(value).__name__, value._name_, value._value_, place, value.__objclass__ is own if place else None]
    if isinstance(value, dict):
        return [[plain(key, own), plain(item, own)] for key, item in value.items()]
    if isinstance(value, list | tuple):
        return [plain(item, own) for item in value]
    if isinstance(value, staticmethod | classmethod):
        return [type(value).__name__, plain(value.__func__, own)]
    if value is None or isinstance(value, str | int):
        return value
    return [type(value).__name__, getattr(value, "__qualname__", "")]


def described(made):
    """Return all that an enumeration holds and does."""
    held = {key: plain(item, made) for key, item in vars(made).items() if key not in ("__dict__", "__weakref__")}
    members = list(made)
    joined = [member for one in members for member in (~one, one | members[0])] if issubclass(made, enum.Flag) else []
    return {
        "name": f"{made.__module__}.{made.__qualname__}",
        "bases": [base.__name__ for base in made.__mro__],
        "held": held,
        "members": plain(members, made),
        "shown": [repr(member) for member in members],
        "joined": plain(joined, made),
    }


def enumerations(holder, depth=1):
    """Return the enumerations in a module or a class, by their ids."""
    found = {}
    for name in dir(holder):
        value = getattr(holder, name, None)
        if isinstance(value, enum.EnumType) and value.__module__.startswith("PySide6"):
            found[id(value)] = value
        elif isinstance(value, type) and depth and value.__module__.startswith("PySide6"):
            found |= enumerations(value, depth - 1)
    return found


if __name__ == "__main__":
    if sys.argv[1] == "quickly":
        quick_enums.begin()
    from PySide6 import QtCore, QtGui, QtWidgets

    found = {key: made for module in (QtCore, QtGui, QtWidgets) for key, made in enumerations(module).items()}
    told = sorted((described(made) for made in found.values()), key=lambda made: made["name"])
    print(
        json.dumps({"enumerations": told, "kinds made quickly": sorted(kind.__name__ for kind in quick_enums._empty)})
    )
