"""What somebody comes with: the symptoms that the start page asks for. Kinds and causes say which they answer."""

from __future__ import annotations

from typing import NamedTuple


class Symptom(NamedTuple):
    """A symptom in the words of whoever has it, and what it may mean."""

    title: str
    explained: str


FIRES_TWICE = Symptom("It fires twice", "one thing happens, its effect comes again")
NEVER_COMES = Symptom("It never comes", "nobody listens, a mark is missing, a wait is never met")
EARLY_OR_LATE = Symptom("It comes too early or late", "beside its mark, its time or its order")
EATS_THE_FRAME = Symptom("It eats the frame", "work on every frame, mostly for nothing; queues that grow")
HANGS = Symptom("It hangs", "a frame far too long, an error, an endless circle")

OUT_OF_ORDER = Symptom("It is out of order", "what runs before what changes, or breaks the phases")
WAITS_FOR_NOTHING = Symptom("It waits for nothing", "listeners, timers and waits of what is gone or never comes")

SYMPTOMS = (FIRES_TWICE, NEVER_COMES, EARLY_OR_LATE, EATS_THE_FRAME, HANGS)
"""What the start page asks for. The list of findings groups by these and by the two others."""
