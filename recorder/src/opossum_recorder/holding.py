"""Holding the game at a moment: tripwires, steps and holds that Opossum asks for over the link.

Guarantees: while nothing is asked for, the recorder's methods are its plain ones, so it costs nothing; a
condition is looked at before the listener runs; the thread that is held waits and does nothing else; when Opossum
goes away, by closing the link or by falling silent, the game goes on by itself and every tripwire is forgotten.
"""

from __future__ import annotations

import fnmatch
import operator
import threading
from collections import OrderedDict
from collections.abc import Sequence
from typing import Any, Protocol

from opossum_recorder.asked_attributes import AskedAttributes
from opossum_recorder.encoding import LARGEST_COUNT, answer_of
from opossum_recorder.halves import Call
from opossum_recorder.stacks import stack_of

MOST_TRIPWIRES = 64
MOST_REMEMBERED = 1 << 16
"""Sends, and objects alive or gone, that are remembered at most for the conditions."""

LOOK_S = 0.2
"""How often a held thread looks whether Opossum is still there."""

NAMES = ("ev", "o", "cls", "fn", "via")
COMPARISONS = {
    "==": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


class Tripwire:
    """One condition. `when` may hold: `at` (``call``, the default, or ``send``), names to match (`ev`, `o`, `cls`,
    `fn`, `via`; with ``*``), `value` ([path in the data, comparison, value]), `gone`, `again`, `longer_ms`, `count`.

    Raises:
        ValueError: it is no such thing; a wire that was misunderstood would hold the game at random.
    """

    def __init__(self, number: int, when: dict[str, Any]) -> None:
        self.number = number
        self.at_send = when.get("at") == "send"
        self.names = [(name, when[name]) for name in NAMES if name in when]
        self.value = when.get("value")
        self.gone, self.again = bool(when.get("gone")), bool(when.get("again"))
        self.longer_ns = int(float(when.get("longer_ms") or 0) * 1e6)
        self.count = int(when.get("count") or 0)
        self.hits = 0
        known = {*NAMES, "at", "value", "gone", "again", "longer_ms", "count"}
        if set(when) - known or not all(isinstance(pattern, str) for _, pattern in self.names):
            raise ValueError(f"tripwire {number} was not understood")
        if self.value is not None and not (
            isinstance(self.value, list) and len(self.value) == 3 and self.value[1] in COMPARISONS
        ):
            raise ValueError(f"tripwire {number} compares in a way that is not known")

    def matches(self, names: dict[str, str], data: Any) -> bool:
        """Say whether names and data are those that are waited for."""
        for name, pattern in self.names:
            if not (names.get(name, "") == pattern or fnmatch.fnmatchcase(names.get(name, ""), pattern)):
                return False
        return self.value is None or _compares(data, *self.value)

    def due(self) -> bool:
        """Count one match; say whether it is the one to hold at."""
        self.hits += 1
        return not self.count or self.hits == self.count


def _compares(data: Any, path: str, comparison: str, wanted: Any) -> bool:
    for part in str(path).split("."):
        if not isinstance(data, dict) or part not in data:
            return False
        data = data[part]
    try:
        return bool(answer_of(lambda value: bool(COMPARISONS[comparison](value, wanted)), data))
    except ValueError:
        return False


class Holdable(Protocol):
    """What holding asks of a recorder."""

    def now_ns(self) -> int:
        """Return the stream's time."""

    def say(self, text: str, level: str = "") -> None:
        """Record a log line."""

    def held(self, trip: int | None, c: int | None, stack: Sequence[str]) -> None:
        """Say that the game is being held from here on."""

    def went(self) -> None:
        """Say that the game goes on."""

    def plain_send(self, ev: str, o: str, via: str, d: Any, more: dict[str, Any]) -> int:
        """Record a send, whoever looks at sends."""

    def plain_call(self, s: int, b: int | None, o: str, fn: str, at: str) -> Call:
        """Record a call, whoever looks at calls."""

    def plain_frame(self, number: int, dt: float | None) -> Any:
        """Record a frame, whoever looks at frames."""

    def look_through(self, looker: Holding | None, *, returns: bool) -> None:
        """Have every send, call and frame, and every return if wanted, go through `looker`; None: through nobody."""


class Holding:
    """What is asked of one recorder. `hear` and `left` come from the link's thread, all else from the game's."""

    def __init__(self, recorder: Holdable, attributes: AskedAttributes) -> None:
        self._recorder = recorder
        self._attributes = attributes
        self._wires: dict[int, Tripwire] = {}
        self._stop = ""
        self._step_thread: int | None = None
        self._go = threading.Event()
        self._linked = False
        """Whether Opossum is there: whoever waits to be let go looks at this too."""
        self._sends: OrderedDict[int, tuple[str, str, Any]] = OrderedDict()
        self._run: set[Any] = set()
        self._classes: OrderedDict[str, str] = OrderedDict()
        self._gone: OrderedDict[str, None] = OrderedDict()
        self._began: dict[int, int] = {}
        self.held = 0
        """How many threads are being held."""

    # --- what Opossum says -----------------------------------------------------------------------

    def hear(self, told: dict[str, Any]) -> None:
        """Take in one line of Opossum's."""
        kind = told.get("k")
        self._linked = True
        if kind == "hold":
            self._stop, self._step_thread = "any", None
        elif kind in ("go", "step"):
            self._stop = {"call": "call", "frame": "frame"}.get(told.get("by") or "", "") if kind == "step" else ""
            self._go.set()
        elif kind == "untrip":
            self._wires.pop(told.get("id") or 0, None)
        elif kind == "trip":
            self._set(told)
        elif kind == "watch":
            self._attributes.ask(told)
        elif kind == "unwatch":
            self._attributes.forget(told.get("id"))
        self._watch()

    def _set(self, told: dict[str, Any]) -> None:
        try:
            number, when = told["id"], told["when"]
            if type(number) is not int or not 0 < number <= LARGEST_COUNT:
                raise ValueError("a tripwire without a number was not set")
            if len(self._wires) >= MOST_TRIPWIRES:
                raise ValueError(f"tripwire {number} was not set: {MOST_TRIPWIRES} are set already")
            self._wires = self._wires | {number: Tripwire(number, when)}
        except (KeyError, TypeError, AttributeError, ValueError, OverflowError) as error:
            self._recorder.say(f"Opossum: {error}", "warning")

    def left(self) -> None:
        """Opossum has gone away: let the game go on, and forget what it asked for."""
        self._linked = False  # before the gate: a thread that is just about to wait closes it again
        self._wires, self._stop = {}, ""
        self._attributes.forget()
        self._watch()
        self._go.set()

    def _watch(self) -> None:
        """Put our methods over the recorder's while there is something to watch for, and take them off again."""
        wanted = bool(self._wires or self._stop)
        timed = any(wire.longer_ns for wire in self._wires.values())
        self._recorder.look_through(self if wanted else None, returns=timed)

    # --- lives ---------------------------------------------------------------------------------

    def born(self, o: str, cls: str) -> None:
        """Remember an object's class."""
        self._gone.pop(o, None)
        self._classes[o] = cls
        if len(self._classes) > MOST_REMEMBERED:
            self._classes.popitem(last=False)

    def died(self, o: str) -> None:
        """Remember that an object is gone."""
        self._gone[o] = None
        if len(self._gone) > MOST_REMEMBERED:
            self._gone.popitem(last=False)

    # --- in the recorder's place -------------------------------------------------------------------

    def send(self, ev: str, o: str = "", *, via: str = "", d: Any = None, **more: Any) -> int:
        """Record a send, and hold at it if that is wanted."""
        number = self._recorder.plain_send(ev, o, via, d, more)
        try:
            self._sends[number] = (ev, via or "direct", d)
            if len(self._sends) > MOST_REMEMBERED:
                self._sends.popitem(last=False)
            names = {"ev": ev, "o": o, "cls": self._classes.get(o, ""), "via": via or "direct"}
            hit = next((w for w in self._wires.values() if w.at_send and w.matches(names, d) and w.due()), None)
        except Exception:
            hit = None
        if hit is not None:
            self._hold(hit.number, None)
        return number

    def call(self, s: int, b: int | None, o: str, fn: str, at: str = "") -> Call:
        """Record a call, and hold before the listener runs if that is wanted."""
        call = self._recorder.plain_call(s, b, o, fn, at)
        try:
            hit, hold = self._hit(call, s, b, o, fn)
        except Exception:
            hit, hold = 0, False
        if hold:
            self._hold(hit, call.id)
        return call

    def _hit(self, call: Call, s: int, b: int | None, o: str, fn: str) -> tuple[int, bool]:
        if self._stop in ("any", "call") and self._step_thread in (None, threading.get_ident()):
            self._stop = ""
            return 0, True
        ev, via, data = self._sends.get(s, ("", "", None))
        names = {"ev": ev, "o": o, "cls": self._classes.get(o, ""), "fn": fn, "via": via}
        key = (o, fn, ev)  # bound once or twice, it is one listener
        again = key in self._run
        self._run.add(key)
        hit = 0
        for wire in self._wires.values():
            if wire.at_send or (wire.gone and o not in self._gone) or (wire.again and not again):
                continue
            if not wire.matches(names, data):
                continue
            if wire.longer_ns:
                self._began[call.id] = self._recorder.now_ns()
            elif wire.due():
                hit = hit or wire.number
        return hit, bool(hit)

    def returned(self, call: Call) -> None:
        """A call has returned: hold if it was to be timed and was longer than is allowed."""
        began = self._began.pop(call.id, None)
        if began is None:
            return
        took = self._recorder.now_ns() - began
        for wire in self._wires.values():
            if wire.longer_ns and took > wire.longer_ns and wire.due():
                self._hold(wire.number, call.id)
                return

    def frame(self, number: int, dt: float | None = None) -> Any:
        """Begin a frame, and hold at its beginning if that is wanted."""
        self._run.clear()
        context = self._recorder.plain_frame(number, dt)
        if self._stop in ("any", "frame"):
            self._stop = ""
            self._hold(0, None)
        return context

    # --- holding -----------------------------------------------------------------------------------

    def _hold(self, wire: int, call: int | None) -> None:
        """Keep this thread here until it is let go."""
        recorder = self._recorder
        self._go.clear()
        self._step_thread = threading.get_ident()
        self._attributes.read()
        recorder.held(wire or None, call, stack_of(threading.get_ident()))
        self.held += 1
        try:
            while not self._go.wait(LOOK_S) and self._linked:
                pass
        finally:
            self.held -= 1
            recorder.went()
            self._watch()
