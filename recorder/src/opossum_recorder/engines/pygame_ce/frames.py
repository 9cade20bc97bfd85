"""Frames and phases of a pygame game: what lies between two ticks of a clock, or two pictures; what in it waits.

A game, or a part of one, that ticks no clock has a frame from where it asks for events after it has shown a picture, or
waited, to where it does so again; pictures that follow each other without that, as in a fade, are frames of their own.
Showing a picture may wait for the screen, so it is a phase that waits, as is `time.wait`.
"""

from __future__ import annotations

import functools
import threading
import time
from collections.abc import Callable
from typing import Any

from opossum_recorder.recorder import Recorder

WAITING_PHASE = "wait"
SHOWING_PHASE = "display"
WAITS = (WAITING_PHASE, SHOWING_PHASE)
PICTURE_NS = 8_000_000
"""Pictures are shown at least so far apart; what is shown sooner is a part of the same."""
PHASE_AFTER_WAITING = "update"
"""What a game does after it waited where its frame had told no phase before."""


class PygameFrames:
    """Tells the recorder of frames, phases and waiting.

    `began` is told of each frame that begins, `ended` of each whose work is done, `between` when no frame's time passes.
    """

    def __init__(
        self, recorder: Recorder, began: Callable[[], None], ended: Callable[[], None], between: Callable[[], None]
    ) -> None:
        self._recorder, self._began, self._ended, self._between = recorder, began, ended, between
        self._frame = -1
        self._clocked = self._turned = False
        self._turns = 0
        """Pictures shown or waits over, and events asked for after them, since a clock last ticked."""
        self._phase = ""
        self._shown = 0
        """Pictures shown in this frame, and when the last was."""
        self._shown_ns = 0

    def put_on(self, pygame: Any) -> None:
        """Patch clock, waits and display."""
        self._watch_clock(pygame)
        for name in ("wait", "delay"):
            setattr(pygame.time, name, self._waiting(getattr(pygame.time, name), WAITING_PHASE))
        for name in ("flip", "update"):
            setattr(pygame.display, name, self._showing(getattr(pygame.display, name)))
        pygame.quit = self._ending(pygame.quit)
        time.sleep = self._sleeping(time.sleep)

    def begin(self, dt: float | None = None) -> None:
        """Begin a frame."""
        self._between()
        self._frame += 1
        self._phase, self._shown = "", 0
        self._recorder.frame(self._frame, dt)
        self._began()

    def idle(self) -> None:
        """Say that a frame's work is done."""
        self._ended()
        self._recorder.idle()
        self._between()

    def begin_after_turn(self) -> None:
        """Begin a frame where events are asked for after a picture or a wait, if no clock says where frames begin."""
        if self._turned:
            self._turned = False
            self._turns += 1
            if self._turns > self._clocked:  # between two ticks of a clock, one picture is usual
                self.begin()

    def tell_phase(self, name: str) -> None:
        """Say what the frame does now; the first time, a frame begins."""
        if self._frame < 0:
            self.begin()
        if name != self._phase:
            self._phase = name
            self._recorder.phase(name)

    def _watch_clock(self, pygame: Any) -> None:
        frames, original = self, pygame.time.Clock

        class Clock:
            """Stands in for pygame's clock, which cannot be subclassed: ticking is where a frame ends and begins."""

            def __init__(self) -> None:
                self._clock = original()

            def tick(self, *args: Any, **kwargs: Any) -> int:
                return self._ticked(self._clock.tick, args, kwargs)

            def tick_busy_loop(self, *args: Any, **kwargs: Any) -> int:
                return self._ticked(self._clock.tick_busy_loop, args, kwargs)

            def _ticked(self, tick: Any, args: Any, kwargs: Any) -> int:
                if frames._frame < 0:
                    frames.begin()
                frames.idle()
                passed = tick(*args, **kwargs)
                frames._clocked, frames._turned, frames._turns = True, False, 0
                frames.begin(passed / 1000)
                return int(passed)

            def __getattr__(self, name: str) -> Any:
                return getattr(self._clock, name)

        pygame.time.Clock = Clock
        if hasattr(pygame, "Clock"):
            pygame.Clock = Clock

    def _waiting(self, function: Any, phase: str) -> Any:
        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            if self._frame < 0:  # it begins to play later
                return function(*args, **kwargs)
            before = self._phase or PHASE_AFTER_WAITING
            self.tell_phase(phase)
            try:
                return function(*args, **kwargs)
            finally:
                self._turned = True
                self.tell_phase(before)

        return run

    def _sleeping(self, sleep: Any) -> Any:
        """Return `time.sleep`, waiting where the loop itself sleeps: within a listener, it holds the game up."""
        waiting = self._waiting(sleep, WAITING_PHASE)

        @functools.wraps(sleep)
        def run(seconds: float) -> None:
            playing = threading.current_thread() is threading.main_thread() and self._recorder.current_call() is None
            (waiting if playing else sleep)(seconds)

        return run

    def _ending(self, function: Any) -> Any:
        """Return `pygame.quit`, past which no frame lasts: closing windows and sound takes its time, and is no freeze."""

        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            if self._frame >= 0:
                self.idle()
            return function(*args, **kwargs)

        return run

    def _showing(self, function: Any) -> Any:
        waiting = self._waiting(function, SHOWING_PHASE)

        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            # parts of one picture come close together
            now = time.perf_counter_ns()
            another = self._shown > self._clocked and now - self._shown_ns > PICTURE_NS
            if self._frame < 0 or another:
                self.begin()
            self._shown, self._shown_ns = self._shown + 1, now
            return waiting(*args, **kwargs)

        return run
