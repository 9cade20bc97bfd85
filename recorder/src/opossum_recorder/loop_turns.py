"""The turns of a game's loops: each is one send, and calls each of the loop's functions once (once for each object).

`_inner.c` has the same in C, and that takes this module's place where it was built; a test holds the two against each other.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable, Sized
from types import CodeType
from typing import Any, Protocol

MOST_OWNERS = 4096
"""Owners of one function whose runs are kept ready."""


class Sending(Protocol):
    """What turns ask of a recorder."""

    def send(self, ev: str, o: str = "", *, via: str = "") -> int:
        """Say that an event occurred; returns its id."""

    def current_call(self) -> int | None:
        """Return the id of the call this thread is in, or None."""


class LoopTurns:
    """Knows which code is a loop's, and which of its turns runs."""

    def __init__(self, recorder: Sending, elsewhere: Sized) -> None:
        """Begin without any loop; what runs while anything is in `elsewhere` is of no turn."""
        self._recorder, self._elsewhere = recorder, elsewhere
        self._events: dict[int, tuple[CodeType, str]] = {}
        """The event that stands for a turn, by the identity of its code: code is hashed by all it holds, which takes long."""
        self._ran: set[tuple[int, int]] = set()
        self._event = ""
        self.sends: list[int] = []
        """The send of the turn that runs; empty before the first of a frame."""

    def stands_for(self, code: CodeType, event: str) -> None:
        """Have an event stand for a turn of the loop that this code is, unless another does already."""
        self._events.setdefault(id(code), (code, event))

    def event_of(self, code: CodeType) -> str:
        """Return the event that stands for a turn of a loop; empty where the code is none."""
        return self._events.get(id(code), (code, ""))[1]

    def begin_frame(self) -> None:
        """Know that a frame begins, and a turn with it."""
        if self.sends:
            self._ran.clear()
            self.sends.clear()

    def takes(self, caller: CodeType, function: int, owner: int) -> bool:
        """Say whether a call is one of a turn: of a function, with an owner (both by their identity; 0: none).

        What a turn has called already begins the next one.
        """
        known = self._events.get(id(caller))
        if known is None or len(self._elsewhere) or self._recorder.current_call() is not None:
            return False
        event, called = known[1], (function, owner)
        if not self.sends or event != self._event or called in self._ran:
            self._ran.clear()
            self.sends[:] = (self._recorder.send(event, via="tick"),)
            self._event = event
        self._ran.add(called)
        return True

    def function(
        self,
        function: Callable[..., Any],
        is_method: bool,
        known: dict[int, tuple[Any, str]],
        owner: str,
        find: Callable[[Any], tuple[str, Callable[..., Any]]],
    ) -> Callable[..., Any]:
        """Return a function that is recorded where it is called in a turn, and is otherwise as the game wrote it.

        `known`: what objects are called, by identity (see `ObjectNames.known`); `owner`: whose it is where it is no method;
        `find` returns an object's name (None: the owner's) and what runs the function for it.
        """
        code_id = id(function.__code__)
        runs: dict[str, Callable[..., Any]] = {}

        @functools.wraps(function)
        def recorded(*args: Any, **kwargs: Any) -> Any:
            number = id(args[0]) if is_method and args else 0
            if not self.takes(sys._getframe(1).f_code, code_id, number):
                return function(*args, **kwargs)
            named = known.get(number)
            run = runs.get(owner if not number else named[1] if named is not None else "")
            if run is None:
                if len(runs) >= MOST_OWNERS:
                    runs.clear()
                try:
                    name, run = find(args[0] if number else None)
                except Exception:
                    return function(*args, **kwargs)
                runs[name] = run
            return run(*args, **kwargs)

        recorded.opossum_plain = function  # type: ignore[attr-defined]
        return recorded
