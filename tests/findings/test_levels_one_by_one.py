"""Levels that events follow, beside what one finds who looks at value after value and send after send."""

from __future__ import annotations

import math
from collections import defaultdict
from random import Random
from typing import Any, NamedTuple

import msgspec
import pytest

from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from opossum.findings.threshold_missed.level import FOLLOWS_FRAMES, LEVEL_CROSSINGS, SENDS_TRIED, find
from opossum.take.take import Take
from tape import read

PEERS = ("main", "guest")
FRAMES = 240
SEEDS = 40
AWAY = ("tick", "timer", "input", "zone", "clock")


class Change(NamedTuple):
    """A value that was told: whose, what it was before (NaN where it was never told) and after, and where it stands."""

    before: float
    after: float
    frame: int
    line: int


class Missed(NamedTuple):
    """What is told of a level: of which event and value, whether upwards, the level, and in which frames it was missed."""

    event: str
    owner: str
    name: str
    up: bool
    level: float
    unseen: list[tuple[str, int]]
    seen: int


def a_game(seed: int) -> list[dict[str, Any]]:
    """Return the records of two peers with silos that fill and empty, and bells that ring at a level, mostly: at once or late, by
    the silo itself or by one for all, while other values change beside them and records are lost now and then."""
    random = Random(seed)
    records: list[dict[str, Any]] = []
    for peer in PEERS:
        made: list[tuple[float, dict[str, Any]]] = [
            (0.0, {"k": "head", "t": 0, "opossum": 1, "game": "fill", "peer": peer})
        ]
        frames = FRAMES + random.randrange(12)
        made += [(float(frame), {"k": "frame", "n": frame}) for frame in range(frames)]
        together, number, meters = random.random() < 0.5, 0, random.choice([0, 0, 1, 2])
        for silo in range(random.choice([1, 1, 2])):
            owner, rate, value = f"silo#{silo}", random.choice([7.0, 11.0, 13.0]), float(random.randrange(40))
            direction, level = random.choice([1, -1]), random.choice([50.0, 60.0])
            every, misses = random.choice([1, 1, 2]), random.choice([0.0, 0.1, 0.15, 0.3])
            sender = random.choice([owner, owner, "desk#1", None])
            for frame in range(0, frames, every):
                before, value = value, (value + direction * rate + random.choice([0.0, 0.0, 1.0])) % 100
                shown: Any = value
                if frame > 30 and random.random() < 0.001:
                    shown = random.choice([True, "full", None])
                made.append((frame + 0.3, {"k": "watch", "o": owner, "name": "fill", "v": shown}))
                if random.random() < 0.2:
                    made.append((frame + 0.25, {"k": "watch", "o": owner, "name": "heat", "v": random.randrange(9)}))
                if random.random() < 0.1:
                    made.append((frame + 0.35, {"k": "watch", "o": owner, "name": "open", "v": random.choice([0, 1])}))
                rises = before < level <= value if direction > 0 else before > level >= value
                if meters:  # others that show the same in their own way
                    made.append((frame + 0.31, {"k": "watch", "o": "meter#1", "name": "shows", "v": 2 * value}))
                    lamp = (value >= level) * (1 + (frame % 3 == 0) * (meters > 1))
                    made.append((frame + 0.32, {"k": "watch", "o": owner, "name": "lamp", "v": direction * lamp}))
                if rises and (random.random() >= misses or frame < 60):
                    number += 1
                    late = random.choice([0.1, 0.1, 0.1, 1, 2]) if every > 1 and random.random() < 0.3 else 0.1
                    via = random.choice(AWAY) if random.random() < 0.01 else None
                    sent = {
                        "k": "send",
                        "s": number,
                        "ev": "full" if together else f"full{silo}",
                        "o": sender,
                        "via": via,
                    }
                    made.append((frame + 0.3 + late, sent))
        made += [(random.randrange(frames) + 0.9, {"k": "lost", "n": 3}) for _ in range(random.choice([0, 0, 3, 9]))]
        made.append((float(frames), {"k": "bye"}))
        for at, record in sorted(made, key=lambda item: item[0]):
            told = {"t": int(at * 16_000_000), "p": peer, **record}
            records.append({name: value for name, value in told.items() if value is not None or name == "v"})
    records.sort(key=lambda record: record["t"])
    return records


class Game:
    """A stream as a list of records, each with its line, and of each peer in which of its frames it lies."""

    def __init__(self, records: list[dict[str, Any]]) -> None:
        self.sends: dict[tuple[str, str], list[dict[str, Any]]] = defaultdict(list)
        self.values: dict[tuple[str, str, str], list[Change]] = defaultdict(list)
        self.gaps: set[tuple[str, int]] = set()
        self.last_frame: dict[str, int] = {}
        for line, record in enumerate(records, start=1):
            peer, kind = record["p"], record["k"]
            frame = self.last_frame.get(peer, -1)
            if kind == "frame":
                self.last_frame[peer] = record["n"]
            elif kind == "lost":
                self.gaps.add((peer, frame))
            elif kind == "send" and record.get("via") not in AWAY and frame > 0:  # the first one is loading
                self.sends[peer, record["ev"]].append({**record, "line": line, "frame": frame})
            elif kind == "watch":
                shown = record["v"]
                number = float(shown) if isinstance(shown, int | float) and not isinstance(shown, bool) else math.nan
                own = self.values[peer, record["o"], record["name"]]
                own.append(Change(own[-1].after if own else math.nan, number, frame, line))

    def last_before(self, changes: list[Change], send: dict[str, Any]) -> int:
        """Return the place of the last change before a send, if it is near enough, or -1."""
        place = max((place for place, change in enumerate(changes) if change.line < send["line"]), default=-1)
        return place if place >= 0 and send["frame"] - changes[place].frame <= FOLLOWS_FRAMES else -1

    def level_of(self, changes: list[Change], sends: list[dict[str, Any]]) -> tuple[float, float] | None:
        """Return (from, to): the level lies between them, and every send follows a change across it; None where there is none."""
        places = [self.last_before(changes, send) for send in sends]
        if min(places) < 0:
            return None
        before, after = ([getattr(changes[place], name) for place in places] for name in ("before", "after"))
        if any(math.isnan(value) for value in (*before, *after)):
            return None
        if max(before) < min(after):
            return max(before), min(after)
        return (min(before), max(after)) if min(before) > max(after) else None

    def missed(self, peer: str, told: list[Change], sends: list[dict[str, Any]], least: int) -> tuple[Any, ...] | None:
        """Return (up, level, frames in which it was crossed unseen, how often it was seen), None where nothing is learnt."""
        changes = told[1:]
        values = [change.after for change in told]
        if len(told) <= least or any(math.isnan(value) for value in values) or len(set(values)) <= 2:
            return None
        if len(sends) > len(changes) or (level := self.level_of(changes, sends)) is None:
            return None
        low, high = level
        up = low < high
        across = [
            place
            for place, change in enumerate(changes)
            if (change.before <= low and change.after >= high if up else change.before >= low and change.after <= high)
        ]
        seen = {self.last_before(changes, send) for send in sends}
        unseen = [
            changes[place].frame
            for place in across
            if place not in seen and changes[place].frame + FOLLOWS_FRAMES < self.last_frame[peer]
        ]
        unseen = [
            frame
            for frame in unseen
            if not any((peer, near) in self.gaps for near in range(frame - 1, frame + FOLLOWS_FRAMES + 1))
        ]
        followed = [place in seen for place in across]
        if len(across) < least or not all(followed[:least]) or not unseen or 4 * len(unseen) > sum(followed):
            return None
        return up, high, unseen, sum(followed)

    def expected(self, least: int) -> list[Missed]:
        """Return what is to be told of all events: by all who send one, or by one of several of its own values."""
        found = []
        for (peer, event), sends in self.sends.items():
            senders = {send.get("o") for send in sends}
            told = set()
            groups = [(sends, True)]
            if len(senders) > 1:
                groups += [([send for send in sends if send.get("o") == sender], False) for sender in senders]
            for part, alone in groups:
                if len(part) < least:
                    continue
                of = {(send.get("o")) for send in part}
                own = {key for key in self.values if key[0] == peer and of == {key[1]}}
                some = part[:SENDS_TRIED] + part[-1:]
                fit = {
                    key for key in self.values if key[0] == peer and self.level_of(self.values[key], some) is not None
                }
                for key in ((fit & own) or fit) if alone else own:
                    if key not in told and (missed := self.missed(peer, self.values[key], part, least)) is not None:
                        told.add(key)
                        up, level, unseen, seen = missed
                        found.append(
                            Missed(event, key[1], key[2], up, level, [(peer, frame) for frame in unseen], seen)
                        )
        return sorted(found)


def found_in(take: Take, least: int) -> list[Found]:
    """Return what is found of levels."""
    return list(find(Scene(take, Settings({LEVEL_CROSSINGS.name: least}))))


def as_missed(take: Take, found: Found) -> Missed:
    """Return what a finding tells, by its words and frames."""
    words = found.summary
    seen = words.split("(")[1].split(" ")[0]
    level = float(words.split(" about ")[1].split(" ")[0])
    name = words.split("when `")[1].split("`")[0]
    frames = [
        (take.peers[take.frames.peer[row]].name, int(take.frames.number[row])) for row in found.frame_rows.tolist()
    ]
    assert found.count == len(frames) and found.subject.peer == frames[0][0] and found.told_apart == (name,)
    return Missed(
        found.subject.ev, found.subject.o, name, "rises to" in words, level, frames, int(seen.replace("one", "1"))
    )


def taken(records: list[dict[str, Any]]) -> Take:
    return read(b"".join(msgspec.json.encode(record) + b"\n" for record in records))


@pytest.mark.parametrize("least", [4, 7])
@pytest.mark.parametrize("seed", range(SEEDS))
def test_levels_that_events_follow(seed, least):
    """Which, of which value and of whom, and where they were crossed without the event."""
    records = a_game(seed)
    take = taken(records)
    assert sorted(as_missed(take, found) for found in found_in(take, least)) == Game(records).expected(least)


def test_the_games_are_of_every_sort():
    """Up and down, of either peer, one sender or several, the first value or a later one."""
    missed = [one for seed in range(SEEDS) for one in Game(a_game(seed)).expected(4)]
    assert {(one.up, one.unseen[0][0]) for one in missed} == {(up, peer) for up in (True, False) for peer in PEERS}
    assert {one.event for one in missed} >= {"full", "full0"}
    assert {one.owner for one in missed} == {"silo#0", "silo#1", "meter#1"}
