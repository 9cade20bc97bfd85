"""What the parts of the loop know of each other: names, events, listeners, and the stage they play on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from opossum_recorder import Recorder


class Named(Protocol):
    """Anything that has a name in the recording."""

    name: str


@dataclass(frozen=True, slots=True)
class Event:
    """What a listener is handed: the event's name, who sent it, its data, and its number in the stream."""

    name: str
    sender: Named | None
    data: Any
    number: int


Handler = Callable[[Event], int | None]
"""A listener's function; returns how many things it changed (none: 0)."""


@dataclass(slots=True)
class Listener:
    """A bound (event, owner, function)."""

    number: int
    event: str
    owner: Named
    function: Handler
    source: Named | None
    name: str
    place: str
    alive: bool = True


class Stage(Protocol):
    """What timers, clips and zones ask of the world they play in."""

    recorder: Recorder
    time_s: float
    hz: int
    frame_number: int
    faults: frozenset[str]

    def send(self, event: str, sender: Named | None = None, data: Any = None, via: str = "", **more: Any) -> int:
        """Send an event and deliver it at once; returns its number."""

    def tell_phase(self, phase: str) -> None:
        """Tell the recorder of a phase when something first happens in it."""
