"""Runs of a function recorded as calls, each of a send of its own: for games without a dispatcher."""

from __future__ import annotations

import functools
import os
from collections.abc import Callable
from typing import Any, TypeVar

from opossum_recorder.halves import Inner

Function = TypeVar("Function", bound=Callable[..., Any])


def recorded_runs(recorder: Inner, ev: str, o: str | Callable[..., str], via: str) -> Callable[[Function], Function]:
    """Return a decorator: every run of the function is one send of `ev` and one call, of the owner `o` or that `o` finds."""

    def decorate(function: Function) -> Function:
        place = getattr(function, "__code__", None)
        at = f"{os.path.basename(place.co_filename)}:{place.co_firstlineno}" if place else ""
        name = getattr(function, "__qualname__", "function")

        @functools.wraps(function)
        def recorded(*args: Any, **kwargs: Any) -> Any:
            try:
                owner = o(*args, **kwargs) if callable(o) else o
                call = recorder.call(recorder.send(ev, via=via), None, owner or name, name, at)
            except Exception:
                recorder._drop()
                return function(*args, **kwargs)
            with call:
                return function(*args, **kwargs)

        return recorded  # type: ignore[return-value]

    return decorate
