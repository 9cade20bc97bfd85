"""The part of the inner half in Python that tells of frames, and knows since when the game's thread moves on.

In C it lies in `_inner.c` with the rest.
"""

from __future__ import annotations

import contextlib
import math
import time
from collections.abc import Iterable
from typing import Any, Protocol

from opossum_recorder.encoding import LARGEST_NUMBER, QuotedTexts, StepTexts, field_text


class FrameTimes(Protocol):
    """What measures a frame (see `thread_times`)."""

    def begin(self) -> object:
        """Begin a frame."""

    def told(self) -> str:
        """End it; return the fields of `idle`."""


class FrameContext:
    """One frame, as a context: its work is done where the block ends, unless by an error."""

    __slots__ = ("_inner",)

    def __init__(self, inner: WatchedFrames) -> None:
        self._inner = inner

    def __enter__(self) -> None:
        return None

    def __exit__(self, *error: object) -> None:
        if error[0] is None:
            self._inner.idle()


class WatchedFrames:
    """Frames, their phases and ends, as lines that `_put` writes."""

    attributes: Any
    """What Opossum asks for; has it read what it is asked for before a frame ends."""

    def __init__(self) -> None:
        """Begin before the first frame, with nobody who measures."""
        self.moves_since_s: float | None = None
        """When the game's thread last moved on, by the monotonic clock; None while it waits, as it may."""
        self._look_again_s = math.inf
        """From when on `_look_again` is asked where the game's thread moves on or waits."""
        self._waiting_phases: frozenset[str] = frozenset()
        self._in_wait = False
        self._times: FrameTimes | None = None
        """Measures what the processor did for a frame."""
        self._steps = StepTexts()
        self._names = QuotedTexts()

    def _put(self, kind: str, fields: str) -> None:
        """Append one line."""
        raise NotImplementedError

    def _drop(self) -> None:
        """Count a record as lost."""
        raise NotImplementedError

    def flush(self) -> None:
        """Hand all lines so far to the sink."""
        raise NotImplementedError

    def frame(self, number: int, dt: float | None = None) -> FrameContext:
        """Begin frame `number`; used with `with`, it ends (`idle`) where the block ends."""
        try:
            if self._times is not None:
                self._times.begin()
            told = self._steps[dt] if type(dt) is float else field_text("dt", dt)
            plain = type(number) is int and 0 <= number <= LARGEST_NUMBER
            self._put("frame", (f',"n":{number}' if plain else field_text("n", number, "frame")) + told)
        except Exception:
            self._drop()
        self._in_wait = False
        self._watch_on()
        return FrameContext(self)

    def idle(self) -> None:
        """Say that the frame's work is done."""
        try:
            if self.attributes.asked:
                self.attributes.read()
            self._put("idle", self._times.told() if self._times is not None else "")
        except Exception:
            self._drop()
        self._watch_off()
        self.flush()

    def phase(self, name: str) -> None:
        """Say that a phase of the frame begins; in one that waits, nothing counts as stuck."""
        try:
            plain = type(name) is str and name
            self._put("phase", f',"name":{self._names[name]}' if plain else field_text("name", name, "phase"))
        except Exception:
            self._drop()
        if (type(name) is str and name in self._waiting_phases) is not self._in_wait:
            self._in_wait = not self._in_wait
            if self._in_wait:
                self._watch_off()
            else:
                self._watch_on()

    def _watch_on(self) -> None:
        """From here on the game's thread must move on."""
        self.moves_since_s = now = time.monotonic()
        self._look_again_if_due(now, moves=True)

    def _watch_off(self) -> None:
        """The game's thread waits, as it may."""
        self.moves_since_s = None
        self._look_again_if_due(time.monotonic(), moves=False)

    def _look_again_if_due(self, now: float, *, moves: bool) -> None:
        if now > self._look_again_s:
            with contextlib.suppress(Exception):  # nothing of it may be raised into the game
                self._look_again(moves)

    def _look_again(self, moves: bool) -> None:
        """Do what is due of watching the game's thread, which moves on or waits."""

    def _tell_of_frames(self, waiting_phases: Iterable[str], times: FrameTimes | None) -> None:
        """Know from now on in which phases the engine may wait, and who measures a frame."""
        self._waiting_phases, self._times = frozenset(waiting_phases), times
