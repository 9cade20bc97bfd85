"""What can be said of a game's functions and of what its events carry, without running any of its code."""

from __future__ import annotations

import os
from typing import Any


def describe(function: Any) -> tuple[str, str]:
    """Return (qualified name, file:line) of a function or method, as far as it says."""
    inner = getattr(function, "__func__", function)
    code = getattr(inner, "__code__", None)
    name = getattr(inner, "__qualname__", None) or type(function).__name__
    name = name.rpartition("<locals>.")[2]
    return name, f"{os.path.basename(code.co_filename)}:{code.co_firstlineno}" if code is not None else ""


def shown(arguments: Any) -> list[str | int | float | bool | None] | None:
    """Return what an event carries as short plain values, None for nothing."""
    plain = [
        value if isinstance(value, str | int | float | bool | None) else repr(value)[:80]
        for value in list(arguments)[:8]
    ]
    return plain or None
