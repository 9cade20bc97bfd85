"""The world: runs frames phase by phase, delivers events, and tells the recorder."""

from __future__ import annotations

import random
import sys
from collections import deque
from collections.abc import Callable
from typing import Any

from moonrise_bakery.runtime.clips import Clips
from moonrise_bakery.runtime.pace import RealPace, SimulatedPace
from moonrise_bakery.runtime.parts import Event, Handler, Listener, Named
from moonrise_bakery.runtime.timers import Timers
from moonrise_bakery.runtime.zones import Zones
from opossum_recorder import Recorder

PHASES = ("input", "clock", "timers", "clips", "zones", "update", "queue")

LISTENER_COST_US = 18.0
"""What a listener's work costs on the simulated clock, unless it spends more itself."""


class Halt(Exception):  # noqa: N818 - not an error: the night ends here
    """Ends the night at once, as a killed process would."""


class World:
    """One running bakery."""

    def __init__(
        self,
        recorder_for: Callable[[Callable[[], int]], Recorder],
        seed: int,
        faults: frozenset[str],
        hz: int,
        real_time: bool,
    ) -> None:
        self.random = random.Random(seed)
        self.faults = faults
        self.hz = hz
        self.pace: SimulatedPace | RealPace = RealPace() if real_time else SimulatedPace(seed)
        self.recorder = recorder_for(self.pace.now_ns)
        self.timers = Timers(self)
        self.clips = Clips(self)
        self.zones = Zones(self)
        self.time_s = 0.0
        self.frame_number = -1
        self.told_s = 1 / hz
        """What the game is told that the last frame took."""
        self.things: dict[str, Named] = {}
        self.shared: tuple[str, ...] = ()
        """Events that other peers hear too, by `tell_others`."""
        self.tell_others: Callable[[str, Any, str], None] = lambda event, data, key: None
        self._told = 0
        self._listeners: dict[str, list[Listener]] = {}
        self._queues: dict[str, deque[tuple[Event, bool]]] = {}
        self._inputs: list[tuple[float, str, str]] = []
        self._counts: dict[str, int] = {}
        self._phase_jobs: dict[str, list[Callable[[], None]]] = {phase: [] for phase in PHASES}
        self._phase_told = ""

    # --- objects -----------------------------------------------------------------------------------

    def name_for(self, class_name: str) -> str:
        """Return the next free name of a class, such as ``oven#2``."""
        self._counts[class_name] = self._counts.get(class_name, 0) + 1
        return f"{class_name.lower()}#{self._counts[class_name]}"

    # --- listeners -----------------------------------------------------------------------------------

    def listen(self, event: str, owner: Named, function: Handler, source: Named | None = None) -> Listener:
        """Bind a listener; it hears sends from now on (only those of `source`, if given)."""
        code = function.__func__.__code__  # type: ignore[attr-defined]
        place = f"moonrise_bakery/{code.co_filename.rsplit('/', 1)[-1]}:{code.co_firstlineno}"
        caller = sys._getframe(1)
        if caller.f_code.co_name == "listen":
            caller = caller.f_back or caller
        at = f"moonrise_bakery/{caller.f_code.co_filename.rsplit('/', 1)[-1]}:{caller.f_lineno}"
        name = code.co_qualname
        number = self.recorder.bind(event, owner.name, name, source.name if source else "", at)
        listener = Listener(number, event, owner, function, source, name, place)
        self._listeners.setdefault(event, []).append(listener)
        return listener

    def unlisten(self, listener: Listener) -> None:
        """Unbind a listener."""
        if listener.alive:
            listener.alive = False
            self._listeners[listener.event].remove(listener)
            self.recorder.unbind(listener.number)

    # --- events --------------------------------------------------------------------------------------

    def send(self, event: str, sender: Named | None = None, data: Any = None, via: str = "", **more: Any) -> int:
        """Send an event and deliver it at once, to all or only to the owner named by `to`; returns its number."""
        if event in self.shared:
            self._told += 1
            more["net"] = f"{event}/{self._told}"
            self.tell_others(event, data, more["net"])
        number = self.recorder.send(event, sender.name if sender else "", via=via, d=data, **more)
        self._deliver(Event(event, sender, data, number), more.get("to", ""), more.get("route", "all"))
        return number

    def _deliver(self, event: Event, to: str = "", route: str = "all") -> None:
        listeners = list(self._listeners.get(event.name, ()))
        if event.name == "bread_ready" and "order-flips" in self.faults:
            self.random.shuffle(listeners)  # the fault: they are kept in a set
        for listener in listeners:
            if not listener.alive or (listener.source is not None and listener.source is not event.sender):
                continue
            if to and listener.owner.name != to:
                continue
            if not self._call(listener, event) or route == "first":
                break

    def _call(self, listener: Listener, event: Event) -> bool:
        """Call a listener; return whether to go on: an error is logged, and ends the round only by a fault."""
        try:
            with self.recorder.call(
                event.number, listener.number, listener.owner.name, listener.name, listener.place
            ) as call:
                self.pace.spend(LISTENER_COST_US)
                call.changed(listener.function(event) or 0)
        except LookupError as error:
            self.recorder.say(f"{listener.name}: {error!r}", "error", listener.owner.name)
            return "rest-not-called" not in self.faults
        return True

    def enqueue(self, queue: str, event: str, sender: Named, data: Any = None) -> None:
        """Put an event on a queue; it is delivered in the queue phase."""
        number = self.recorder.send(event, sender.name, via="queue", d=data, q=queue)
        self.recorder.put(queue, number)
        self._queues.setdefault(queue, deque()).append((Event(event, sender, data, number), True))

    def _pull_queues(self) -> None:
        for queue, waiting in self._queues.items():
            for _ in range(self._pulled_now(queue, len(waiting))):
                event, first = waiting.popleft()
                self.tell_phase("queue")
                self.recorder.pull(queue, event.number)
                self._deliver(event)
                if first and queue == "bench" and "queue-kept" in self.faults:
                    waiting.append((event, False))  # the fault: it stays on the queue for one more turn

    def _pulled_now(self, queue: str, length: int) -> int:
        """Return how many to pull in this frame: all, but for the faults that let the dishes stand."""
        if queue == "sink":
            if "queue-never-pulled" in self.faults and self.time_s > 88:
                return 0
            if "queue-waits" in self.faults and self.frame_number % 7:
                return 0
            if "queue-grows" in self.faults:
                return min(length, int(self.frame_number % 150 == 0))
        return length

    def press(self, at_s: float, key: str, seconds: float) -> None:
        """Plan a key press of the player."""
        self._inputs.append((at_s, key, "down"))
        frames = max(1, int(seconds * self.hz))
        self._inputs += [(at_s + frame / self.hz, key, "held") for frame in range(1, frames)]
        self._inputs.append((at_s + frames / self.hz, key, "up"))
        self._inputs.sort()

    def _read_input(self) -> None:
        while self._inputs and self._inputs[0][0] <= self.time_s:
            _, key, edge = self._inputs.pop(0)
            self.tell_phase("input")
            self.send(f"key_{key}_{edge}", None, via="input", key=key, edge=edge)

    # --- the loop --------------------------------------------------------------------------------------

    def each_frame(self, phase: str, job: Callable[[], None]) -> None:
        """Run `job` in a phase of every frame."""
        self._phase_jobs[phase].append(job)

    def tell_phase(self, phase: str) -> None:
        """Tell the recorder of a phase when something first happens in it."""
        if phase != self._phase_told:
            self._phase_told = phase
            self.recorder.phase(phase)

    def run_frame(self) -> None:
        """Run one frame: every phase in its order, then wait for the next."""
        self.frame_number += 1
        period_ns = int(1e9 / self.hz)
        began = self.pace.now_ns()
        self._phase_told = ""
        self.recorder.frame(self.frame_number, self.told_s)
        self.pace.spend(60)
        self._read_input()
        for phase in self._phases_now():
            for job in self._phase_jobs[phase]:
                job()
            if phase == "timers":
                self.timers.fire_due()
            elif phase == "clips":
                self.clips.advance()
            elif phase == "zones":
                self.zones.look()
            elif phase == "update" and self._listeners.get("tick"):
                self.tell_phase("update")
                self.send("tick", None, via="tick")
        self._pull_queues()
        if "timer-starved" in self.faults and self.frame_number % 10 == 5:
            self.pace.spend(45_000)  # the fault: a picture is drawn anew, and the frame runs long
        self.recorder.idle()
        self.pace.wait_until(began + period_ns)
        if "timer-starved" in self.faults:
            self.told_s = (self.pace.now_ns() - began) / 1e9
        self.time_s += self.told_s

    def _phases_now(self) -> tuple[str, ...]:
        """Return the phases of this frame: the fault ticks before timers fire, every other second."""
        if "phase-order" in self.faults and self.frame_number // self.hz % 2:
            return ("clock", "update", "timers", "clips", "zones")
        return ("clock", "timers", "clips", "zones", "update")

    def hang(self, seconds: float, stack: list[str]) -> None:
        """Let the game hang; on a simulated clock the watchdog's part is played here too."""
        if not self.pace.simulated:
            self.pace.spend(seconds * 1e6)
            return
        told = 0.25
        began = self.pace.now_ns()
        while told < seconds:
            self._skip_to(began + int(told * 1e9))
            self.recorder.stuck(round(told, 3), stack, self.recorder.current_call())
            told *= 1.8
        self._skip_to(began + int(seconds * 1e9))

    def _skip_to(self, moment_ns: int) -> None:
        self.pace.wait_until(moment_ns)
