"""Putting what records a function in its place: in its class, or in every module of the game that knows it."""

from __future__ import annotations

import sys
from collections.abc import Callable
from types import CodeType, FunctionType, ModuleType
from typing import Any

from opossum_recorder.game_code import INTERPRETERS, is_games_own


def is_method_of(first: Any, code: CodeType) -> bool:
    """Say whether a function is written in the class of what it was first given, or in one that it builds upon."""
    return any(_has_code(value, code) for base in type(first).__mro__ for value in vars(base).values())


def _has_code(value: Any, code: CodeType) -> bool:
    """Say whether a value is the function with that code; what is no function is not asked, for it might answer by running."""
    return isinstance(value, FunctionType) and value.__code__ is code


def games_modules() -> list[dict[str, Any]]:
    """Return the names of each of the game's own modules."""
    # past the modules' own ways of telling: one that is loaded when it is first touched must not be
    modules = [module for module in list(sys.modules.values()) if isinstance(module, ModuleType)]
    known: list[dict[str, Any]] = [object.__getattribute__(module, "__dict__") for module in modules]
    return [
        names
        for names in known
        if isinstance(path := names.get("__file__"), str) and not path.startswith(INTERPRETERS) and is_games_own(path)
    ]


def _class_of(code: CodeType, names: dict[str, Any]) -> tuple[type, ...]:
    """Return the class in which a function is written, by its name, nothing if there is none (or before Python 3.11)."""
    *path, _ = getattr(code, "co_qualname", code.co_name).split(".")
    thing: Any = names.get(path[0]) if path else None
    for name in path[1:]:
        thing = vars(thing).get(name) if isinstance(thing, type) else None
    return (thing,) if isinstance(thing, type) else ()


def replace(code: CodeType, first: Any, modules: list[dict[str, Any]], recorded: Callable[..., Any]) -> None:
    """Put what records a function in its place: in its class, or in every module of the game (the first is its own) that
    knows it.
    """
    bases = (*type(first).__mro__[:-1], *(first.__mro__[:-1] if isinstance(first, type) else ()))
    for base in (*bases, *_class_of(code, modules[0])):
        for name, value in list(vars(base).items()):
            if _has_code(value, code):
                setattr(base, name, recorded(value, is_method=True))
                return
            if isinstance(value, staticmethod | classmethod) and _has_code(value.__func__, code):
                setattr(base, name, type(value)(recorded(value.__func__, is_method=False)))
                return
    found = [value for value in modules[0].values() if _has_code(value, code)]
    if not found:
        return
    function, replaced = found[0], recorded(found[0], is_method=False)
    for known in modules:
        for name in [name for name, value in known.items() if value is function]:
            known[name] = replaced
