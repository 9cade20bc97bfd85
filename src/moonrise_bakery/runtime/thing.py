"""Things: objects that own listeners and timers and end their lives properly."""

from __future__ import annotations

from typing import Any

from moonrise_bakery.runtime.parts import Handler, Listener, Named
from moonrise_bakery.runtime.timers import Arm
from moonrise_bakery.runtime.world import World


class Thing:
    """An object of the game. Its class's name, lower case and numbered, is its name."""

    def __init__(self, world: World, parent: Thing | None = None) -> None:
        self.world = world
        self.name = world.name_for(type(self).__name__)
        self._listeners: list[Listener] = []
        self._arms: list[Arm] = []
        world.things[self.name] = self
        world.recorder.spawn(self.name, type(self).__name__, parent.name if parent else "")

    def listen(self, event: str, function: Handler, source: Named | None = None) -> Listener:
        """Listen to an event for as long as the thing lives."""
        listener = self.world.listen(event, self, function, source)
        self._listeners.append(listener)
        return listener

    def unlisten(self, listener: Listener) -> None:
        """Stop listening."""
        self._listeners.remove(listener)
        self.world.unlisten(listener)

    def every(self, seconds: float, event: str, data: Any = None) -> Arm:
        """Set a looping timer."""
        return self._armed(self.world.timers.arm("timer", self, event, seconds, True, data))

    def after(self, seconds: float, event: str, data: Any = None) -> Arm:
        """Set a delay."""
        return self._armed(self.world.timers.arm("delay", self, event, seconds, False, data))

    def after_frames(self, frames: int, event: str, data: Any = None) -> Arm:
        """Set a delay counted in frames."""
        return self._armed(self.world.timers.arm("delay", self, event, frames / self.world.hz, False, data, frames))

    def _armed(self, arm: Arm) -> Arm:
        self._arms = [other for other in self._arms if other.alive]
        self._arms.append(arm)
        return arm

    def send(self, event: str, data: Any = None, **more: Any) -> int:
        """Send an event from here."""
        return self.world.send(event, self, data, **more)

    def leave(self, forget: tuple[str, ...] = (), keep: tuple[str, ...] = ()) -> None:
        """End the thing's life: unbind and clear everything (for faults: but listeners to `forget` and timers of `keep`)."""
        for listener in self._listeners:
            if listener.event not in forget:
                self.world.unlisten(listener)
        for arm in self._arms:
            if arm.event not in keep:
                self.world.timers.clear(arm, "owner")
        self.world.clips.cut(self)
        self.world.zones.forget(self)
        self.world.things.pop(self.name, None)
        self.world.recorder.gone(self.name)
