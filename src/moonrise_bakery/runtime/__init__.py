"""The bakery's own frame loop: phases, objects, events, timers, clips, zones, queues.

Small and ordinary on purpose: it is what is recorded, not what records.
"""

from moonrise_bakery.runtime.parts import Event
from moonrise_bakery.runtime.thing import Thing
from moonrise_bakery.runtime.world import World

__all__ = ["Event", "Thing", "World"]
