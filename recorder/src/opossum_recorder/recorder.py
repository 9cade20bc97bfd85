"""The recorder: one method a kind of record.  What runs most often, sends and calls, is its inner half (see `inner`).

Guarantees, in this order: the game is never harmed (nothing raises, nothing waits on a lock, memory is
bounded); what was recorded before a freeze is on disk (every `call` is written, with all before it, before
the listener runs, and a watchdog thread writes the rest); little is lost, and what is lost is counted.

Rejected: a writer thread of its own.  It would hold the last lines in memory when the process is killed, and
a listener stuck in C code would keep it from running at all.
"""

from __future__ import annotations

import itertools
import os
import time
import weakref
from collections.abc import Callable, Iterable, Sequence
from itertools import islice
from typing import Any

from opossum_recorder.asked_attributes import AskedAttributes
from opossum_recorder.encoding import COUNTS, DATA, FLAGS, NUMBERS, QuotedTexts, field_text
from opossum_recorder.halves import Call, FrameContext, Inner
from opossum_recorder.head import head_fields
from opossum_recorder.holding import Holding
from opossum_recorder.link import LinkSink
from opossum_recorder.never_back import NeverBack
from opossum_recorder.processor import frame_times
from opossum_recorder.recorded_runs import Function, recorded_runs
from opossum_recorder.sink import Sink, sink_for
from opossum_recorder.watchdog import Watchdog

MOST_MARKS = 1000
"""Marks of one clip."""

NOT_NAMES = COUNTS | DATA | FLAGS | NUMBERS | {"text"}


class Recorder(Inner):
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
        build: the game's version or commit (else what OPOSSUM_BUILD says).
        host: the machine's name (by default as the system says it; "" leaves it out).
        seed: what the game's chance was begun with.
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
        build: str = "",
        host: str | None = None,
        seed: Any = None,
    ) -> None:
        # a simulated clock is the game's own code, and may be set back
        super().__init__(clock if clock is time.perf_counter_ns else NeverBack(clock))
        self._quoted = QuotedTexts()
        self._ids = {kind: itertools.count(1) for kind in "bayw"}
        self.holding: Holding | None = None
        self.attributes = AskedAttributes(self)
        """What Opossum asks for over the link; None for a recorder that writes to a file, which cannot be held."""
        if sink is None and link:
            self.holding = Holding(self, self.attributes)
            sink = LinkSink(link, self.now_ns, self.holding.hear, self.holding.left)
        self._sink: Sink = sink if sink is not None else sink_for(path if path is not None else os.devnull)
        self._attach(self._sink)
        head = head_fields(
            game=game, peer=peer, engine=engine, hz=hz, phases=phases, waits=waits, build=build, host=host, seed=seed,
            token=token if link else "", holds=self.holding is not None,
        )  # fmt: skip
        self._put("head", self._fields(head))
        self.flush()
        # a simulated clock has nothing to do with the processor's
        self._measures = frame_times() if clock is time.perf_counter_ns else None
        self._tell_of_frames(waits, self._measures)
        self._watchdog = Watchdog(self, watch_after) if watch_after > 0 else None
        own = weakref.ref(self)
        os.register_at_fork(after_in_child=lambda: _forked(own()))

    @property
    def frame_lasts_s(self) -> float:
        """How many seconds the current frame has lasted; 0 between frames, and where nobody watches."""
        since = self.moves_since_s
        return 0.0 if since is None or self._watchdog is None else time.monotonic() - since

    def rest(self) -> None:
        """Write what waits to be written: the watchdog sees the game's thread wait."""
        self.flush()

    def moves(self) -> None:
        """Do nothing more: the watchdog sees the game's thread move on, and that writes by itself."""

    @property
    def trouble(self) -> str:
        """Why lines could not be written; empty while all is well."""
        return getattr(self._sink, "trouble", "")

    # --- lives ---------------------------------------------------------------------------------

    def spawn(self, o: str, cls: str = "", parent: str = "") -> None:
        """Say that an object begins to live."""
        self._record("spawn", o=o, cls=cls, parent=parent, **self._caused({}))
        if self.holding is not None and type(o) is str:
            self.holding.born(o, cls)

    def gone(self, o: str) -> None:
        """Say that an object no longer lives."""
        self._record("gone", o=o, **self._caused({}))
        if self.holding is not None and type(o) is str:
            self.holding.died(o)

    def bind(self, ev: str, o: str, fn: str, src: str = "", at: str = "", via: str = "") -> int:
        """Say that a listener begins to listen; returns the id to give to `call` and `unbind`.

        `via`: how what it listens to comes about, where that is known before any comes (`input`).
        """
        return self._new("bind", "b", ev=ev, o=o, fn=fn, src=src, at=at, via=via, **self._caused({}))

    def unbind(self, b: int) -> None:
        """Say that a listener stops listening."""
        self._record("unbind", b=b, **self._caused({}))

    # --- events --------------------------------------------------------------------------------

    def listener(self, ev: str, o: str | Callable[..., str] = "", *, via: str = "") -> Callable[[Function], Function]:
        """Decorate a function so that every run of it is recorded as a call.

        For games without a dispatcher: a run is recorded as one send of `ev` and one call.  `o` is the
        owner's name, or a function that finds it from the arguments.
        """

        return recorded_runs(self, ev, o, via)

    def put(self, q: str, s: int) -> None:
        """Say that a send was put on a queue instead of being delivered."""
        self._record("put", q=q, s=s, **self._caused({}))

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
        self._record("disarm", a=a, how=how, **self._caused({}))

    def play(self, o: str, clip: str, length: float, marks: Iterable[tuple[str, float]] = (), **more: Any) -> int:
        """Say that a clip of `length` seconds with `marks` was started (`rate`, `what`, `from`); returns its id."""
        try:
            listed = [list(islice(mark, 2)) for mark in islice(marks, MOST_MARKS)]
        except KeyboardInterrupt:
            raise
        except BaseException:  # the game's own code
            listed = []
            self._drop()
        return self._new("play", "y", **({"o": o, "clip": clip, "len": length, "marks": listed} | self._caused(more)))

    def stop(self, y: int, how: str, pos: float | None = None) -> None:
        """Say that a clip stopped (`end`, `cut`, `blend`) at `pos` seconds."""
        self._record("stop", y=y, how=how, pos=pos, **self._caused({}))

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

    def know(self, o: str, thing: Any) -> None:
        """Let an object be found by its name, so that Opossum can be asked to watch an attribute of it while the game plays."""
        try:
            if type(o) is str:
                self.attributes.know(o, thing)
        except Exception:
            self._drop()

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
        self._watch_off()
        self._record("held", trip=trip, c=c, stack=stack)
        self.flush()

    def went(self) -> None:
        """Say that the game goes on."""
        self._record("went")
        self.flush()
        self._watch_on()

    # --- being looked at -----------------------------------------------------------------------------

    def look_through(self, looker: Holding | None, *, returns: bool) -> None:
        """Have every send, call and frame, and every return if wanted, go through `looker`; None: through nobody.

        Its methods lie over the plain ones, so that being looked at costs nothing while nobody looks.
        """
        self._watched = looker is not None
        for name in ("send", "call", "frame"):
            if looker is not None:
                self.__dict__[name] = getattr(looker, name)
            else:
                self.__dict__.pop(name, None)
        self._after_return = looker.returned if looker is not None and returns else None

    def plain_send(self, ev: str, o: str, via: str, d: Any, more: dict[str, Any]) -> int:
        """Record a send, whoever looks at sends."""
        return type(self).send(self, ev, o, via=via, d=d, **more)

    def plain_call(self, s: int, b: int | None, o: str, fn: str, at: str) -> Call:
        """Record a call, whoever looks at calls."""
        return type(self).call(self, s, b, o, fn, at)

    def plain_frame(self, number: int, dt: float | None) -> FrameContext:
        """Record a frame, whoever looks at frames."""
        return type(self).frame(self, number, dt)

    # --- writing -----------------------------------------------------------------------------------

    def _caused(self, fields: dict[str, Any]) -> dict[str, Any]:
        call = self.current_call()
        return fields if call is None else fields | {"c": call}

    def _fields(self, fields: dict[str, Any], kind: str = "") -> str:
        parts = []
        for name, value in fields.items():
            if type(value) is str and value and name not in NOT_NAMES:
                parts.append(f',"{name}":{self._quoted[value]}')
            else:
                parts.append(field_text(name, value, kind))
        return "".join(parts)

    def _record(self, kind: str, **fields: Any) -> None:
        try:
            self._put(kind, self._fields(fields, kind))
        except Exception:
            self._drop()

    def _new(self, kind: str, id_name: str, **fields: Any) -> int:
        number = next(self._ids[id_name])
        try:
            self._put(kind, f',"{id_name}":{number}{self._fields(fields, kind)}')
        except Exception:
            self._drop()
        return number

    def close(self) -> None:
        """End the stream on purpose (`bye`); what is recorded afterwards is dropped."""
        if not self._closed:
            self.flush()
            last_words = getattr(self._sink, "begin_last_words", None)
            if last_words is not None:
                last_words()
            self._tell_lost()
            self._put("bye", "")
            self.abandon()

    def _tell_lost(self) -> None:
        """Tell of the losses that were not told of yet, and why any were: those told of before did not say it."""
        lost, why = self._take_untold(), self.trouble or getattr(self._sink, "earlier_trouble", "")
        if lost or (why and self.lost):
            self._put("lost", f',"n":{lost}{field_text("why", why)}')

    def abandon(self) -> None:
        """Stop recording without `bye`: to a reader the game died here, and what it still does is lost on purpose.

        What was lost before is kept as `lost_by_then`.
        """
        if self._watchdog is not None:
            self._watchdog.stop()
        if self._measures is not None:
            self._measures.close()
        self._detach()
        self._sink.close()
        self.lost += getattr(self._sink, "unsent", 0)
        self.lost_by_then = self.lost

    def __enter__(self) -> Recorder:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


def _forked(recorder: Recorder | None) -> None:
    """A process that the game forks off records nothing: two must not write one file."""
    if recorder is not None:
        recorder._silence()
        recorder._watchdog = None
        forked = getattr(recorder._sink, "forked", None)
        if forked is not None:
            forked()
