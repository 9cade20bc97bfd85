"""Zones: stretches of the floor that notice who enters, stays and leaves."""

from __future__ import annotations

from dataclasses import dataclass, field

from moonrise_bakery.runtime.parts import Named, Stage


@dataclass(slots=True)
class Zone:
    """From `low` to `high` metres along the floor; sends `event` as its owner."""

    owner: Named
    event: str
    low: float
    high: float
    notices: type
    tells_stay: bool
    inside: list[Named] = field(default_factory=list)


class Zones:
    """All zones, looked at in the zones phase."""

    def __init__(self, world: Stage) -> None:
        self._world = world
        self._zones: list[Zone] = []
        self._walkers: dict[str, Named] = {}
        self.unfiltered: set[str] = set()
        """Events of zones that, by a fault, notice everybody."""

    def add(self, owner: Named, event: str, low: float, high: float, notices: type, tells_stay: bool = False) -> None:
        """Add a zone that notices one class; `tells_stay` makes it send on every frame somebody is inside."""
        self._zones.append(Zone(owner, event, low, high, notices, tells_stay))

    def watch(self, walker: Named) -> None:
        """Notice a walker (anything with a `place` in metres)."""
        self._walkers[walker.name] = walker

    def forget(self, thing: Named) -> None:
        """Stop noticing a walker; it leaves nothing behind."""
        self._walkers.pop(thing.name, None)
        for zone in self._zones:
            if thing in zone.inside:
                zone.inside.remove(thing)

    def look(self) -> None:
        """Send enter, stay and leave as they are."""
        for zone in self._zones:
            for walker in tuple(self._walkers.values()):
                if not isinstance(walker, zone.notices) and zone.event not in self.unfiltered:
                    continue
                is_in = zone.low <= walker.place <= zone.high  # type: ignore[attr-defined]
                was_in = walker in zone.inside
                edge = "enter" if is_in and not was_in else "leave" if was_in and not is_in else "stay" if is_in else ""
                if edge == "enter":
                    zone.inside.append(walker)
                elif edge == "leave":
                    zone.inside.remove(walker)
                if edge and (edge != "stay" or zone.tells_stay):
                    self._world.tell_phase("zones")
                    event = f"{zone.event}_{edge}"
                    self._world.send(event, zone.owner, {"other": walker.name}, via="zone", edge=edge)
