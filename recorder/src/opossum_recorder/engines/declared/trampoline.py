"""A function that stays the very object it was, and has each of its runs go through ours.

Its code is replaced, not the function: whoever holds it, as a method, by a name that was imported, weakly or in a list,
runs the recorded one.  A function that encloses variables of another cannot be changed so, and is left as it is.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from types import FunctionType
from typing import Any

Run = Callable[[Any, tuple[Any, ...], dict[str, Any]], Any]
"""Called with the function as the game wrote it, and with what it was given."""


def _pattern(*args: Any, **kwargs: Any) -> Any:
    run: Any = "run"
    plain = "plain"
    return run(plain, args, kwargs)


_SUSPENDED = inspect.CO_GENERATOR | inspect.CO_COROUTINE | inspect.CO_ASYNC_GENERATOR


def divert(function: Any, run: Run) -> bool:
    """Have each run of a function go through `run`; say whether that can be done with this one."""
    if not isinstance(function, FunctionType) or function.__code__.co_freevars:
        return False
    code = function.__code__
    if code.co_flags & _SUSPENDED or hasattr(function, "opossum_plain"):
        return False
    plain = FunctionType(code, function.__globals__, function.__name__, function.__defaults__)
    plain.__kwdefaults__, plain.__qualname__ = function.__kwdefaults__, function.__qualname__
    plain.__module__ = function.__module__
    put_in = {"run": run, "plain": plain}
    pattern = _pattern.__code__
    constants = tuple(put_in.get(value, value) if isinstance(value, str) else value for value in pattern.co_consts)
    try:
        function.__signature__ = inspect.signature(function)  # type: ignore[attr-defined]
    except (TypeError, ValueError):
        return False
    function.opossum_plain = plain  # type: ignore[attr-defined]
    where: dict[str, Any] = {"co_name": code.co_name, "co_filename": code.co_filename}
    where["co_firstlineno"] = code.co_firstlineno
    if hasattr(code, "co_qualname"):
        where["co_qualname"] = code.co_qualname
    function.__code__ = pattern.replace(co_consts=constants, **where)
    return True
