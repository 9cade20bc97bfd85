"""Frames and phases of a pygame game: what lies between two ticks of a clock, or two pictures; what in it waits.

A game, or a part of one, that ticks no clock has a frame from where it asks for events after it has shown a picture, or
waited, to where it does so again; pictures that follow each other without that, as in a fade, are frames of their own, and
so is what only asks for events, for a while at a time: it does not hang.
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
TURN_NS = 40_000_000
"""A loop that asks for events again so long after its frame began has come round, whether it showed a picture or not; one
that a clock began has when it does so twice: it may ask late in a long frame.
"""
PHASE_AFTER_WAITING = "update"
"""What a game does after it waited where its frame had told no phase before."""


class PygameFrames:
    """Tells the recorder of frames, phases and waiting.

    `began` is told of each frame that begins, and says whether it is watched; `ended` of each whose work is done; `watched`
    after one that is watched, when no frame's time passes; `waited` of each waiting in one that is watched.

    Cost: a small game's frame lasts less than a millisecond and finds the processor's caches cold, so what happens in every
    frame calls as few functions as it can.
    """

    def __init__(
        self,
        recorder: Recorder,
        began: Callable[[], bool],
        ended: Callable[[], None],
        watched: Callable[[], None],
        waited: Callable[[], None],
    ) -> None:
        self._recorder, self._began, self._ended, self._watched = recorder, began, ended, watched
        self._waited = waited
        self._is_watched = self._is_open = False
        self._frame = -1
        self._clocked = self._turned = False
        self._turns = 0
        """Pictures shown or waits over, and events asked for after them, since a clock last ticked."""
        self._phase = ""
        self._shown = 0
        """Pictures shown in this frame, and when the last was."""
        self._shown_ns = self._late_ns = 0
        self._may_be_late = False

    def put_on(self, pygame: Any) -> None:
        """Patch clock, waits and display."""
        self._watch_clock(pygame)
        for name in ("wait", "delay"):
            setattr(pygame.time, name, self._waiting(getattr(pygame.time, name), WAITING_PHASE))
        for name in ("flip", "update"):
            setattr(pygame.display, name, self._waiting(getattr(pygame.display, name), SHOWING_PHASE, shows=True))
        pygame.quit = self._ending(pygame.quit)
        time.sleep = self._sleeping(time.sleep)

    def begin(self, dt: float | None = None) -> None:
        """Begin a frame; the work of one that no clock has ended is done then, and what it took of the processor is told."""
        if self._is_open:
            self.idle()
        self._frame += 1
        self._is_open = True
        self._late_ns, self._may_be_late = time.perf_counter_ns() + TURN_NS, dt is not None
        self._phase, self._shown = "", 0
        self._recorder.frame(self._frame, dt)
        self._is_watched = self._began()

    def idle(self) -> None:
        """Say that a frame's work is done."""
        self._is_open = False
        self._ended()
        if self._frame >= 0:  # before the first, the game is loading, and what it waits for is no end of that
            self._recorder.idle()
        if self._is_watched:
            self._is_watched = False
            self._watched()

    def begin_after_turn(self) -> None:
        """Begin a frame where events are asked for after a picture or a wait, if no clock says where frames begin, or once the
        last one's work is done or has lasted long."""
        if self._turned:
            self._turned = False
            self._turns += 1
            if self._turns > self._clocked:  # between two ticks of a clock, one picture is usual
                self.begin()
                return
        if self._frame < 0:
            return
        now = time.perf_counter_ns()
        if self._is_open and now > self._late_ns and self._may_be_late:
            self._late_ns, self._may_be_late = now + TURN_NS, False
        elif not self._is_open or now > self._late_ns:
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

        def ticking(method: str) -> Any:
            def tick(clock: Clock, *args: Any, **kwargs: Any) -> int:
                if frames._frame < 0:
                    frames.begin()
                frames.idle()
                passed: int = getattr(clock._clock, method)(*args, **kwargs)
                frames._clocked, frames._turned, frames._turns = True, False, 0
                frames.begin(passed / 1000)
                return passed

            return tick

        class Clock:
            """Stands in for pygame's clock, which cannot be subclassed: ticking is where a frame ends and begins."""

            def __init__(self) -> None:
                self._clock = original()

            tick = ticking("tick")
            tick_busy_loop = ticking("tick_busy_loop")

            def __getattr__(self, name: str) -> Any:
                return getattr(self._clock, name)

        pygame.time.Clock = Clock
        if hasattr(pygame, "Clock"):
            pygame.Clock = Clock

    def _waiting(self, function: Any, phase: str, *, shows: bool = False) -> Any:
        """Return a function that waits, as a phase of its own; one that shows a picture may begin a frame before it does."""
        tell = self._recorder.phase

        @functools.wraps(function)
        def run(*args: Any, **kwargs: Any) -> Any:
            if shows:
                now = time.perf_counter_ns()
                # parts of one picture come close together
                if self._frame < 0 or (self._shown > self._clocked and now - self._shown_ns > PICTURE_NS):
                    self.begin()
                self._shown, self._shown_ns = self._shown + 1, now
            elif self._frame < 0:  # it begins to play later
                return function(*args, **kwargs)
            elif self._is_watched:
                self._waited()
            before = self._phase or PHASE_AFTER_WAITING
            if phase != before:
                self._phase = phase
                tell(phase)
            try:
                return function(*args, **kwargs)
            finally:
                self._turned = True
                if self._phase != before:
                    self._phase = before
                    tell(before)

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
