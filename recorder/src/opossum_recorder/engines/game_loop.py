"""What is known of one loop of a game: which of its frames were watched, and what they called how often."""

from __future__ import annotations

from types import CodeType, FrameType
from typing import Any, NamedTuple

WATCHED = 8
"""Frames of a loop that are watched at first."""
EVERY, SELDOM = 64, 512
"""One frame in so many is watched after that: closely, and when nothing new has been seen for long."""
LATER, MORE, MOST_CLOSE = 16, 6, 96
"""Frames that are watched closely after the first, after one that called something new, and in all."""
LOOKED_PAST = 3
"""Frames whose loop is not even asked for after one of a loop that is known: looking for it costs every frame."""
SHARE, LEAST_SEEN = 2, 3
"""A loop's function was called in one of so many watched frames at least since it was first seen, and in so many of them."""
MOST_STEPS = 4
"""Times a frame that a step is done usually, at most; one frame may have caught up with more."""


class LoopCall(NamedTuple):
    """One call that a watched frame's loop made: from where, of what, with which first argument, in which module.

    `given` tells calls of one step from calls for one thing after the other: a step is done for the same objects and whole
    numbers again, and how much time it is for, a fraction, may differ.
    """

    caller: FrameType
    site: int
    code: CodeType
    first: Any
    names: dict[str, Any]
    given: tuple[Any, ...]

    @classmethod
    def of(cls, frame: FrameType, caller: FrameType) -> LoopCall:
        """Return the call that a function's frame, just begun, is; what it was given is kept as what tells it from others."""
        code, local = frame.f_code, frame.f_locals
        values = [local.get(name) for name in code.co_varnames[: code.co_argcount]]
        given = (0.0 if type(value) is float else value if type(value) is int else id(value) for value in values)
        return cls(caller, caller.f_lasti, code, values[0] if values else None, frame.f_globals, tuple(given))


class GameLoop:
    """One loop: how many of its frames began, were watched, and in how many each function was called."""

    def __init__(self) -> None:
        self.frames = self.watched = 0
        self._next, self._close, self._closely_watched = 0, LATER, 0
        """The frame to be watched next, and how many are to be watched closely and were."""
        self.since: dict[CodeType, int] = {}
        """Which watched frame first called each function."""
        self.called: dict[CodeType, list[int]] = {}
        """How often each function was called in each watched frame that called it."""
        self.often: set[CodeType] = set()
        self.handed_on_by: dict[CodeType, set[CodeType]] = {}
        """Which functions called each method of an object that is not their own."""
        self.found: dict[CodeType, tuple[Any, dict[str, Any]]] = {}
        self.turns: list[CodeType] = []
        """The functions in which the loop's turn lies, the outer first."""
        self.passes: set[CodeType] = set()
        """Functions that the frame ends within, or that are called more than once and may hand on to what is not."""
        self.is_turn_tried = False
        """Whether the last of them was just found, and nothing of what it calls yet."""

    @property
    def is_watched_now(self) -> bool:
        """Whether this frame is one of those that are watched."""
        return self.watched < WATCHED or self.frames >= self._next

    def watch(self) -> None:
        """Count a frame that is watched, and say when the next is."""
        self.watched += 1
        if self.watched >= WATCHED:
            closely = self._close > 0 and self._closely_watched < MOST_CLOSE
            self._next = self.frames + (EVERY if closely else SELDOM)
            self._close -= closely
            self._closely_watched += closely

    def count(self, code: CodeType, times: int) -> None:
        """Count a function that the watched frame called so often; what is new makes for a closer look."""
        if code not in self.since:
            self.since[code] = self.watched
            self._close = max(self._close, MORE)
            if self.watched >= WATCHED and self._closely_watched < MOST_CLOSE:
                self._next = min(self._next, self.frames + EVERY)
        self.called.setdefault(code, []).append(times)

    def begin_anew(self) -> None:
        """Watch it as if it was new: it lies in another function."""
        self.watched, self.called, self.since = 0, {}, {}

    def found_now(self, known: set[CodeType]) -> list[CodeType]:
        """Return the functions, beside those known, that it calls in frame after frame, once or in a few steps."""
        found = [
            code
            for code, times in self.called.items()
            if code not in known
            and code not in self.often
            and len(times) >= LEAST_SEEN
            and len(times) * SHARE >= self.watched - self.since[code] + 1
            and sorted(times)[len(times) // 2] <= MOST_STEPS
        ]
        # a step is looked through, and is one only where it hands on to no other object
        within = set().union(*(self.handed_on_by.get(code, set()) for code in found))
        self.often |= {code for code in found if code in within and self.is_step(code)}
        return [code for code in found if code not in self.often]

    def is_step(self, code: CodeType) -> bool:
        """Say whether a frame may do it several times."""
        return max(self.called[code]) > 1


def first_argument(frame: FrameType) -> Any:
    """Return what a function was first given, as methods are their object; None where it takes nothing."""
    return frame.f_locals.get(frame.f_code.co_varnames[0]) if frame.f_code.co_argcount else None
