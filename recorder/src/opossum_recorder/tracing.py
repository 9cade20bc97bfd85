"""One traced call: followed instruction by instruction, through every Python function that it calls.

It is shown to have changed nothing when it stored to no attribute, item, global or closure, and called no built-in
function that may change something.  Stores are counted, to the end, whatever else a call did: so much it changed at
least.  A call that did what cannot be judged (a built-in function that is not known to be harmless, a generator, an
import, …) is not `judged`; if that reached beyond what a comparison of its owner's own state would show (it drew, wrote,
called into an extension), it went `outside`.  Reading an attribute is taken to change nothing.

`works` tries a few functions out before anything that this interpreter tells is believed.
"""

from __future__ import annotations

import functools
import os
import sys
import threading
import time
from collections.abc import Callable
from types import CodeType, FrameType, FunctionType, MethodType
from typing import Any

from opossum_recorder.game_code import INTERPRETERS
from opossum_recorder.harmless import HARMLESS_TYPES, is_harmless, is_value_type, stays_inside
from opossum_recorder.instructions import (
    CALLS,
    COLLECTIONS,
    INPLACE,
    STORES,
    UNJUDGED,
    adds_to_plain,
    called,
    instructions_of,
    loaded,
    telling,
)
from opossum_recorder.monitoring import FOR_INSTRUCTIONS, monitoring_as

_FOLDER = os.path.join(os.path.dirname(os.path.abspath(__file__)), "")
_ADAPTERS = os.path.join(_FOLDER, "engines", "")
_RECORDER, _USED, _OTHER = "recorder", "used by it", "other"
MOST_INSTRUCTIONS = 10_000
MOST_NS = 5_000_000
"""A call that is longer than this is followed no further: what it did by then is known, and not whether it did no more."""
LOOK_AT_CLOCK = 32
"""How many instructions apart the clock is looked at."""

_PYTHON = (FunctionType, MethodType)
_HEAP_TYPE = 1 << 9
"""Set in `__flags__` of a class that was made by running code (CPython's `Py_TPFLAGS_HEAPTYPE`)."""


class Trace:
    """What one traced call did."""

    def __init__(self) -> None:
        self.stores = 0
        self.judged = True
        self.outside = False
        self.paused = False
        """While this is so, what is done does not count."""
        self._within: list[str] = []
        """What runs, from the first of the recorder's own functions inwards: one of those, what it uses of Python's own
        library, or anything else, which counts.
        """
        self._instructions = 0
        self._ends_ns = time.perf_counter_ns() + MOST_NS
        self._is_too_long = False
        self._calling: FrameType | None = None
        self._called_is_told = False
        self._thread = 0

    def begin_monitored(self) -> None:
        """Be told of every call by itself, of all threads."""
        self._called_is_told, self._thread = True, threading.get_ident()

    def start(self, frame: FrameType, event: str, argument: Any) -> Any:
        """Begin to follow a function (the trace function of Python's)."""
        self._calling = None
        nested = self._enter(frame.f_code)
        frame.f_trace_lines = False
        frame.f_trace_opcodes = not self._is_too_long and self._counts
        if nested:
            return self._follow_nested
        return None if self._is_too_long else self.follow

    @property
    def _counts(self) -> bool:
        """Say whether what runs is the game's doing, and not the recorder's."""
        return not self.paused and (not self._within or self._within[-1] == _OTHER)

    def _enter(self, code: CodeType) -> bool:
        """See whether a function that begins counts; say whether it must be told of as it ends."""
        ours = _is_ours(code)
        if not ours and not self._within:
            return False
        before = self._within[-1] if self._within else _OTHER
        if ours:
            self._within.append(_RECORDER)
        elif before != _OTHER and code.co_filename.startswith((*INTERPRETERS, "<frozen")):
            self._within.append(_USED)
        else:
            self._within.append(_OTHER)
        return True

    def _follow_nested(self, frame: FrameType, event: str, argument: Any) -> Any:
        if event == "return":
            if self._within:  # not where another traced in between
                self._within.pop()
        elif self._counts:
            self.follow(frame, event, argument)
        return self._follow_nested

    def follow(self, frame: FrameType, event: str, argument: Any) -> Any:
        """Judge one instruction."""
        if self._calling is frame:
            # it called neither a Python nor a built-in function, such as one of a foreign library
            self.judged, self.outside, self._calling = False, True, None
        if self._is_too_long:
            frame.f_trace_opcodes = False
            return None
        if event == "opcode":
            self._pass(frame.f_code, frame.f_lasti, frame)
        return self.follow

    def profile(self, frame: FrameType, event: str, argument: Any) -> None:
        """Judge a built-in function that is called (the profile function of Python's)."""
        if event == "c_call":
            self._calling = None
            try:
                if frame.f_code is not _OURS and not self._is_recorders(frame.f_code, argument):
                    self._judge_builtin(argument, getattr(argument, "__self__", None))
            except Exception:  # whatever its type does when it is asked
                self.judged, self.outside = False, True

    def _pass(self, code: CodeType, offset: int, frame: FrameType | None) -> bool:
        """Pass one instruction, judging it where it may tell something; say whether it may."""
        self._instructions += 1
        if self._instructions > MOST_INSTRUCTIONS or (
            not self._instructions % LOOK_AT_CLOCK and time.perf_counter_ns() > self._ends_ns
        ):
            # whatever this instruction is, what comes after it is not seen
            self._is_too_long, self.judged, self.outside = True, False, True
            _stop()
            return True
        if not telling(code)[offset >> 1]:
            return False
        try:
            self._judge(frame if frame is not None else sys._getframe(2))
        except Exception:  # an interpreter that was never tried
            self.judged, self.outside = False, True
        return True

    def _judge(self, frame: FrameType) -> None:
        text, names = instructions_of(frame.f_code)
        place = frame.f_lasti // 2
        name = names[place]
        if name in STORES:
            self.stores += 1
        elif name in CALLS:
            if not self._called_is_told:
                made = called(frame, text, names, place)
                if made is None:
                    self._calling = frame
                else:
                    self._judge_making(made)
        elif name in UNJUDGED:
            self.judged = False
        elif name.startswith("INPLACE_") or (name == "BINARY_OP" and text[2 * place + 1] in INPLACE):
            self.judged = adds_to_plain(frame, text, names, place) and self.judged
        elif name == "GET_ITER":
            self.judged = isinstance(loaded(frame, text, names, place), COLLECTIONS) and self.judged

    # --- where the interpreter has `sys.monitoring` --------------------------------------------------

    def entered(self, code: CodeType, offset: int, *thrown: Any) -> Any:
        """See whether a function that begins, or goes on, counts."""
        if threading.get_ident() == self._thread:
            self._enter(code)

    def left(self, code: CodeType, offset: int, value: Any) -> Any:
        """Go back to what ran before."""
        if threading.get_ident() == self._thread and self._within:
            self._within.pop()

    def instruction(self, code: CodeType, offset: int) -> Any:
        """Judge one instruction that is about to be run."""
        if threading.get_ident() != self._thread or self._is_too_long or not self._counts:
            return None
        # what never tells anything is not told of again, in any call
        return None if self._pass(code, offset, None) else _monitoring.DISABLE

    def call(self, code: CodeType, offset: int, function: Any, first: Any) -> Any:
        """Judge what is about to be called."""
        if threading.get_ident() != self._thread or isinstance(function, _PYTHON) or code is _OURS:
            return
        try:
            if not self._is_recorders(code, function):
                self._judge_call(function, first)
        except Exception:  # whatever its type does when it is asked
            self.judged, self.outside = False, True

    def _judge_call(self, function: Any, first: Any) -> None:
        self._calling = None
        kind = type(function)
        if isinstance(function, type):
            self._judge_making(function)
        elif hasattr(kind.__dict__.get("__call__"), "__code__"):
            return
        elif kind.__name__ in ("method_descriptor", "wrapper_descriptor"):
            self._judge_builtin(function, first)
        else:
            self._judge_builtin(function, getattr(function, "__self__", None))

    def _is_recorders(self, code: CodeType, function: Any) -> bool:
        """Say whether a call is the recorder's own doing: but for one by which an adapter lets the engine do something."""
        if self._counts:
            return False
        if self.paused or self._within[-1] != _RECORDER or not code.co_filename.startswith(_ADAPTERS):
            return True
        owner = getattr(function, "__self__", None)
        if isinstance(function, type) or owner is sys or type(owner).__module__.startswith("opossum_recorder"):
            return True
        if str(getattr(function, "__module__", "")).startswith("opossum_recorder"):  # one that is cached
            return True
        return stays_inside(function, owner)  # its own lists

    def _judge_making(self, kind: type) -> None:
        """Judge that an object is made: what a class does that is written in Python is followed by itself."""
        if kind not in HARMLESS_TYPES and not is_value_type(kind) and not kind.__flags__ & _HEAP_TYPE:
            self.judged, self.outside = False, True

    def _judge_builtin(self, function: Any, owner: Any) -> None:
        if not is_harmless(function, owner):
            self.judged = False
            self.outside = self.outside or not stays_inside(function, owner)


def run_traced(trace: Trace, function: Callable[..., Any], *args: Any, **kwargs: Any) -> Any:
    """Run a function under a trace; its errors pass through."""
    if _monitoring is not None:
        return _run_monitored(trace, function, args, kwargs)
    sys.setprofile(trace.profile)
    sys.settrace(trace.start)
    try:
        return function(*args, **kwargs)
    finally:
        sys.settrace(None)
        sys.setprofile(None)


def _stop() -> None:
    """Be told of nothing more: what is left of the call runs as ever."""
    if _monitoring is not None:
        _monitoring.set_events(FOR_INSTRUCTIONS, 0)
    else:
        sys.settrace(None)
        sys.setprofile(None)


def _run_monitored(trace: Trace, function: Callable[..., Any], args: Any, kwargs: Any) -> Any:
    trace.begin_monitored()
    events = _monitoring.events
    global _is_under_way
    followed = {
        trace.instruction: events.INSTRUCTION,
        trace.call: events.CALL,
        trace.entered: events.PY_START | events.PY_RESUME | events.PY_THROW,
        trace.left: events.PY_RETURN | events.PY_YIELD | events.PY_UNWIND,
    }
    for callback, told in followed.items():
        for event in (1 << bit for bit in range(told.bit_length()) if told >> bit & 1):
            _monitoring.register_callback(FOR_INSTRUCTIONS, event, callback)
    _is_under_way = True
    _monitoring.set_events(FOR_INSTRUCTIONS, sum(followed.values()))
    try:
        return function(*args, **kwargs)
    finally:
        _monitoring.set_events(FOR_INSTRUCTIONS, 0)
        _is_under_way = False


def is_somebody_tracing() -> bool:
    """Say whether this or another traces already: one trace within another would end the outer one unseen."""
    return _is_under_way or sys.gettrace() is not None or sys.getprofile() is not None


_is_under_way = False
_monitoring = monitoring_as(FOR_INSTRUCTIONS, "opossum_recorder")
_OURS: CodeType = (_run_monitored if _monitoring is not None else run_traced).__code__
"""The code that traces: what it calls to begin and to end tracing is not the game's."""


@functools.lru_cache(maxsize=1024)
def _is_ours(code: CodeType) -> bool:
    """Say whether code is the recorder's: what it does is not the game's, what it lets run is judged by itself."""
    return code.co_filename.startswith(_FOLDER) and code not in _tried_codes()


@functools.lru_cache(maxsize=1)
def _tried_codes() -> set[CodeType]:
    return {method.__code__ for method in vars(_Tried).values() if isinstance(method, FunctionType)}


class _Tried:
    """Functions whose effects are known, to see whether this interpreter tells what they do."""

    def __init__(self) -> None:
        self.heat, self.trays = 20, [1, 2]

    def looks(self) -> bool:
        return self.heat > 30 and len(self.trays) == range(2)

    def stores(self) -> None:
        self.heat = 21

    def stores_deep(self) -> None:
        for _ in self.trays:
            self.stores()

    def appends(self) -> None:
        self.trays.append(1)


@functools.lru_cache(maxsize=1)
def works() -> bool:
    """Say whether this interpreter tells every instruction, by functions whose effects are known."""
    if is_somebody_tracing():
        return True  # nothing is traced while another traces; asked again by nobody
    tried = _Tried()
    for name, stores in (("looks", 0), ("stores", 1), ("stores_deep", 2), ("appends", None)):
        trace = Trace()
        run_traced(trace, getattr(tried, name))
        if (trace.stores if trace.judged else None) != stores or (trace.judged and not trace._instructions):
            return False
    return True
