"""One event that is being handled: its call begins at the line that handles it, found by following the lines that test it.

Lines are followed by `sys.monitoring` where it exists, else by Python's trace function, and only of the functions that
test an event.  Where a debugger or coverage traces already, or the source is not there, the call begins where the event
is taken.
"""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable
from types import CodeType, FrameType
from typing import Any

from opossum_recorder.engines.pygame_ce.handled_places import (
    Places,
    called,
    event_parameter,
    places_of_function,
    places_of_loop,
)
from opossum_recorder.game_code import is_games_own
from opossum_recorder.monitoring import FOR_LINES, monitoring_as
from opossum_recorder.tracing import Trace

Begin = Callable[[FrameType, int], None]
"""Told of the frame and the line at which an event's handling begins."""
MOST_DEEP = 4
"""Functions that pass an event on to each other, at most."""


class HandledLines:
    """Follows one event at a time to the line that handles it."""

    def __init__(self) -> None:
        self._event: Any = None
        self._begin: Begin | None = None
        self._watched: dict[CodeType, Places] = {}
        self._monitoring = monitoring_as(FOR_LINES, "opossum_recorder.events")
        self._thread = threading.get_ident()
        self._traced: FrameType | None = None
        self._before: tuple[Any, Any] = (None, None)
        """What traced the thread and the frame before."""
        if self._monitoring is not None:
            events = self._monitoring.events
            self._monitoring.register_callback(FOR_LINES, events.LINE, self._line)

    def follow(self, handler: FrameType, event: Any, begin: Begin) -> None:
        """Have `begin` told, once, where the handling of an event begins that a frame has taken."""
        places = places_of_loop(handler.f_code, handler.f_lineno)
        if places is None or not self._may_trace():
            begin(handler, handler.f_lineno)
            return
        self._event, self._begin = event, begin
        self._watched = {handler.f_code: places}
        self._look_further(handler, places)
        if self._monitoring is not None:
            for code in self._watched:
                self._monitor(code)
            return
        effects = getattr(sys.gettrace(), "__self__", None)
        if isinstance(effects, Trace):
            effects.judged, effects.outside = False, True  # it does not see what comes now
        self._traced, self._before = handler, (sys.gettrace(), handler.f_trace)
        handler.f_trace = self._trace_line
        handler.f_trace_lines = True
        sys.settrace(self._trace_call)

    def ended(self) -> None:
        """Follow the event no further: it was handled, or nobody did."""
        self._event = self._begin = None
        if self._traced is not None:
            whole, of_frame = self._before
            sys.settrace(whole)
            # the frame is let go at once: it holds the loop, and with it whoever waits for the event's end
            self._traced.f_trace = of_frame
            self._traced, self._before = None, (None, None)

    def _may_trace(self) -> bool:
        if threading.get_ident() != self._thread:
            return False
        # what looks at a call's effects is ours, and makes room
        tracing = sys.gettrace()
        return self._monitoring is not None or tracing is None or isinstance(getattr(tracing, "__self__", None), Trace)

    def _look_further(self, frame: FrameType, places: Places) -> None:
        """Watch the functions to which an event may be passed on."""
        for line, names in places.passed_on.items():
            code = called(frame, names)
            if code is None or not is_games_own(code.co_filename) or len(self._watched) > MOST_DEEP:
                # nobody sees further: it is handled here
                own = self._watched[frame.f_code]
                self._watched[frame.f_code] = Places(own.begins | {line}, own.passed_on)
            elif code not in self._watched:
                self._watched[code] = Places(frozenset(), {})

    def _entered(self, frame: FrameType) -> None:
        """Learn where a function handles the event it was given."""
        code = frame.f_code
        parameter = event_parameter(code, frame, self._event)
        places = places_of_function(code, parameter) if parameter else None
        if places is None:
            self._found(frame, code.co_firstlineno)
        else:
            self._watched[code] = places
            self._look_further(frame, places)

    def _found(self, frame: FrameType, line: int) -> None:
        begin = self._begin
        if begin is not None:
            self.ended()
            begin(frame, line)

    # --- by the trace function -----------------------------------------------------------------------

    def _trace_call(self, frame: FrameType, event: str, argument: Any) -> Any:
        if self._begin is None or frame.f_code not in self._watched:
            return None
        try:
            self._entered(frame)
        except Exception:  # nothing of this may be raised into the game
            self._begin = None
        return self._trace_line if self._begin is not None else None

    def _trace_line(self, frame: FrameType, event: str, argument: Any) -> Any:
        if self._begin is None:
            return None
        places = self._watched.get(frame.f_code)
        if event == "line" and places is not None and frame.f_lineno in places.begins:
            self._found(frame, frame.f_lineno)
            return None
        return self._trace_line

    # --- by monitoring -------------------------------------------------------------------------------

    def _monitor(self, code: CodeType) -> None:
        events = self._monitoring.events
        if not self._monitoring.get_local_events(FOR_LINES, code):
            self._monitoring.set_local_events(FOR_LINES, code, events.LINE)

    def _line(self, code: CodeType, line: int) -> Any:
        if self._begin is None or threading.get_ident() != self._thread:
            return
        places = self._watched.get(code)
        if places is None:
            return
        try:
            self._reached(code, places, sys._getframe(1), line)
        except Exception:  # nothing of this may be raised into the game
            self._begin = None

    def _reached(self, code: CodeType, places: Places, frame: FrameType, line: int) -> None:
        if not places.begins and not places.passed_on:
            before = set(self._watched)
            self._entered(frame)
            for fresh in set(self._watched) - before:
                self._monitor(fresh)
            places = self._watched[code]
        if self._begin is not None and line in places.begins:
            self._found(frame, line)


def place_of(frame: FrameType, line: int) -> str:
    """Return `file:line`."""
    return f"{os.path.basename(frame.f_code.co_filename)}:{line}"
