"""A game that does anything: made-up traffic in which everything that a stream can tell happens beside everything else.

Objects come and go, listeners are bound, bound twice and forgotten, timers drift, marks are left out, values cross levels
that some event follows and others do not. A seed says which game it is; times are whole frames as often as not, so that
what is compared with a threshold meets it.
"""

from __future__ import annotations

import json
from random import Random
from typing import Any

from findings.scenes import Build
from tape import Bound, Stage

CLASSES = ("Kiln", "Wicket", "Smith", "Pilgrim")
EVENTS = ("lift", "lifted", "gong", "forge", "cool", "quench", "letter", "toll")
CLIPS = {
    "hammer": (0.5, [["blow", 0.2], ["set", 0.45]]),
    "kneel": (1.0, [["amen", 0.5]]),
    "pray": (1.5, [["amen", 0.5]]),
}
TRACK = [[f"bar {number}", number / 4] for number in range(1, 12)]
FRAMES = 220
"""So long it does new things."""
OWN_IDS = 1000
"""What happens beside the scenes has ids from here on: theirs are small, and some say them."""
LISTENERS = 3
"""So many listen to an event at most, but for one that may be bound twice."""


def beside_each_other(games: dict[str, Stage]) -> list[dict[str, Any]]:
    """Return the records of games that play at once, each a peer of its name, in the order of time."""
    records: list[dict[str, Any]] = []
    for peer, game in games.items():
        for line in game.lines:
            record = json.loads(line) | {"p": peer}
            records.append(record | {"peer": peer} if record["k"] == "head" else record)
    return sorted(records, key=lambda record: record.get("t", 0))


def written(records: list[dict[str, Any]]) -> bytes:
    """Return records as a stream."""
    return "".join(json.dumps(record) + "\n" for record in records).encode()


class AnyGame(Stage):
    """A stage on which each frame does what its seed says."""

    def __init__(self, seed: int | str, *scenes: Build, calm: bool = False) -> None:
        """Set up a game in which these scenes come to pass, too; a calm one does not stall, lose records or set clocks, and
        its frames are those that scenes reckon with."""
        dice = self.dice = Random(seed)
        super().__init__(
            hz=60 if calm else dice.choice((30, 50, 60)),
            phases=("input", "update", "late") if dice.random() < 0.8 else (),
        )
        self.alive: list[str] = []
        self.binds: list[Bound] = []
        self.paused: set[int] = set()
        self.timers: list[list[Any]] = []
        self.playing: list[list[Any]] = []
        self.zones: set[tuple[str, str]] = set()
        self.down: dict[str, int] = {}
        self.queue: list[int] = []
        self.waits: list[tuple[int, str]] = []
        self.values = {"glow": 0, "awe": 50}
        self.clock = 0.0
        self.calm = calm
        # what a game does often, and what it does never
        self.often = {name: dice.choice((0.0, 0.02, 0.08, 0.25)) for name in ACTIONS if not calm or name not in STORMY}
        self.works: dict[str, float | None] = {}
        self.circles = dice.random() < 0.2
        self.beside = False
        self.each(self.turn)
        self.frames_asked = max((build(self) for build in scenes), default=FRAMES)

    def number(self, kind: str) -> int:
        """Return the next id of a kind, of the scenes' or of what happens beside them."""
        return super().number(kind) if not self.beside else OWN_IDS + super().number(f"{kind} beside")

    def effect(self, function: str) -> int | None:
        """Return what a call does: some functions nearly always do nothing, of some nobody knows."""
        share = self.works.setdefault(function, self.dice.choice((0.0, 0.02, 0.5, 1.0, None)))
        return None if share is None else int(self.dice.random() < share)

    def fire(self, ev: str, depth: int = 0, **more: Any) -> int:
        """Send an event; who listens is called, may send again, raise or take long."""
        number = self.send(ev, at=f"game.py:{len(ev)}" if depth else None, **more)
        listeners = [known for known in self.binds if known.event == ev]
        if self.dice.random() < 0.05:
            listeners.reverse()
        thread = "loader" if not depth and self.dice.random() < 0.01 else None
        for bound in listeners:
            call = self.number("c")
            self(
                "call",
                th=thread,
                c=call,
                s=number,
                b=bound.number,
                o=bound.owner,
                fn=bound.function,
                at=f"game.py:{bound.number}",
            )
            self.ms(self.dice.choice((0.01, 0.05, 0.2)))
            if depth < 3 and not thread and self.dice.random() < 0.1:
                self.fire(self.dice.choice(EVENTS), depth + 1, o=bound.owner, c=call)
            if (
                depth < 40
                and bound is listeners[0]
                and self.circles
                and ev in ("cool", "quench")
                and self.dice.random() < 0.9
            ):
                self.fire("quench" if ev == "cool" else "cool", depth + 1, o=bound.owner, c=call)
            error = "KeyError: 'tongs'" if self.dice.random() < 0.003 else None
            self("ret", th=thread, c=call, eff=self.effect(bound.function), err=error)
        for wait in [known for known in self.waits if known[1] == ev]:
            self.waits.remove(wait)
            self("met", w=wait[0], s=number)
        return number

    def turn(self, number: int) -> None:
        """Do in one frame what the dice say, and nothing any more when a scene is long."""
        if number > 2 * FRAMES:
            return
        self.beside = True
        if number == 0:
            for cls in CLASSES * 2:
                self.come(cls)
        for name, action in ACTIONS.items() if number < FRAMES else ():
            if self.dice.random() < self.often.get(name, 0) and self.alive:
                action(self)
        if self.phases:
            self("phase", name="update")
        for owner in [bound.owner for bound in self.binds if bound.event == "turn"][:1]:
            self.fire("turn", via="tick", o=owner)
        self.fire_timers(number)
        self.fire_marks(number)
        self.beside = False
        if self.phases:
            self("phase", name="late")
        if number < FRAMES and not self.calm and self.dice.random() < 0.02:
            self.stall(self.dice.choice((40, 100, 101, 260, 700)))

    def stall(self, milliseconds: int) -> None:
        """Let a frame take long; a watchdog and a loop's guard see what long ones do, and one in four is held by a person."""
        how = self.dice.randrange(4)
        if how == 0:
            self("held").ms(milliseconds)("went")
        elif how == 1 and milliseconds > 200:
            self.ms(200)("stuck", sec=0.2, stack=["Smith.look game.py:9", "run game.py:99"]).ms(milliseconds - 200)
        elif how == 2:
            self("spin", at="game.py:77", n=100_000).ms(milliseconds)
        else:
            self.ms(milliseconds)
        if how:
            self.told_at_idle = {"cpu": self.dice.choice((None, 1_000_000, 300_000_000))}

    def come(self, cls: str) -> None:
        """Let an object begin to live; it listens to something."""
        owner = self.spawn(f"{cls.lower()}#{self.number('o')}", cls)
        self.alive.append(owner)
        for ev in self.dice.sample((*EVENTS, "turn", "amen", "blow"), 2):
            if sum(bound.event == ev for bound in self.binds) >= LISTENERS:
                continue
            source = self.someone() if self.dice.random() < 0.1 else None
            self.binds.append(self.bind(ev, owner, f"{cls}.on_{ev}", src=source, at=f"game.py:{len(owner)}"))

    def someone(self) -> str:
        """Return an object that lives."""
        return self.dice.choice(self.alive)

    def go(self) -> None:
        """Let an object go; what it has bound is forgotten half of the time."""
        owner = self.someone()
        self.alive.remove(owner)
        for bound in [known for known in self.binds if known.owner == owner]:
            if self.dice.random() < 0.5:
                self("unbind", b=bound.number)
                self.binds.remove(bound)
        self("gone", o=owner)

    def bind_again(self) -> None:
        """Bind what is bound already."""
        bound = self.dice.choice(self.binds)
        if sum(known.event == bound.event for known in self.binds) <= LISTENERS:
            self.binds.append(self.bind(bound.event, bound.owner, bound.function))

    def arm_one(self) -> None:
        """Set a timer or a delay, of whole frames as often as not."""
        frames, loop = self.dice.choice((6, 12, 30.5)), self.dice.random() < 0.4
        owner, ev = self.someone(), self.dice.choice(EVENTS)
        number = self.arm("timer" if loop else "delay", owner, ev, sec=frames / self.hz, loop=loop)
        self.timers.append([self.number_now + frames, frames, number, owner, ev, loop])

    def fire_timers(self, now: int) -> None:
        """Fire what is due; some drop what is left over of a frame."""
        for timer in list(self.timers):
            due, frames, number, owner, ev, loop = timer
            if now < due or number in self.paused:
                continue
            self.fire(ev, via="timer" if loop else "delay", a=number, o=owner)
            timer[0] = due + frames if number % 2 else now + frames
            if not loop or self.dice.random() < 0.03:
                self("disarm", a=number, how="cleared" if loop else "done")
                self.timers.remove(timer)

    def pause(self) -> None:
        """Pause a timer, or let it go on."""
        number = self.dice.choice([timer[2] for timer in self.timers] or [0])
        if number:
            self("resume" if number in self.paused else "pause", a=number)
            self.paused ^= {number}

    def play_one(self) -> None:
        """Start a clip; a delay is set beside it now and then, where a mark would do."""
        clip = self.dice.choice(list(CLIPS))
        length, marks = CLIPS[clip]
        owner = self.someone()
        number = self.play(owner, clip, length, marks[: self.dice.choice((1, 2, 2))])
        self.playing.append([self.number_now, number, owner, length, list(marks)])
        if self.dice.random() < 0.4:
            arm = self.arm("delay", owner, marks[0][0], sec=marks[0][1] + self.dice.choice((0, 0.1)), loop=False)
            self.timers.append([self.number_now + marks[0][1] * self.hz, 0, arm, owner, marks[0][0], False])

    def play_track(self) -> None:
        """Start a track of many cues, which run away from their places in some games."""
        owner = self.someone()
        number = self.play(owner, "psalm", 3.0, TRACK, what="track")
        runs = 1 + self.often["track"]
        self.playing.append([self.number_now, number, owner, 3.0, [[name, at * runs] for name, at in TRACK]])

    def fire_marks(self, now: int) -> None:
        """Send the marks that are due, most of them; end what has ended or is cut."""
        for one in list(self.playing):
            begun, number, owner, length, marks = one
            at = (now - begun) / self.hz
            while marks and marks[0][1] <= at:
                name, position = marks.pop(0)
                if self.dice.random() < 0.85:
                    self.fire(name, via="clip", o=owner, y=number, mark=name, pos=position)
            if at >= length or self.dice.random() < 0.01:
                self(
                    "stop",
                    y=number,
                    how="end" if at >= length else self.dice.choice(("cut", "blend")),
                    pos=min(at, length),
                )
                self.playing.remove(one)

    def cross(self) -> None:
        """Let a visitor enter, stay in or leave a zone."""
        pair = (self.someone(), self.someone())
        edge = "enter" if pair not in self.zones else self.dice.choice(("stay", "leave", "enter"))
        (self.zones.discard if edge == "leave" else self.zones.add)(pair)
        self.fire("gong", via="zone", edge=edge, o=pair[0], d={"other": pair[1]})

    def press(self) -> None:
        """Press, hold or let go of a key."""
        key = self.dice.choice(("space", "up"))
        edge = "down" if key not in self.down else self.dice.choice(("held", "held", "up"))
        if edge == "up":
            del self.down[key]
        else:
            self.down[key] = self.number_now
        self.fire("lift", via="input", key=key, edge=edge)

    def post(self) -> None:
        """Put something on the queue, and pull something off more rarely."""
        number = self.send("letter", o=self.someone(), via="queue", q="pouch")
        self("put", q="pouch", s=number)
        self.queue.append(number)
        if self.dice.random() < 0.7:
            pulled = self.queue.pop(0)
            self("pull", q="pouch", s=pulled)
            for bound in [known for known in self.binds if known.event == "letter"]:
                self.call(pulled, bound, self.effect(bound.function))

    def change(self) -> None:
        """Let a value rise or fall; what it crosses is told, most of the time."""
        name = self.dice.choice(list(self.values))
        before = self.values[name]
        self.values[name] = after = max(0, min(100, before + self.dice.choice((-40, -20, -10, 10, 20, 40))))
        self("watch", o="kiln#1001", name=name, v=after)
        told = self.dice.random() < 0.85
        if name == "glow" and before < 60 <= after and told:
            self.fire("glowing", o="kiln#1001")
        if name == "awe" and before > 30 >= after and told:
            self.fire("doubt", o="kiln#1001")

    def read_clock(self) -> None:
        """Let the game's clock go on, and send what is due."""
        self.clock += self.dice.choice((30.0, 60.0, 600.0))
        self("clock", v=self.clock, rate=60.0)
        if self.dice.random() < 0.6:
            self.fire("toll", via="clock", due=self.clock - self.dice.choice((0, 0, 400)))

    def begin_wait(self) -> None:
        """Wait for an event that may come."""
        ev = self.dice.choice((*EVENTS, "amen", "never"))
        self.waits.append((self.wait(self.someone(), ev), ev))


ACTIONS = {
    "come": lambda game: game.come(game.dice.choice(CLASSES)),
    "go": AnyGame.go,
    "bind again": AnyGame.bind_again,
    "arm": AnyGame.arm_one,
    "play": AnyGame.play_one,
    "cross": AnyGame.cross,
    "press": AnyGame.press,
    "post": AnyGame.post,
    "change": AnyGame.change,
    "clock": AnyGame.read_clock,
    "pause": AnyGame.pause,
    "track": AnyGame.play_track,
    "say": lambda game: game("say", text="no tongs", level=game.dice.choice(("error", "info", None)), o=game.someone()),
    "lost": lambda game: game("lost", n=3) if game.dice.random() < 0.05 else None,
    "wait": AnyGame.begin_wait,
    "send": lambda game: game.fire(game.dice.choice(EVENTS), o=game.someone()),
    "call one": lambda game: game.fire(game.dice.choice(EVENTS), o=game.someone(), route="one", to=game.someone()),
    "call first": lambda game: game.fire(game.dice.choice(EVENTS), route="first"),
    "net": lambda game: game.fire("toll", via="net", net=f"n{game.number('net')}"),
}
STORMY = ("clock", "lost")
"""What a calm game does not do: a scene's clock is the game's only one, and what is lost may be the scene's."""
