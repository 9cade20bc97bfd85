"""Whether a call changed anything: found out by tracing some of the calls of functions that recur (see `tracing`).

The first calls of each function are all traced, later ones now and then, and more of them again after what is seen has
changed.  Where tracing cannot judge, what can be seen of the owner's own state is compared before and after (see
`own_state`), which tells less, and is told as less.

Cost: a call that is traced takes about a microsecond an instruction more, any other about 0.2 µs; tracing takes at most a
tenth of the game's time.  A function that cannot be judged `GIVE_UP` times in any way, or is none of the game's own, is
left alone.  Where a debugger or coverage traces already, nothing is traced.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from opossum_recorder.game_code import is_games_own
from opossum_recorder.halves import Sample
from opossum_recorder.own_state import changes, seen_of
from opossum_recorder.tracing import Trace, is_somebody_tracing, run_traced, works

if TYPE_CHECKING:
    from opossum_recorder.halves import Call

DENSE = 64
"""Calls of a function that are all traced, at its beginning."""
DENSE_AGAIN = 8
"""As many are traced one after the other once what is seen of it has changed."""
EVERY = 16
THINNING = 32
"""One in `EVERY` calls is traced then, ever fewer of a function that has run very often."""
GIVE_UP = 4
NEVER = 1 << 62
SHARE = 10
"""Tracing takes at most one in so many parts of the time …"""
AT_ONCE_NS = 5_000_000
"""… and not much more than this within a frame, so that a frame is not taken for a slow one."""
MOST_SEEN = 4096
PUT_OFF = 4
"""Calls until a trace is tried again that there was no time for."""


class _Pause:
    """What is done within does not count for a trace."""

    def __init__(self, trace: Trace | None) -> None:
        self._trace = trace

    def __enter__(self) -> None:
        if self._trace is not None:
            self._trace.paused = True

    def __exit__(self, *error: object) -> None:
        if self._trace is not None:
            self._trace.paused = False


class Effects:
    """Runs calls, tracing some of them, and tells the call what it found out."""

    def __init__(self, clock: Callable[[], int] = time.perf_counter_ns) -> None:
        self._clock = clock
        self._allowed_ns, self._reckoned_ns = float(AT_ONCE_NS), clock()
        self._tracing: tuple[Any, Trace] | None = None
        """The function that is being traced, by its code."""
        self._samples: dict[Any, Sample] = {}
        self._dense_until: dict[Any, int] = {}
        self._seen: dict[tuple[Any, int], bool] = {}
        """Whether the last traced call of a function with an owner, by its identity (0: none), changed anything."""

    def sample_of(self, function: Callable[..., Any]) -> Sample:
        """Return the counter of a function's calls, which all its listeners share."""
        code = getattr(getattr(function, "__func__", function), "__code__", None)
        known = self._samples.get(code)
        if known is None:
            known = self._samples[code] = Sample(1)
            self._dense_until[code] = DENSE
            if code is None or not is_games_own(code.co_filename) or not works():
                known.next = NEVER
        return known

    def run(self, call: Call, function: Callable[..., Any], *args: Any, **kwargs: Any) -> Any:
        """Run a function as `call`; its errors pass through, and its effect is then not known."""
        sample = self.sample_of(function)
        sample.count += 1
        if sample.count < sample.next:
            return function(*args, **kwargs)
        code = getattr(getattr(function, "__func__", function), "__code__", None)
        began = self._clock()
        self._allowed_ns = min(AT_ONCE_NS, self._allowed_ns + (began - self._reckoned_ns) / SHARE)
        self._reckoned_ns = began
        if self._allowed_ns <= 0:
            sample.next = sample.count + PUT_OFF
            self._dense_until[code] += PUT_OFF
            return function(*args, **kwargs)
        dense = sample.count < self._dense_until[code]
        sample.next = sample.count + (1 if dense else max(EVERY, sample.count // THINNING))
        if is_somebody_tracing():
            return function(*args, **kwargs)
        owner = getattr(function, "__self__", None) if sample.unjudged else None
        names = getattr(getattr(function, "__func__", function), "__globals__", None)
        before = seen_of(owner, names) if owner is not None else None
        trace = Trace()
        outer, self._tracing = self._tracing, (code, trace)
        try:
            result = run_traced(trace, function, *args, **kwargs)
        finally:
            self._tracing = outer
            self._allowed_ns -= self._clock() - began
        if trace.judged or trace.stores:
            call.changed(trace.stores)
            self._saw((code, _owner_of(function, code, args)), sample, trace.stores > 0)
        elif before is not None and not trace.outside:
            changed = changes(before, seen_of(owner, names))
            call.seemed(changed)
            call.sent_at_least()
            self._saw((code, id(owner)), sample, changed > 0)
        else:
            sample.unjudged += 1
            if sample.unjudged >= GIVE_UP and (trace.outside or before is not None or owner is None):
                sample.next = NEVER
            call.sent_at_least()
        return result

    def setting(self, function: Any) -> _Pause:
        """While a function has itself called again later, or no more, it changes nothing by that: it goes on looking."""
        traced = self._tracing
        code = getattr(getattr(function, "__func__", function), "__code__", None)
        return _Pause(traced[1] if traced is not None and traced[0] is code else None)

    def _saw(self, of: tuple[Any, int], sample: Sample, changed: bool) -> None:
        """Look more closely at a function that does what it did not before, with the same owner: one may move, one rest."""
        if len(self._seen) >= MOST_SEEN:
            self._seen.clear()
        if self._seen.setdefault(of, changed) is not changed:
            self._seen[of] = changed
            self._dense_until[of[0]] = max(self._dense_until[of[0]], sample.count + DENSE_AGAIN)
            sample.next = sample.count + 1


def _owner_of(function: Any, code: Any, args: tuple[Any, ...]) -> int:
    """Return the identity of the object whose method runs, 0 for none."""
    owner = getattr(function, "__self__", None)
    if owner is None and args and code.co_varnames[:1] == ("self",):
        owner = args[0]
    return 0 if owner is None else id(owner)
