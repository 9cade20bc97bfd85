"""Faults that can be built into the night, by name."""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Fault:
    """A mistake a programmer makes: its name, what goes wrong, and the kind and cause of what should be found.

    The cause is the fault's name where it has no other.
    """

    name: str
    story: str
    kind: str
    cause: str = ""


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
    Fault("empty-name", "the foreman reads the jingle's name from an empty line", "unheard"),
    Fault("sent-before-bind", "the sign is put up when the first oven is lit already", "unheard"),
    Fault("near-name", "the till says thank_yuo, and the bell listens to thank_you", "unheard"),
    Fault("receiver-gone", "receipts are printed when their customers have left", "unheard"),
    Fault("wrong-object", "the baker listens to two of the three ovens", "unheard"),
    Fault("first-only", "errands go to the first apprentice found, always the same", "unheard"),
    Fault("never-sent", "the lamp listens for a fuse that is not in the scene", "unheard"),
    Fault(
        "queue-never-pulled", "nobody washes up near the end: dishes stay in the sink", "unheard", "queued-never-pulled"
    ),
    Fault("raised", "the lamp has no bulb at every third quarter", "raised"),
    Fault("rest-not-called", "the lamp's error keeps those behind it from hearing the quarter", "raised"),
    Fault("delay-early", "the waiter serves by a delay, before the tray is up", "delay-off-mark", "early"),
    Fault("delay-late", "the waiter serves by a delay, long after the tray is up", "delay-off-mark", "late"),
    Fault("one-delay-many-clips", "one delay serves trays of both hands, which take different times", "delay-off-mark"),
    Fault("wait-without", "the left hand's clip lacks the mark that the waiter waits for", "missing-mark"),
    Fault("clip-without", "the left hand's clip lacks the mark that the right hand's has", "missing-mark"),
    Fault("clip-cut", "the waiter drops the tray when somebody calls", "cut-before-mark", "cut"),
    Fault("clip-replaced", "the waiter turns round when somebody calls", "cut-before-mark", "replaced"),
    Fault("wait-after-mark", "the waiter waits for the tray when it is up already", "wait-never-met", "clip-ended"),
    Fault("wait-and-gone", "customers in a hurry leave while they wait", "wait-never-met", "owner-gone"),
    Fault("wait-for-nothing", "the baker waits for the moon to rise", "wait-never-met", "take-ended"),
    Fault("mark-late", "marks are looked for now and then only", "mark-late", "late"),
    Fault("mark-skipped", "marks are looked for by nearness, and missed between two frames", "mark-late", "skipped"),
    Fault("marks-burst", "marks of a clip's second half come when it ends", "mark-late", "burst"),
    Fault("timer-off-by-one", "the tap counts one frame too many", "timer-drift", "off-by-one"),
    Fault("timer-drops-rest", "the tap drops the rest of a frame", "timer-drift", "remainder-dropped"),
    Fault("timer-starved", "the tap counts frames, and some run long", "timer-drift", "starved"),
    Fault("timer-left", "the inspector's notes go on after it left", "timer-left-running", "owner-gone"),
    Fault("timer-for-nobody", "the radio crackles and nobody listens", "timer-left-running", "nobody-listens"),
    Fault("delay-stacked", "each puff of steam sets another wipe", "delay-restacked", "stacked"),
    Fault("delay-restarted", "each puff of steam puts the wipe off", "delay-restacked", "restarted"),
    Fault("delay-ignored", "each puff of steam asks for a wipe, and one comes", "delay-restacked", "ignored"),
    Fault("order-flips", "counter and shelf hear of bread in any order", "order-changes", "flips"),
    Fault("phase-order", "things tick before timers fire, every other second", "order-broken"),
    Fault("wrong-phase", "an oven lets off steam while the clock is told, not when its timer fires", "order-broken"),
    Fault(
        "bound-by-luck", "customers have an ear for the bell now before it rings, now after", "race-at-start", "by-luck"
    ),
    Fault("queue-grows", "dishes come faster than they are washed", "queue-backlog", "grows"),
    Fault("queue-waits", "dishes stand for frames before they are washed", "queue-backlog", "waits"),
    Fault("event-circle", "cat and radio purr and hum back at each other for ever", "event-loop", "cycle"),
    Fault("cue-early", "the radio's cues come before their places", "cue-off", "early"),
    Fault("cue-late", "the radio's cues come after their places", "cue-off", "late"),
    Fault("cue-drifts", "the radio's cues run away from the song", "cue-off", "drifts"),
    Fault("cue-missed", "a cue of the song is never sent", "cue-off", "missed"),
    Fault("clock-jumped", "the street clock is set on past a quarter", "threshold-missed", "jumped"),
    Fault("clock-midnight", "the quarter at midnight is lost", "threshold-missed", "midnight"),
    Fault("clock-doubled", "every third quarter is struck twice", "threshold-missed", "doubled"),
    Fault("clock-late", "quarters are looked for now and then only", "threshold-missed", "late-clock"),
    Fault(
        "level-missed",
        "the silo asks whether it is low just now, and a big portion goes past it",
        "threshold-missed",
        "level",
    ),
    Fault("dead-end", "an oven's door sticks, and nobody is told", "dead-end", "returned"),
    Fault(
        "zone-unfiltered",
        "the door bell is told of mouse and cat, and does nothing for them",
        "zone-unfiltered",
        "others-do-nothing",
    ),
    Fault("zone-undone", "the door bell rings for the mouse, and is hushed again", "zone-unfiltered", "others-undone"),
)

FAULTS: dict[str, Fault] = {fault.name: replace(fault, cause=fault.cause or fault.name) for fault in _ALL}

DEMO_FAULTS = (
    "bound-twice",
    "no-latch",
    "called-after-gone",
    "every-frame",
    "slow-call",
    "near-name",
    "delay-early",
    "timer-left",
    "queue-waits",
    "cue-late",
    "dead-end",
    "zone-unfiltered",
)
"""The believable dozen of the demo take."""
