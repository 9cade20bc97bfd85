"""What can be said of a game's functions and of what its events carry, without running any of its code."""

from __future__ import annotations

import functools
import os
from typing import Any

from opossum_recorder.game_code import is_games_own


def describe(function: Any) -> tuple[str, str]:
    """Return (qualified name, file:line) of a function or method, as far as it says."""
    inner = getattr(function, "__func__", function)
    code = getattr(inner, "__code__", None)
    name = getattr(inner, "__qualname__", None) or type(function).__name__
    name = name.rpartition("<locals>.")[2]
    return name, f"{os.path.basename(code.co_filename)}:{code.co_firstlineno}" if code is not None else ""


def shown(arguments: Any) -> list[str | int | float | bool | None] | None:
    """Return what an event carries as short plain values, None for nothing."""
    return [shown_value(value) for value in list(arguments)[:8]] or None


def shown_value(value: Any) -> str | int | float | bool | None:
    """Return a value as a plain one, or as its type's name where it cannot say what it is."""
    if value is None or isinstance(value, str | int | float | bool):
        return value
    try:
        return repr(value)[:80]
    except Exception:  # the game's own `__repr__`
        return f"<{type(value).__name__}>"


def is_game_function(function: Any) -> bool:
    """Say whether the game wrote a function or method; what cannot be told is taken to be the game's."""
    code = getattr(getattr(function, "__func__", function), "__code__", None)
    return code is None or is_games_own(code.co_filename)


def is_surely_games(function: Any) -> bool:
    """Say whether the game wrote a function, method, or what a partial function stands for; what cannot be told is not."""
    while isinstance(function, functools.partial):
        function = function.func
    code = getattr(getattr(function, "__func__", function), "__code__", None)
    return code is not None and is_games_own(code.co_filename)
