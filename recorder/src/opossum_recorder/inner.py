"""The recorder's inner half: what runs at every send, call, return and frame, and how lines come to the sink.

`_inner.c` is the same in C, several times as fast, and takes this module's place where it was built; a test holds the
two against each other.  What both offer is what `Recorder` and the engines' adapters use, and nothing else.  What is said of
frames lies in `watched_frames`.
"""

from __future__ import annotations

import itertools
import operator
import threading
from collections.abc import Callable
from types import TracebackType
from typing import Any

from opossum_recorder.encoding import QuotedTexts, answer_of, data_text, error_text, field_text, given, thread_suffix
from opossum_recorder.sink import Sink
from opossum_recorder.watched_frames import WatchedFrames

MOST_PENDING = 512
"""Lines kept at most before they are written even without a call or an idle."""
MOST_CHANGES = 1 << 40


def number_of_changes(count: int) -> int:
    """Return how much a listener says it changed.

    Raises:
        ValueError: it is no number, or none that a game could mean.
    """
    changes = answer_of(operator.index, count)
    if abs(changes) > MOST_CHANGES:
        raise ValueError("no game changes so much")
    return changes


class _Thread(threading.local):
    """What each thread is in the middle of."""

    def __init__(self) -> None:
        self.suffix = thread_suffix()
        self.calls: list[Call] = []


class Sample:
    """How often a function was called, at which call it is traced next, and how often that could not be judged."""

    __slots__ = ("count", "next", "unjudged")

    def __init__(self, next: int) -> None:
        self.count, self.next, self.unjudged = 0, next, 0


class Call:
    """One run of a listener, as a context: begins on creation, ends with `with`.

    `changed()` counts what the listener changed.  Once it was asked (even with 0), the call's effect is
    known: changes and sends together; before, it is unknown and stays out of the stream.
    """

    __slots__ = ("_calls", "_changes", "_inner", "_own", "_sends", "id")

    def __init__(self, inner: Inner, call_id: int, calls: list[Call]) -> None:
        self._inner = inner
        self.id = call_id
        self._calls = calls
        self._changes = -1
        self._own = -1
        self._sends = 0

    def changed(self, count: int = 1) -> None:
        """Say that the listener changed `count` more things (0: it ran for nothing, so far)."""
        try:
            changes = number_of_changes(count)
            self._changes = changes if self._changes < 0 else self._changes + changes
        except Exception:
            self._inner._drop()

    def seemed(self, count: int) -> None:
        """Say how much of what can be seen of its owner's own state changed: weaker than `changed`, for what lies
        elsewhere is unknown.
        """
        try:
            changes = number_of_changes(count)
            self._own = changes if self._own < 0 else self._own + changes
        except Exception:
            self._inner._drop()

    def sent_at_least(self) -> None:
        """Say that nothing is known of the call but what it sent: if it sent, that is its effect."""
        if self._changes < 0 and self._sends:
            self._changes = 0

    def __enter__(self) -> Call:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        inner = self._inner
        try:
            calls = self._calls
            while calls and calls.pop() is not self:
                pass
            text = f',"eff":{self._changes + self._sends}' if self._changes >= 0 else ""
            if self._own >= 0:
                text += f',"own":{self._own + self._sends}'
            if error is not None:
                text += error_text(error)
            inner._append(f'{{"k":"ret","t":{inner.now_ns()},"c":{self.id}{text}{inner._thread.suffix}')
            if inner._after_return is not None:
                inner._after_return(self)
        except Exception:
            inner._drop()


class Inner(WatchedFrames):
    """Sends, calls, returns, frames, and lines on their way to the sink."""

    def __init__(self, clock: Callable[[], int]) -> None:
        """Begin the stream's time; lines are kept until a sink is attached."""
        super().__init__()
        self._clock = clock
        self._origin = clock()
        self._texts = QuotedTexts()
        self._lines: list[str] = []
        self._append = self._lines.append
        self._thread = _Thread()
        self._main_calls = self._thread.calls
        self._send_ids, self._call_ids = itertools.count(1), itertools.count(1)
        self._writing = threading.Lock()
        self._sink: Sink | None = None
        self._at_once = True
        self._after_return: Callable[[Any], None] | None = None
        """Told of every call that has returned, while somebody must know."""
        self._watched = False
        """Whether every call must come by `call`: a tripwire looks at them."""
        self._closed = False
        self._untold = 0
        self.lost = 0
        """Records dropped so far."""

    def now_ns(self) -> int:
        """Return the stream's time."""
        return self._clock() - self._origin

    # --- events --------------------------------------------------------------------------------

    def send(self, ev: str, o: str = "", *, via: str = "", d: Any = None, **more: Any) -> int:
        """Say that an event occurred; returns its id. The call it comes from is known by itself.

        `more`: `at`, and by `via` what the stream names for it (`a`, `y`, `mark`, `pos`, `q`, `net`, `key`,
        `edge`, `route`).
        """
        number = next(self._send_ids)
        try:
            thread, known, calls = self._thread, self._texts, self._thread.calls
            name = known.name
            if type(o) is str:
                text = f',"o":{known[o]}' if o else ""
            else:
                text = f',"o":{name(o)}' if given(o) else ""
            if calls:
                calls[-1]._sends += 1
                text += f',"c":{calls[-1].id}'
            if type(via) is str:
                text += f',"via":{known[via]}' if via else ""
            elif given(via):
                text += f',"via":{name(via)}'
            if d is not None:
                text += f',"d":{data_text(d)}'
            if more:
                text += self._fields(more)  # type: ignore[attr-defined]
            event = known[ev] if type(ev) is str else name(ev)
            self._append(
                f'{{"k":"send","t":{self._clock() - self._origin},"s":{number},"ev":{event}{text}{thread.suffix}'
            )
        except Exception:
            self._drop()
        return number

    def call(self, s: int, b: int | None, o: str, fn: str, at: str = "") -> Call:
        """Say that a listener's function begins to run; used with `with`, it returns where the block ends."""
        thread = self._thread
        call = Call(self, next(self._call_ids), thread.calls)
        try:
            name = self._texts.name
            text = f',"at":{name(at)}{thread.suffix}' if given(at) else thread.suffix
            if type(s) is int and type(b) is int and 0 < s < MOST_CHANGES and 0 <= b < MOST_CHANGES:
                ids = f',"s":{s},"b":{b}' if b else f',"s":{s}'
            else:
                ids = field_text("s", s, "call") + (field_text("b", b) if given(b) else "")
            self._append(
                f'{{"k":"call","t":{self._clock() - self._origin},"c":{call.id}{ids}'
                f',"o":{name(o)},"fn":{name(fn)}{text}'
            )
            thread.calls.append(call)
            if self._at_once:
                self.flush()
        except Exception:
            self._drop()
        return call

    def changed(self, count: int = 1) -> None:
        """Say that the running listener changed `count` things; see `Call.changed`."""
        try:
            calls = self._thread.calls
            if calls:
                calls[-1].changed(count)
        except Exception:
            self._drop()

    def current_call(self) -> int | None:
        """Return the id of the call this thread is in, or None."""
        calls = self._thread.calls
        return calls[-1].id if calls else None

    def main_call(self) -> int | None:
        """Return the id of the call that the thread is in which made the recorder, or None."""
        calls = self._main_calls
        return calls[-1].id if calls else None

    def runner(
        self,
        sends: list[int],
        b: int,
        o: str,
        fn: str,
        at: str,
        method: Callable[..., Any],
        sample: Sample,
        slow: Callable[..., Any],
    ) -> Callable[..., Any]:
        """Return what to run instead of a listener's method: one call of the last of `sends`.

        `slow` does that through `call`, tracing where it is due; the half in C does it by itself wherever `sample`
        does not say that the call is to be traced.
        """
        return slow

    # --- lines ---------------------------------------------------------------------------------

    def _put(self, kind: str, fields: str) -> None:
        """Append one line; lists append atomically, so threads need no lock here."""
        self._append(f'{{"k":"{kind}","t":{self._clock() - self._origin}{fields}{self._thread.suffix}')
        if len(self._lines) > MOST_PENDING:
            self.flush()

    def _drop(self) -> None:
        self.lost += 1
        self._untold += 1

    def _take_untold(self) -> int:
        """Return how many losses have not been told of, to be told of by whoever asks."""
        untold, self._untold = self._untold, 0
        return untold

    def _drop_line(self, line: str) -> None:
        self._drop()

    def flush(self) -> None:
        """Hand all lines so far to the sink; if another thread is at it, leave it to that one.

        That thread looks again before it leaves, so no line stays behind because of it.
        """
        while self._lines and self._sink is not None and self._writing.acquire(blocking=False):
            lost = 0
            try:
                lines = self._lines
                if self._untold and not self._closed:
                    lost, self._untold = self._untold, 0
                    suffix = self._thread.suffix
                    lines.append(f'{{"k":"lost","t":{self._clock() - self._origin},"n":{lost}{suffix}')
                count = len(lines)
                written = self._sink.write("".join(lines[:count]).encode())
                del lines[:count]  # others may have appended meanwhile: theirs stay
                if not written:
                    records = count - (lost > 0)
                    self.lost += records
                    self._untold += records + lost
            except Exception:
                self._lines.clear()
                self._drop()
            finally:
                self._writing.release()

    def _attach(self, sink: Sink) -> None:
        """Write to a sink from now on: before each listener runs, unless the sink says that this gains nothing."""
        self._sink = sink
        self._at_once = getattr(sink, "at_once", True)

    def _detach(self) -> None:
        """Write what is left; what is recorded from now on is dropped."""
        self.flush()
        self._closed = True
        self._append = self._drop_line

    def _silence(self) -> None:
        """Write nothing any more, not even what is left: this process was forked off, and the file is its parent's."""
        self._closed = True
        self._append = self._drop_line
        self._lines.clear()
