"""Streams made up by chance: like a game's, with every kind of record and every value that the contract allows."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from random import Random
from typing import Any

import msgspec

from opossum.stream.kinds import KINDS, Field, FieldType
from opossum.stream.limits import LARGEST_NUMBER, LIMITS

MOST_NS = 1 << 61
EDGES = (
    0,
    1,
    -1,
    -2,
    127,
    128,
    255,
    32767,
    2**31 - 1,
    2**31,
    2**53,
    LIMITS[FieldType.COUNT].greatest,
    LIMITS[FieldType.COUNT].least,
)
NUMBERS = (0.0, -0.0, 0.25, 1.0, 1.5, -1.0, 1e9, LARGEST_NUMBER, -LARGEST_NUMBER, 5e-324, 0.1)
NAMES = (
    "tick",
    "bread_ready",
    "bread_redy",
    "pay",
    "",
    " ",
    "é",
    "\u202eevil",
    "\x1b[2J",
    "a\nb",
    "Pool<A>::on",
    "x" * 300,
)
OWNERS = ("oven#1", "oven#2", "cat#1", "door#1", "till", "", "#", "oven#1\x00")
WORDS: dict[str, tuple[str, ...]] = {
    "via": ("direct", "tick", "input", "zone", "timer", "delay", "clip", "queue", "net", "life", "clock", "?"),
    "edge": ("down", "held", "up", "enter", "stay", "leave", "?"),
    "what": ("timer", "delay", "anim", "track", "?"),
    "how": ("cleared", "done", "owner", "end", "cut", "blend", "?"),
    "route": ("all", "first", "one", "?"),
    "cls": ("Oven", "Cat", "", "?"),
    "fn": ("Oven.on_tick", "Cat.on_bread", "f", ""),
    "clip": ("walk", "bake", "song", ""),
    "q": ("orders", "mail", ""),
    "key": ("space", ""),
    "level": ("warning", "error"),
    "name": ("input", "logic", "draw", "coins", ""),
    "at": ("shop.py:12", "shop.py:", ":", "no place"),
}
JSON_NAMES = {"marks", "phases", "waits", "stack"}


def made_value(random: Random, depth: int = 0) -> Any:
    """Return any JSON value."""
    sort = random.randrange(8 if depth < 3 else 5)
    if sort == 0:
        return random.choice((None, True, False))
    if sort == 1:
        return random.choice((0, -1, 3, 2**62, -(2**70), 10**30, 10**400))
    if sort == 2:
        return random.choice(NUMBERS)
    if sort < 5:
        return random.choice(NAMES + OWNERS)
    if sort == 5:
        return [made_value(random, depth + 1) for _ in range(random.randrange(4))]
    return {
        random.choice(("other", "coins", "x", "")): made_value(random, depth + 1) for _ in range(random.randrange(4))
    }


def made_field(random: Random, field: Field) -> Any:
    """Return a value that the field of a record may have."""
    if field.type is FieldType.ID:
        return random.choice((1, 2, 3, random.randrange(1, 40), random.choice((1, 2**31, 2**62))))
    if field.type is FieldType.COUNT:
        return random.randrange(-2, 60) if random.random() < 0.8 else random.choice(EDGES)
    if field.type is FieldType.NUMBER:
        return random.choice(NUMBERS) if random.random() < 0.3 else random.randrange(400) / 16
    if field.type is FieldType.FLAG:
        return random.random() < 0.5
    if field.type is FieldType.JSON:
        if field.name == "marks" and random.random() < 0.8:
            return [[random.choice(NAMES), random.choice(NUMBERS)] for _ in range(random.randrange(4))]
        if field.name in JSON_NAMES and random.random() < 0.8:
            return [random.choice(("input", "logic", "draw", "f shop.py:3")) for _ in range(random.randrange(4))]
        if field.name == "d" and random.random() < 0.6:
            return {"other": random.choice(OWNERS), "coins": random.randrange(9)}
        return made_value(random)
    if field.name in WORDS:
        return random.choice(WORDS[field.name])
    return random.choice(OWNERS if field.name in ("o", "src", "to", "parent") else NAMES)


def made_record(random: Random, kind: str) -> dict[str, Any]:
    """Return the fields of one record of a kind, in the order in which they are written."""
    record = {}
    for field in KINDS[kind].fields:
        if field.required or random.random() < 0.6:
            record[field.name] = made_field(random, field)
    return record


class _Game:
    """A game of chance: frames, listeners, calls within calls, timers, clips, waits and queues that belong together."""

    def __init__(self, random: Random, put: Callable[[str, dict[str, Any]], None]) -> None:
        self.random, self.put = random, put
        self.counts = dict.fromkeys("bscayw", 0)
        self.binds: list[tuple[int, str, str, str]] = []
        self.stack: list[int] = []

    def new(self, sort: str) -> int:
        self.counts[sort] += 1
        return self.counts[sort]

    def some(self, sort: str) -> int:
        return self.random.randrange(1, self.counts[sort] + 2)

    def in_call(self) -> dict[str, int]:
        return {"c": self.stack[-1]} if self.stack else {}

    def frame(self, number: int) -> None:
        random, put = self.random, self.put
        put("frame", {"n": number, "dt": 0.0625})
        for phase in ("input", "logic", "draw"):
            if random.random() < 0.4:
                put("phase", {"name": phase})
            for _ in range(random.randrange(4)):
                self.happening()
        if random.random() < 0.95:
            put("idle", {"cpu": random.randrange(10**6)} if random.random() < 0.5 else {})

    def happening(self) -> None:
        random = self.random
        owner = random.choice(OWNERS[:4])
        sort = random.randrange(12)
        if sort == 0:
            self.put("spawn", {"o": owner, "cls": owner.partition("#")[0].title(), **self.in_call()})
        elif sort == 1:
            self.put("gone", {"o": owner, **self.in_call()})
        elif sort < 4:
            bind = (self.new("b"), random.choice(NAMES[:4]), owner, random.choice(WORDS["fn"]))
            self.binds.append(bind)
            self.put("bind", dict(zip(("b", "ev", "o", "fn"), bind, strict=True)) | self.in_call())
        elif sort == 4:
            self.put("unbind", {"b": self.some("b")})
        elif sort == 5:
            arm = {"a": self.new("a"), "what": random.choice(("timer", "delay")), "o": owner, "ev": "tick"}
            self.put("arm", arm | {"sec": random.randrange(1, 9) / 8, "loop": random.random() < 0.5} | self.in_call())
        elif sort == 6:
            play = {"y": self.new("y"), "o": owner, "clip": random.choice(WORDS["clip"]), "len": 1.0}
            self.put("play", play | {"marks": [["step", 0.25], ["pay", 0.5]]} | self.in_call())
        elif sort == 7:
            self.put("wait", {"w": self.new("w"), "o": owner, "ev": random.choice(NAMES[:4])})
        elif sort == 8:
            kind = random.choice(("stop", "disarm", "pause", "resume", "met", "quit", "put", "pull", "watch", "clock"))
            self.put(kind, made_record(random, kind))
        else:
            self.send(0)

    def send(self, depth: int) -> None:
        random = self.random
        number, event = self.new("s"), random.choice(NAMES[:4])
        send: dict[str, Any] = {"s": number, "ev": event, "o": random.choice(OWNERS[:4])}
        send |= self.in_call()
        via = random.choice(WORDS["via"])
        send["via"] = via
        if random.random() < 0.3:
            send["d"] = {"other": random.choice(OWNERS)}
        if via in ("timer", "delay"):
            send["a"] = self.some("a")
        if via == "clip":
            send |= {"y": self.some("y"), "mark": "step", "pos": 0.25}
        if via == "queue":
            send["q"] = "orders"
        if via in ("input", "zone"):
            send |= {"key": "space", "edge": random.choice(WORDS["edge"])}
        self.put("send", send)
        for bind, _, owner, function in [bind for bind in self.binds if bind[1] == event][-3:]:
            call = self.new("c")
            self.put("call", {"c": call, "s": number, "b": bind, "o": owner, "fn": function})
            self.stack.append(call)
            for _ in range(random.randrange(2)):
                if depth < 4 and random.random() < 0.5:
                    self.send(depth + 1)
                else:
                    self.happening()
            self.stack.pop()
            if random.random() < 0.95:
                self.put("ret", {"c": call} | ({"eff": random.randrange(3)} if random.random() < 0.7 else {}))


def _in_order(kind: str, fields: dict[str, Any]) -> dict[str, Any]:
    return {field.name: fields[field.name] for field in KINDS[kind].fields if field.name in fields}


def made_stream(random: Random, most_frames: int = 40) -> bytes:
    """Return a sound stream, its bytes just as Opossum would write them."""
    peers = random.choice((["main"], ["main"], ["main"], ["host", "guest"], ["a", "b", "c"]))
    lines: list[bytes] = []
    now = dict.fromkeys(peers, random.choice((0, 0, 5_000_000_000, -3, -(2**60), 2**60)))

    def put(peer: str, kind: str, fields: dict[str, Any]) -> None:
        now[peer] += random.choice((0, 1000, 40_000, 3_000_000, 16_000_000))
        if random.random() < 0.002:
            now[peer] = random.choice((MOST_NS, -MOST_NS, now[peer] + 10**12))
        now[peer] = min(now[peer], MOST_NS)
        record: dict[str, Any] = {"k": kind, "t": now[peer]}
        if len(peers) > 1:
            record["p"] = peer
        if random.random() < 0.02:
            record["th"] = random.choice(("loader", ""))
        lines.append(msgspec.json.encode(record | _in_order(kind, fields)))

    games = {}
    for peer in peers:
        put(
            peer,
            "head",
            {"opossum": 1, "game": "Bakery", "peer": peer, "hz": 60.0, "phases": ["input", "logic", "draw"]},
        )
        games[peer] = _Game(random, partial(put, peer))
    chance = random.choice((0.0, 0.1, 0.5))
    for number in range(random.randrange(most_frames)):
        for peer in peers:
            games[peer].frame(number)
            while random.random() < chance:
                kind = random.choice([kind for kind in KINDS if kind != "head"])
                put(peer, kind, made_record(random, kind))
    for peer in peers:
        if random.random() < 0.7:
            put(peer, "bye", {})
    return b"\n".join(lines) + b"\n"
