"""Delays and timers as one finds them who follows one after the other; for tests that see whether findings say the same."""

from __future__ import annotations

from collections import defaultdict
from random import Random
from typing import Any

import msgspec

from tape import Tape

FRAMES = 60
NEVER = 10**9


def delays(seed: int, looping: float = 0.03) -> Tape:
    """Return a game of bells whose delays are set again and again, fire, are cleared, tell that they are done, set others as they
    land, and carry data; `looping`: how many of them fire until they are cleared."""
    random = Random(seed)
    tape = Tape(game=random.choice(["bell#1", "ring"]))  # the first of all texts
    owners, events = ("bell#1", "bell#2"), ("ring", "toll")
    pending: list[tuple[int, str, str, bool]] = []
    rarely = random.random() < 0.3  # what is set is set by what lands, then
    busy, firing, clearing = random.choice([0.1, 0.3, 0.6]), random.choice([0.05, 0.2]), random.choice([0.05, 0.3])
    acting, with_data, chained = random.random(), random.choice([0.0, 0.5, 1.0]), random.choice([0.2, 0.6, 1.0])
    listeners = {owner: tape.bind("ring", owner, "Bell.on_ring") for owner in owners}

    def arm(owner: str | None, event: str, cause: int | None = None) -> None:
        what, names_it = random.choice(["delay"] * 6 + ["timer"]), random.random() < 0.9
        looped = random.random() < looping
        number = tape.arm(what, owner, event if names_it else None, loop=looped, c=cause)
        if owner is not None:
            pending.append((number, owner, event, looped))

    for _ in range(FRAMES):
        tape.frame()
        if random.random() < 0.02:
            arm(None, "ring")
        for owner in owners:
            for event in events:
                if random.random() < (0.02 if rarely else busy):
                    arm(owner, event)
        for one in list(pending):
            number, owner, event, looped = one
            if random.random() < clearing * 0.3:
                tape("disarm", a=number, how=random.choice(["cleared", "cleared", "done"]))
                pending.remove(one)
            elif random.random() < firing:
                data = random.randrange(6) if random.random() < with_data else None
                s = tape.send(event, via="delay", a=number, o=owner, d=data)
                bound, acts = listeners[owner], random.random() < acting
                if random.random() < 0.8:
                    if len(pending) < 12 and random.random() < chained:  # what fires again and again sets more and more
                        call = tape.open_call(s, bound)
                        arm(owner, event, cause=call)
                        tape("ret", c=call, eff=int(acts))
                    else:
                        tape.call(s, bound, eff=int(acts))
                if not looped and random.random() < 0.8:  # or it fires again
                    pending.remove(one)
                    if random.random() < 0.5:
                        tape("disarm", a=number, how="done")
    return tape


class Delays:
    """The delays of one peer, each with what became of it."""

    def __init__(self, game: Tape) -> None:
        self.arms: dict[int, dict[str, Any]] = {}
        self.sends: dict[int, list[dict[str, Any]]] = defaultdict(list)
        """Of each delay."""
        self.disarms: dict[int, list[dict[str, Any]]] = defaultdict(list)
        calls: dict[int, int] = {}
        arm_of: dict[int, int] = {}
        self.acted: set[int] = set()
        """Sends for which a call changed something."""
        self.set_by: dict[int, int] = {}
        frame = -1
        for line, record in enumerate(map(msgspec.json.decode, game.lines)):
            kind, told = record["k"], {**record, "line": line, "frame": frame}
            if kind == "frame":
                frame = record["n"]
            elif kind == "arm":
                self.arms[record["a"]] = told
                if record.get("c") in calls:
                    self.set_by[record["a"]] = arm_of[calls[record["c"]]]
            elif kind == "send":
                arm_of[record["s"]] = record["a"]
                self.sends[record["a"]].append(told)
            elif kind == "disarm":
                self.disarms[record["a"]].append(told)
            elif kind == "call":
                calls[record["c"]] = record["s"]
            elif kind == "ret" and record["eff"] > 0:
                self.acted.add(calls[record["c"]])

    def end_of(self, a: int) -> dict[str, Any]:
        """Return the record with which a timer or delay was over; one far away where there is none."""
        ends = self.disarms[a][:1] + ([] if self.arms[a]["loop"] else self.sends[a][-1:])
        return min(ends, key=lambda end: end["line"], default={"line": NEVER, "frame": NEVER})

    def is_told(self, a: int, how: str) -> bool:
        return any(end["how"] == how for end in self.disarms[a])

    def groups(self, loops: bool) -> list[list[int]]:
        """Return the ids of all that loop, or do not, of each owner and event, in the order in which they were set."""
        found: dict[tuple[str, str], list[int]] = defaultdict(list)
        for a, one in self.arms.items():
            event = one.get("ev") or next((send["ev"] for send in self.sends[a]), None)
            if one["loop"] == loops and "o" in one and event is not None:
                found[one["o"], event].append(a)
        return list(found.values())
