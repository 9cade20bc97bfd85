"""Writing small streams that a person can read.

    tape = Tape()
    tape.frame()
    tape("spawn", o="door#1", cls="Door")
    bell = tape.bind("open", "door#1", "Door.on_open")
    tape.heard("open", bell)                 # a send, its call, its return
    take = tape.take()

Every record comes a microsecond after the one before, unless `ms` moves the clock.
"""

from __future__ import annotations

from typing import Any

import msgspec

from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.findings.settings import Settings
from opossum.stream.reading import StreamReader
from opossum.take.take import Take


class Bound:
    """A listener that was bound on a tape."""

    def __init__(self, number: int, event: str, owner: str, function: str) -> None:
        self.number, self.event, self.owner, self.function = number, event, owner, function


class Tape:
    """Collects records; ids count up by themselves."""

    def __init__(self, head: bool = True, **fields: Any) -> None:
        self.lines: list[str] = []
        self.now_ns = 0
        self._frame = 0
        self._counts: dict[str, int] = {}
        if head:
            self("head", **{"opossum": 1, "game": "test", "peer": "main", **fields})

    def __call__(self, k: str, **fields: Any) -> Tape:
        """Write one record."""
        self.now_ns += 1000
        told = {"k": k, "t": self.now_ns, **{name: v for name, v in fields.items() if v is not None}}
        self.lines.append(msgspec.json.encode(told).decode())
        return self

    def ms(self, milliseconds: float) -> Tape:
        """Let time pass."""
        self.now_ns += int(milliseconds * 1e6)
        return self

    def number(self, kind: str) -> int:
        """Return the next id of a kind."""
        self._counts[kind] = self._counts.get(kind, 0) + 1
        return self._counts[kind]

    def frame(self, idle: bool = True, length_ms: float = 16.0) -> Tape:
        """End the frame before (its work takes what was recorded in it) and begin the next."""
        if self._frame and idle:
            self("idle")
            self.ms(length_ms)
        self("frame", n=self._frame)
        self._frame += 1
        return self

    def frames(self, count: int) -> Tape:
        """Let empty frames pass."""
        for _ in range(count):
            self.frame()
        return self

    def bind(self, ev: str, o: str, fn: str, **more: Any) -> Bound:
        """Bind a listener."""
        number = self.number("b")
        self("bind", b=number, ev=ev, o=o, fn=fn, **more)
        return Bound(number, ev, o, fn)

    def send(self, ev: str, **more: Any) -> int:
        """Send an event; return its id."""
        number = self.number("s")
        self("send", s=number, ev=ev, **more)
        return number

    def call(
        self, s: int, bound: Bound, eff: int | None = 1, takes_ms: float = 0.02, returns: bool = True, **more: Any
    ) -> int:
        """Call a listener for a send; return the call's id."""
        number = self.number("c")
        self("call", c=number, s=s, b=bound.number or None, o=bound.owner, fn=bound.function, **more)
        self.ms(takes_ms)
        if returns:
            self("ret", c=number, eff=eff)
        return number

    def open_call(self, s: int, bound: Bound) -> int:
        """Begin a call that is still to return."""
        return self.call(s, bound, takes_ms=0, returns=False)

    def heard(self, ev: str, *listeners: Bound, eff: int | None = 1, takes_ms: float = 0.02, **more: Any) -> int:
        """Send an event that these listeners hear; return the send's id."""
        s = self.send(ev, **more)
        for bound in listeners:
            self.call(s, bound, eff, takes_ms)
        return s

    def arm(self, what: str, o: str, ev: str, **more: Any) -> int:
        """Set a timer or delay; return its id."""
        number = self.number("a")
        self("arm", a=number, what=what, o=o, ev=ev, **{"loop": what == "timer", "sec": 0.1, **more})
        return number

    def bytes(self, bye: bool = True) -> bytes:
        """Return the stream."""
        lines = list(self.lines)
        if bye:
            lines.append(msgspec.json.encode({"k": "bye", "t": self.now_ns + 1000}).decode())
        return "".join(line + "\n" for line in lines).encode()

    def take(self, bye: bool = True) -> Take:
        """Return the tape as an indexed take, its last frame ended."""
        if bye and self._frame:
            self("idle")
        return read(self.bytes(bye))

    def found(self, kind: str | None = None, bye: bool = True, settings: Settings | None = None) -> list[Finding]:
        """Return what is found on the tape."""
        return [finding for finding in examine(self.take(bye), settings) if kind is None or finding.kind == kind]


def read(data: bytes, name: str = "tape") -> Take:
    """Return bytes read as a take."""
    reader = StreamReader(name)
    reader.feed(data)
    reader.finish_source()
    take = Take.from_contents(reader.contents(), name)
    take.index()
    return take


def only(findings: list[Finding], cause: str) -> Finding:
    """Return the one finding there is, which must have this cause."""
    assert [finding.cause for finding in findings] == [cause]
    return findings[0]


class Stage(Tape):
    """A game whose frames begin on the dot, told what to do in which frame before it plays.

    stage = Stage()
    door = stage.bind("open", "door#1", "Door.on_open")
    stage.at(100, lambda: stage.heard("open", door))
    findings = stage.findings(frames=300)
    """

    def __init__(
        self,
        hz: int = 60,
        phases: tuple[str, ...] = ("update",),
        catches_up: bool = True,
        dt: float | None = None,
        **head: Any,
    ) -> None:
        """Set up a game; one that does not catch up begins a frame a period after the one before began, at the earliest.
        `dt`: the seconds that each frame is told, where it is."""
        super().__init__(hz=hz, phases=list(phases) or None, **head)
        self.dt = dt
        self.catches_up = catches_up
        self._began = 0
        self.hz = hz
        self.phases = phases
        self.number_now = -1
        self._plans: dict[int, list[Any]] = {}
        self._each: list[Any] = []
        self.told_at_idle: dict[str, int] = {}
        """What the frame that plays tells when it waits."""

    def at(self, *frames: int, do: Any) -> None:
        """Plan an action for some frames."""
        for frame in frames:
            self._plans.setdefault(frame, []).append(do)

    def each(self, do: Any) -> None:
        """Plan an action, given the frame's number, for every frame."""
        self._each.append(do)

    def run(self, frames: int) -> Stage:
        """Play."""
        for number in range(self.number_now + 1, self.number_now + 1 + frames):
            self.number_now = number
            period = 1_000_000_000 // self.hz
            due = number * 1_000_000_000 // self.hz if self.catches_up else self._began + period * (number > 0)
            self.now_ns = self._began = max(self.now_ns, due)
            self("frame", n=number, dt=self.dt)
            if self.phases:
                self("phase", name=self.phases[0])
            for do in self._each:
                do(number)
            for do in self._plans.get(number, ()):
                do()
            self("idle", **self.told_at_idle)
            self.told_at_idle = {}
        self._frame = 0  # every frame is ended already
        return self

    def spawn(self, o: str, cls: str) -> str:
        """Let an object begin to live; return its name."""
        self("spawn", o=o, cls=cls)
        return o

    def play(self, o: str, clip: str, length: float, marks: list[Any], **more: Any) -> int:
        """Start a clip; return its id."""
        number = self.number("y")
        self("play", y=number, o=o, clip=clip, len=length, marks=marks, **more)
        return number

    def wait(self, o: str, ev: str) -> int:
        """Begin to wait; return the wait's id."""
        number = self.number("w")
        self("wait", w=number, o=o, ev=ev)
        return number

    def inside(self, s: int, bound: Bound, do: Any, eff: int = 1) -> int:
        """Call a listener that does something while it runs, given the call's id."""
        number = self.open_call(s, bound)
        do(number)
        self("ret", c=number, eff=eff)
        return number

    def findings(self, frames: int, settings: Settings | None = None, bye: bool = True) -> list[Finding]:
        """Play, and return what is found."""
        return examine(self.run(frames).take(bye), settings)
