"""Whether a call changed anything: found out by tracing a sample of the calls of functions that recur.

A traced call is followed instruction by instruction, through every Python function it calls.  It is shown to have
changed nothing when it stored to no attribute, item, global or closure, and called no built-in function that may change
something; then, and only then, its effect is told as 0.  Stores are counted; a call that did what cannot be judged
(a built-in function that is not known to be harmless, a generator, an import, …) has no known effect, but that of
sending if it sent.  Reading an attribute is taken to change nothing.

Cost: a call that is traced takes about a microsecond an instruction more, any other about 0.2 µs; a function that cannot
be judged `GIVE_UP` times, or is part of an installed library, is left alone.  Where a debugger or coverage traces
already, nothing is traced.
"""

from __future__ import annotations

import dis
import math
import os
import sys
from collections.abc import Callable
from types import CodeType, FrameType
from typing import TYPE_CHECKING, Any

from opossum_recorder.halves import Sample

if TYPE_CHECKING:
    from opossum_recorder.halves import Call

RECURS_AFTER = 16
"""Calls of a function before the first is traced."""
EVERY = 16
THINNING = 64
"""One in `EVERY` calls is traced at first, ever fewer of a function that has run very often."""
GIVE_UP = 4
NEVER = 1 << 62
TRIED = sys.version_info[:2] == (3, 11)
"""Instructions differ from one version of the interpreter to the next: where this was not tried, nothing is traced."""
MOST_INSTRUCTIONS = 20_000
"""A call that is longer than this is followed no further: it has no known effect."""

_STORES = {
    "STORE_ATTR", "STORE_SUBSCR", "STORE_SLICE", "STORE_GLOBAL", "STORE_NAME", "STORE_DEREF",
    "DELETE_ATTR", "DELETE_SUBSCR", "DELETE_GLOBAL", "DELETE_NAME", "DELETE_DEREF",
}  # fmt: skip
_UNJUDGED = {
    "IMPORT_NAME", "IMPORT_FROM", "IMPORT_STAR", "YIELD_VALUE", "RETURN_GENERATOR", "SEND", "GET_AWAITABLE",
    "GET_AITER", "GET_ANEXT", "BEFORE_WITH", "BEFORE_ASYNC_WITH", "LOAD_BUILD_CLASS", "GET_YIELD_FROM_ITER",
}  # fmt: skip
_CALLS = {"CALL", "CALL_KW", "CALL_FUNCTION_EX"}
_INPLACE = 13
"""The first of BINARY_OP's arguments that mean an operation in place (`+=` …)."""
_PLAIN = (int, float, complex, bool, str, bytes, tuple, frozenset, type(None))
_COLLECTIONS = (list, tuple, dict, set, frozenset, str, range)

_HARMLESS = {
    abs, all, any, bool, callable, chr, divmod, getattr, hasattr, hash, id, isinstance, issubclass, len, max, min, ord,
    pow, repr, round, sorted, sum, *(value for value in vars(math).values() if callable(value)),
}  # fmt: skip
_HARMLESS_METHODS: dict[Any, set[str]] = {
    dict: {"get", "keys", "values", "items", "copy"},
    list: {"count", "index", "copy"},
    tuple: {"count", "index"},
    set: {"isdisjoint", "issubset", "issuperset", "union", "intersection", "difference", "copy"},
}


class _Trace:
    """What one traced call did."""

    def __init__(self) -> None:
        self.stores = 0
        self.judged = True
        self._instructions = 0
        self._calling: FrameType | None = None
        self._code: dict[CodeType, tuple[bytes, list[str]]] = {}

    def start(self, frame: FrameType, event: str, argument: Any) -> Any:
        """Begin to follow a function (the trace function of Python's)."""
        if not self.judged:
            return None
        self._calling = None
        frame.f_trace_opcodes = True
        frame.f_trace_lines = False
        return self.follow

    def follow(self, frame: FrameType, event: str, argument: Any) -> Any:
        """Judge one instruction."""
        if self._calling is frame:
            self.judged, self._calling = False, None  # it called neither a Python nor a built-in function
        if not self.judged:
            frame.f_trace_opcodes = False
            return None
        if event == "opcode":
            self._judge(frame)
        return self.follow

    def profile(self, frame: FrameType, event: str, argument: Any) -> None:
        """Judge a built-in function that is called (the profile function of Python's)."""
        if event == "c_call" and frame.f_code is not _OURS:
            self._calling = None
            self.judged = self.judged and _is_harmless(argument)

    def _judge(self, frame: FrameType) -> None:
        self._instructions += 1
        code = frame.f_code
        known = self._code.get(code)
        if known is None:
            known = self._code[code] = (code.co_code, [dis.opname[op] for op in code.co_code[::2]])
        text, names = known
        place = frame.f_lasti // 2
        name = names[place]
        if name in _STORES:
            self.stores += 1
        elif name in _CALLS:
            self._calling = frame
        elif name in _UNJUDGED or self._instructions > MOST_INSTRUCTIONS:
            self.judged = False
        elif name == "BINARY_OP" and text[2 * place + 1] >= _INPLACE:
            self.judged = self._adds_to_plain(frame, text, names, place)
        elif name == "GET_ITER":
            self.judged = isinstance(_loaded(frame, text, names, place), _COLLECTIONS)

    def _adds_to_plain(self, frame: FrameType, text: bytes, names: list[str], place: int) -> bool:
        """Say whether `x += …` makes a new value: x is of a plain type (a list would be changed itself)."""
        following = place + 1
        while following < len(names) and names[following] == "CACHE":
            following += 1
        if following >= len(names) or names[following] != "STORE_FAST":
            return following < len(names) and names[following] in _STORES  # that store is counted
        name = frame.f_code.co_varnames[text[2 * following + 1]]
        return isinstance(frame.f_locals.get(name), _PLAIN)


def _loaded(frame: FrameType, text: bytes, names: list[str], place: int) -> Any:
    """Return what a local, or an attribute in a local's own dictionary, holds that was loaded just before; else None."""
    before = [index for index in range(max(0, place - 12), place) if names[index] not in ("CACHE", "EXTENDED_ARG")][-2:]
    if not before:
        return None
    local_names, last = frame.f_code.co_varnames, before[-1]
    if names[last] == "LOAD_FAST":
        return frame.f_locals.get(local_names[text[2 * last + 1]])
    if names[last] == "LOAD_ATTR" and len(before) == 2 and names[before[0]] == "LOAD_FAST":
        number = text[2 * last + 1] >> (1 if sys.version_info >= (3, 12) else 0)
        thing = frame.f_locals.get(local_names[text[2 * before[0] + 1]])
        return getattr(thing, "__dict__", {}).get(frame.f_code.co_names[number])
    return None


def _is_harmless(function: Any) -> bool:
    try:
        if function in _HARMLESS:
            return True
    except TypeError:
        return False
    owner = getattr(function, "__self__", None)
    if isinstance(owner, str | bytes | int | float):
        return True
    return getattr(function, "__name__", "") in _HARMLESS_METHODS.get(type(owner), ())


_OURS: CodeType
"""The code that traces: what it calls to begin and to end tracing is not the game's."""


def _is_library(code: CodeType) -> bool:
    """Say whether code was installed beside the game: what it does for nothing, the game's programmer cannot change."""
    return "-packages" + os.sep in code.co_filename and not code.co_filename.startswith(sys.path[0] + os.sep)


class Effects:
    """Runs calls, tracing a sample of them, and tells the call what it found out."""

    def __init__(self) -> None:
        self._samples: dict[Any, Sample] = {}

    def sample_of(self, function: Callable[..., Any]) -> Sample:
        """Return the counter of a function's calls, which all its listeners share."""
        code = getattr(getattr(function, "__func__", function), "__code__", None)
        known = self._samples.get(code)
        if known is None:
            known = self._samples[code] = Sample(RECURS_AFTER + 1)
            if not TRIED or code is None or _is_library(code):
                known.next = NEVER
        return known

    def run(self, call: Call, function: Callable[..., Any], *args: Any, **kwargs: Any) -> Any:
        """Run a function as `call`; its errors pass through, and its effect is then not known."""
        sample = self.sample_of(function)
        sample.count += 1
        if sample.count < sample.next:
            return function(*args, **kwargs)
        sample.next = sample.count + max(EVERY, sample.count // THINNING)
        if sys.gettrace() is not None or sys.getprofile() is not None:
            return function(*args, **kwargs)
        trace = _Trace()
        sys.setprofile(trace.profile)
        sys.settrace(trace.start)
        try:
            result = function(*args, **kwargs)
        finally:
            sys.settrace(None)
            sys.setprofile(None)
        if trace.judged:
            call.changed(trace.stores)
        else:
            sample.unjudged += 1
            if sample.unjudged >= GIVE_UP:
                sample.next = NEVER
            call.sent_at_least()
        return result


_OURS = Effects.run.__code__
