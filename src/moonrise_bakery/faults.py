"""Faults that can be built into the night, by name."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """A mistake a programmer makes: its name, what goes wrong, and what should be found."""

    name: str
    story: str
    kind: str


_ALL = (
    Fault(
        "bound-twice",
        "the counter binds bread_ready again when the shop opens: each loaf is stocked twice",
        "double-fire",
    ),
    Fault("two-routes", "a payment reaches the ledger as coin and as sale: income is booked twice", "double-fire"),
    Fault("queue-kept", "jobs are not taken off the bench queue when pulled: dough is kneaded twice", "double-fire"),
    Fault(
        "armed-twice", "an oven starts its steam timer again without clearing it: steam at double rate", "double-fire"
    ),
    Fault(
        "held-input", "selling hangs on the held key instead of the press: one press sells many loaves", "double-fire"
    ),
    Fault("no-latch", "the warm spot says the cat has settled on every frame it lies there", "double-fire"),
    Fault("called-after-gone", "customers keep listening to the street clock after they left", "stale-listener"),
    Fault("left-bound", "dough never unbinds from power_cut when it goes into the oven", "stale-listener"),
    Fault("sender-gone", "the bell still listens to an inspector who has left", "stale-listener"),
    Fault("every-frame", "the shelf looks every frame whether there is bread", "polling-waste"),
    Fault("short-timer", "the window looks ten times a second whether the cat is there", "polling-waste"),
    Fault("delay-loop", "the lamp looks for dusk with a delay that sets itself again", "polling-waste"),
    Fault("stay-loop", "the door mat asks every frame whether its customer was served", "polling-waste"),
    Fault("endless-loop", "the baker looks for a recipe that is not in the book, for ever", "freeze"),
    Fault("slow-call", "the ledger writes all its books at a quarter past", "freeze"),
    Fault("event-storm", "mixer and pantry answer each other until the flour is gone", "freeze"),
    Fault("many-calls", "a dropped tray sends crumb_fell hundreds of times in one frame", "freeze"),
    Fault("waiting", "the game waits for the oven's smart plug between two phases", "freeze"),
)

FAULTS: dict[str, Fault] = {fault.name: fault for fault in _ALL}

DEMO_FAULTS = ("bound-twice", "no-latch", "called-after-gone", "every-frame", "slow-call")
"""The believable handful of the demo take."""
