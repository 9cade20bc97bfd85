"""Timers that loop and pause, and delays by seconds or frames."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from moonrise_bakery.runtime.parts import Named, Stage


@dataclass(slots=True)
class Arm:
    """A timer or delay that was set."""

    number: int
    what: str
    owner: Named
    event: str
    seconds: float
    loop: bool
    due_s: float
    data: Any
    alive: bool = True
    paused_left_s: float | None = None
    due_frame: int = 0


class Timers:
    """All timers and delays, fired in the timers phase in the order they were set."""

    def __init__(self, world: Stage) -> None:
        self._world = world
        self._arms: list[Arm] = []

    def arm(
        self,
        what: str,
        owner: Named,
        event: str,
        seconds: float,
        loop: bool,
        data: Any = None,
        frames: int | None = None,
    ) -> Arm:
        """Set a timer or delay."""
        interval: dict[str, Any] = {"frames": frames} if frames is not None else {"sec": seconds}
        number = self._world.recorder.arm(what, owner.name, event, loop=loop, **interval)
        arm = Arm(number, what, owner, event, seconds, loop, self._world.time_s + seconds, data)
        self._arms.append(arm)
        return arm

    def clear(self, arm: Arm, how: str = "cleared") -> None:
        """Clear a timer or delay; nothing happens if it has ended."""
        if arm.alive:
            arm.alive = False
            self._world.recorder.disarm(arm.number, how)

    def pause(self, arm: Arm) -> None:
        """Hold a timer; what is left of its interval is kept."""
        if arm.alive and arm.paused_left_s is None:
            arm.paused_left_s = arm.due_s - self._world.time_s
            self._world.recorder.pause(arm.number)

    def resume(self, arm: Arm) -> None:
        """Release a timer."""
        if arm.alive and arm.paused_left_s is not None:
            arm.due_s = self._world.time_s + arm.paused_left_s
            arm.paused_left_s = None
            self._world.recorder.resume(arm.number)

    def _is_due(self, arm: Arm, now: float) -> bool:
        if arm.event == "drop" and "timer-starved" in self._world.faults:
            # the fault: the tap counts frames, whatever they take
            if self._world.frame_number < arm.due_frame:
                return False
            arm.due_frame = self._world.frame_number + round(arm.seconds * self._world.hz)
            return True
        return arm.due_s <= now

    def _next_due(self, arm: Arm) -> float:
        """Return when a looping timer fires next; the faults lose time on the tap's drops."""
        world = self._world
        if arm.event == "drop":
            if "timer-off-by-one" in world.faults:
                return arm.due_s + arm.seconds + 1 / world.hz
            if "timer-drops-rest" in world.faults:
                return world.time_s + math.ceil(arm.seconds * world.hz) / world.hz
        return arm.due_s + arm.seconds

    def fire_due(self) -> None:
        """Fire what is due; a looping timer keeps what is left over, so it does not drift."""
        now = self._world.time_s + 1e-9
        for arm in tuple(self._arms):
            if not arm.alive or arm.paused_left_s is not None or not self._is_due(arm, now):
                continue
            if arm.loop:
                arm.due_s = self._next_due(arm)
            else:
                arm.alive = False
            self._world.tell_phase("timers")
            self._world.send(arm.event, arm.owner, arm.data, via=arm.what, a=arm.number)
            if not arm.loop:
                self._world.recorder.disarm(arm.number, "done")
        self._arms = [arm for arm in self._arms if arm.alive]
