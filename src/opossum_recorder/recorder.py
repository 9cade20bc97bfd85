"""The recorder: one method a kind of record, each a line of text and a few hundred nanoseconds.

Guarantees, in this order: the game is never harmed (nothing raises, nothing waits on a lock, memory is
bounded); what was recorded before a freeze is on disk (every `call` is written, with all before it, before
the listener runs, and a watchdog thread writes the rest); little is lost, and what is lost is counted.

Rejected: a writer thread of its own.  It would hold the last lines in memory when the process is killed, and
a listener stuck in C code would keep it from running at all.
"""

from __future__ import annotations

import functools
import itertools
import os
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from types import TracebackType
from typing import Any, TypeVar

from opossum_recorder.encoding import QuotedTexts, data_text
from opossum_recorder.holding import Holding
from opossum_recorder.link import LinkSink
from opossum_recorder.sink import Sink, sink_for
from opossum_recorder.watchdog import Watchdog

Function = TypeVar("Function", bound=Callable[..., Any])

MOST_PENDING = 512
"""Lines kept at most before they are written even without a call or an idle."""


class _Thread(threading.local):
    """What each thread is in the middle of."""

    def __init__(self) -> None:
        main = threading.current_thread() is threading.main_thread()
        self.suffix = "}\n" if main else f',"th":{data_text(threading.current_thread().name)}}}\n'
        self.calls: list[Call] = []


class Call:
    """One run of a listener, as a context: begins on creation, ends with `with`.

    `changed()` counts what the listener changed.  Once it was asked (even with 0), the call's effect is
    known: changes and sends together; before, it is unknown and stays out of the stream.
    """

    __slots__ = ("_calls", "_changes", "_recorder", "_sends", "id")

    def __init__(self, recorder: Recorder, call_id: int, calls: list[Call]) -> None:
        self._recorder = recorder
        self.id = call_id
        self._calls = calls
        self._changes = -1
        self._sends = 0

    def changed(self, count: int = 1) -> None:
        """Say that the listener changed `count` more things (0: it ran for nothing, so far)."""
        self._changes = count if self._changes < 0 else self._changes + count

    def sent_at_least(self) -> None:
        """Say that nothing is known of the call but what it sent: if it sent, that is its effect."""
        if self._changes < 0 and self._sends:
            self._changes = 0

    def __enter__(self) -> Call:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        recorder = self._recorder
        try:
            calls = self._calls
            while calls and calls.pop() is not self:
                pass
            text = f',"eff":{self._changes + self._sends}' if self._changes >= 0 else ""
            if error is not None:
                text += f',"err":{data_text(f"{type(error).__name__}: {_shown(error)}")}'
            recorder._append(
                f'{{"k":"ret","t":{recorder._clock() - recorder._origin},"c":{self.id}{text}{recorder._thread.suffix}'
            )
        except Exception:
            recorder._drop()


class _FrameContext:
    __slots__ = ("_recorder",)

    def __init__(self, recorder: Recorder) -> None:
        self._recorder = recorder

    def __enter__(self) -> None:
        return None

    def __exit__(self, *error: object) -> None:
        if error[0] is None:
            self._recorder.idle()


class Recorder:
    """Writes one peer's stream.

    Args:
        path: the file to write (`….flow.jsonl`, or `….flow.jsonl.gz` for a smaller one that may lose
            its last moments in a crash).
        game: the game's name.
        peer: this process's name in a session.
        hz: nominal frames a second.
        phases: the phases of a frame in the order the engine guarantees.
        waits: those of them in which the engine itself may wait.
        watch_after: seconds a frame may last before the watchdog writes the game thread's stack; 0: never.
        clock: returns the time in ns; for games on a simulated clock.
        sink: where lines go instead of `path`.
        link: ``host:port`` of an Opossum that listens; lines go there instead of to `path`.
        token: what that Opossum demands to be told.
    """

    def __init__(
        self,
        path: str | os.PathLike[str] | None,
        game: str = "",
        *,
        peer: str = "main",
        engine: str = "",
        hz: float | None = None,
        phases: Sequence[str] = (),
        waits: Sequence[str] = (),
        watch_after: float = 0.25,
        clock: Callable[[], int] = time.perf_counter_ns,
        sink: Sink | None = None,
        link: str = "",
        token: str = "",
    ) -> None:
        self._clock = clock
        self._origin = clock()
        self._quoted = QuotedTexts()
        self._lines: list[str] = []
        self._append = self._lines.append
        self._thread = _Thread()
        self._ids = {kind: itertools.count(1) for kind in "scbayw"}
        self._send_ids, self._call_ids = self._ids["s"], self._ids["c"]
        self._writing = threading.Lock()
        self._closed = False
        self._lost = 0
        self.lost = 0
        """Records dropped so far."""
        self.holding: Holding | None = None
        """What Opossum asks for over the link; None for a recorder that writes to a file, which cannot be held."""
        if sink is None and link:
            self.holding = Holding(self)
            sink = LinkSink(link, self.now_ns, self.holding.hear, self.holding.left)
        self._sink: Sink = sink if sink is not None else sink_for(path if path is not None else os.devnull)
        head: dict[str, Any] = {"opossum": 1, "game": game, "peer": peer, "lang": "python", "pid": os.getpid()}
        head |= {"started": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())}
        optional: dict[str, Any] = {"engine": engine, "hz": hz, "phases": list(phases), "waits": list(waits)}
        optional["holds"] = self.holding is not None
        if link and token:
            optional["token"] = token
        head |= {name: value for name, value in optional.items() if value}
        self._put("head", "".join(f',"{name}":{data_text(value)}' for name, value in head.items()))
        self.flush()
        self._watchdog = Watchdog(self, watch_after) if watch_after > 0 else None

    def now_ns(self) -> int:
        """Return the stream's time."""
        return self._clock() - self._origin

    @property
    def frame_lasts_s(self) -> float:
        """How many seconds the current frame has lasted; 0 between frames, and where nobody watches."""
        return self._watchdog.frame_lasts_s if self._watchdog is not None else 0.0

    @property
    def trouble(self) -> str:
        """Why lines could not be written; empty while all is well."""
        return getattr(self._sink, "trouble", "")

    # --- the loop ------------------------------------------------------------------------------

    def frame(self, number: int, dt: float | None = None) -> _FrameContext:
        """Begin frame `number`; used with `with`, it ends (`idle`) where the block ends."""
        try:
            told = f',"dt":{dt:.6g}' if dt is not None else ""
            self._put("frame", f',"n":{number:d}{told}' if _finite(dt) else None)
        except Exception:
            self._drop()
        if self._watchdog is not None:
            self._watchdog.frame_began()
        return _FrameContext(self)

    def idle(self) -> None:
        """Say that the frame's work is done."""
        self._put("idle", "")
        if self._watchdog is not None:
            self._watchdog.frame_ended()
        self.flush()

    def phase(self, name: str) -> None:
        """Say that a phase of the frame begins."""
        self._one("phase", "name", name)

    # --- lives ---------------------------------------------------------------------------------

    def spawn(self, o: str, cls: str = "", parent: str = "") -> None:
        """Say that an object begins to live."""
        self._record("spawn", o=o, cls=cls, parent=parent)
        if self.holding is not None:
            self.holding.born(o, cls)

    def gone(self, o: str) -> None:
        """Say that an object no longer lives."""
        self._one("gone", "o", o)
        if self.holding is not None:
            self.holding.died(o)

    def bind(self, ev: str, o: str, fn: str, src: str = "", at: str = "") -> int:
        """Say that a listener begins to listen; returns the id to give to `call` and `unbind`."""
        return self._new("bind", "b", ev=ev, o=o, fn=fn, src=src, at=at)

    def unbind(self, b: int) -> None:
        """Say that a listener stops listening."""
        if b:
            self._record("unbind", b=b)
        else:
            self._drop()

    # --- events --------------------------------------------------------------------------------

    def send(self, ev: str, o: str = "", *, via: str = "", d: Any = None, **more: Any) -> int:
        """Say that an event occurred; returns its id. The call it comes from is known by itself.

        `more`: `at`, and by `via` what the stream names for it (`a`, `y`, `mark`, `pos`, `q`, `net`, `key`,
        `edge`, `route`).
        """
        number = next(self._send_ids)
        try:
            thread, quoted, calls = self._thread, self._quoted, self._thread.calls
            text = f',"o":{quoted[o]}' if o else ""
            if calls:
                calls[-1]._sends += 1
                text += f',"c":{calls[-1].id}'
            if via:
                text += f',"via":{quoted[via]}'
            if d is not None:
                text += f',"d":{data_text(d)}'
            if more:
                text += self._fields(more)
            self._append(
                f'{{"k":"send","t":{self._clock() - self._origin},"s":{number},"ev":{quoted[ev]}{text}{thread.suffix}'
            )
        except Exception:
            self._drop()
        return number

    def call(self, s: int, b: int | None, o: str, fn: str, at: str = "") -> Call:
        """Say that a listener's function begins to run; used with `with`, it returns where the block ends."""
        thread = self._thread
        call = Call(self, next(self._call_ids), thread.calls)
        try:
            quoted = self._quoted
            text = f',"at":{quoted[at]}{thread.suffix}' if at else thread.suffix
            bound = f',"b":{b:d}' if b else ""
            self._append(
                f'{{"k":"call","t":{self._clock() - self._origin},"c":{call.id},"s":{s:d}{bound}'
                f',"o":{quoted[o]},"fn":{quoted[fn]}{text}'
            )
            thread.calls.append(call)
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

    def listener(self, ev: str, o: str | Callable[..., str] = "", *, via: str = "") -> Callable[[Function], Function]:
        """Decorate a function so that every run of it is recorded as a call.

        For games without a dispatcher: a run is recorded as one send of `ev` and one call.  `o` is the
        owner's name, or a function that finds it from the arguments.
        """

        def decorate(function: Function) -> Function:
            place = getattr(function, "__code__", None)
            at = f"{os.path.basename(place.co_filename)}:{place.co_firstlineno}" if place else ""
            name = getattr(function, "__qualname__", "function")

            @functools.wraps(function)
            def recorded(*args: Any, **kwargs: Any) -> Any:
                try:
                    owner = o(*args, **kwargs) if callable(o) else o
                    call = self.call(self.send(ev, via=via), None, owner or name, name, at)
                except Exception:
                    self._drop()
                    return function(*args, **kwargs)
                with call:
                    return function(*args, **kwargs)

            return recorded  # type: ignore[return-value]

        return decorate

    def put(self, q: str, s: int) -> None:
        """Say that a send was put on a queue instead of being delivered."""
        self._record("put", q=q, s=s)

    def pull(self, q: str, s: int) -> None:
        """Say that a send was pulled off a queue for delivery."""
        self._record("pull", q=q, s=s)

    # --- things that last ------------------------------------------------------------------------

    def arm(self, what: str, o: str = "", ev: str = "", **more: Any) -> int:
        """Say that a timer or delay was set (`sec` or `frames`, `loop`, `paused`, `at`); returns its id."""
        return self._new("arm", "a", what=what, o=o, ev=ev, **self._caused(more))

    def pause(self, a: int) -> None:
        """Say that a timer or delay is held."""
        self._record("pause", a=a, **self._caused({}))

    def resume(self, a: int) -> None:
        """Say that a timer or delay is released."""
        self._record("resume", a=a, **self._caused({}))

    def disarm(self, a: int, how: str) -> None:
        """Say that a timer or delay will not fire again (`cleared`, `done`, `owner`)."""
        self._record("disarm", a=a, how=how)

    def play(self, o: str, clip: str, length: float, marks: Iterable[tuple[str, float]] = (), **more: Any) -> int:
        """Say that a clip of `length` seconds with `marks` was started (`rate`, `what`, `from`); returns its id."""
        try:
            listed = [list(mark) for mark in marks]
        except Exception:
            listed = []
            self._drop()
        return self._new("play", "y", **({"o": o, "clip": clip, "len": length, "marks": listed} | more))

    def stop(self, y: int, how: str, pos: float | None = None) -> None:
        """Say that a clip stopped (`end`, `cut`, `blend`) at `pos` seconds."""
        self._record("stop", y=y, how=how, pos=pos)

    def wait(self, o: str, ev: str) -> int:
        """Say that code began to wait for an event; returns the wait's id."""
        return self._new("wait", "w", o=o, ev=ev, **self._caused({}))

    def met(self, w: int, s: int) -> None:
        """Say that what was waited for came."""
        self._record("met", w=w, s=s)

    def quit(self, w: int) -> None:
        """Say that the waiting was given up."""
        self._record("quit", w=w)

    # --- the rest ----------------------------------------------------------------------------------

    def watch(self, o: str, name: str, v: float | str | bool) -> None:
        """Say that a watched value changed."""
        self._record("watch", o=o, name=name, v=v)

    def say(self, text: str, level: str = "", o: str = "") -> None:
        """Record a log line."""
        self._record("say", text=text, level=level, o=o)

    def spin(self, at: str, n: int) -> None:
        """Say that a guarded loop at `at` has turned `n` times in the running call."""
        self._record("spin", at=at, n=n, **self._caused({}))
        self.flush()

    def stuck(self, sec: float, stack: Sequence[str], c: int | None = None) -> None:
        """Say that the game thread has not moved on for `sec` seconds; for watchdogs."""
        self._record("stuck", sec=sec, stack=stack, c=c)
        self.flush()

    def clock(self, v: float, rate: float) -> None:
        """Record the game's own clock: seconds of day, and seconds of it a second."""
        self._record("clock", v=v, rate=rate)

    def held(self, trip: int | None, c: int | None, stack: Sequence[str]) -> None:
        """Say that the game is being held from here on (`went` ends it); the watchdog rests."""
        if self._watchdog is not None:
            self._watchdog.frame_ended()
        self._record("held", trip=trip, c=c, stack=stack)
        self.flush()

    def went(self) -> None:
        """Say that the game goes on."""
        self._record("went")
        self.flush()
        if self._watchdog is not None:
            self._watchdog.frame_began()

    def current_call(self) -> int | None:
        """Return the id of the call this thread is in, or None."""
        calls = self._thread.calls
        return calls[-1].id if calls else None

    def main_thread_calls(self) -> list[Call]:
        """Return the open calls of the thread that made the recorder (for the watchdog)."""
        return self._main_calls

    # --- writing -----------------------------------------------------------------------------------

    @functools.cached_property
    def _main_calls(self) -> list[Call]:
        return self._thread.calls

    def _caused(self, fields: dict[str, Any]) -> dict[str, Any]:
        calls = self._thread.calls
        return fields | {"c": calls[-1].id} if calls else fields

    def _fields(self, fields: dict[str, Any]) -> str:
        parts = []
        for name, value in fields.items():
            if value is None or value == "":
                continue
            parts.append(f',"{name}":{self._quoted[value] if type(value) is str else data_text(value)}')
        return "".join(parts)

    def _one(self, kind: str, name: str, value: str) -> None:
        try:
            self._put(kind, f',"{name}":{self._quoted[value]}')
        except Exception:
            self._drop()

    def _record(self, kind: str, **fields: Any) -> None:
        try:
            self._put(kind, self._fields(fields))
        except Exception:
            self._drop()

    def _new(self, kind: str, id_name: str, **fields: Any) -> int:
        number = next(self._ids[id_name])
        try:
            self._put(kind, f',"{id_name}":{number}{self._fields(fields)}')
        except Exception:
            self._drop()
        return number

    def _put(self, kind: str, fields: str | None) -> None:
        """Append one line; lists append atomically, so threads need no lock here."""
        if fields is None:
            self._drop()
            return
        self._append(f'{{"k":"{kind}","t":{self._clock() - self._origin}{fields}{self._thread.suffix}')
        if len(self._lines) > MOST_PENDING:
            self.flush()

    def _drop(self) -> None:
        self.lost += 1
        self._lost += 1

    def _drop_line(self, line: str) -> None:
        self._drop()

    def flush(self) -> None:
        """Hand all lines so far to the sink; if another thread is at it, leave it to that one.

        That thread looks again before it leaves, so no line stays behind because of it.
        """
        while self._lines and self._writing.acquire(blocking=False):
            try:
                lines = self._lines
                if self._lost and not self._closed:
                    lost, self._lost = self._lost, 0
                    lines.append(f'{{"k":"lost","t":{self._clock() - self._origin},"n":{lost}}}\n')
                count = len(lines)
                written = self._sink.write("".join(lines[:count]).encode())
                del lines[:count]  # others may have appended meanwhile: theirs stay
                if not written:
                    self.lost += count
                    self._lost += count
            except Exception:
                self._lines.clear()
                self._drop()
            finally:
                self._writing.release()

    def close(self) -> None:
        """End the stream on purpose (`bye`); what is recorded afterwards is dropped."""
        if not self._closed:
            self._put("bye", "")
            self.abandon()

    def abandon(self) -> None:
        """Stop recording without `bye`: to a reader the game died here."""
        if self._watchdog is not None:
            self._watchdog.stop()
        self.flush()
        self._closed = True
        self._append = self._drop_line
        self._sink.close()

    def __enter__(self) -> Recorder:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


def _finite(value: float | None) -> bool:
    return value is None or (value == value and abs(value) != float("inf"))


def _shown(error: BaseException) -> str:
    try:
        return str(error)[:500]
    except Exception:
        return "(its text cannot be shown)"
