"""Games with a clock and with numbers to watch: made-up days in which events come at their times and levels, or do not.

A seed says which game it is: how quick its clock is or how it steps, where it is set, what its events look at, and what
they overlook. Times are whole frames as often as not, so that what is compared with a threshold meets it.
"""

from __future__ import annotations

from random import Random

from tape import Stage

DAY = 86_400.0
FRAMES = 420
TIMES = {"quarter": 900.0, "hour": 3600.0, "vespers": DAY, "matins": DAY}
"""Events, and how often they are due; the last two at one time of the day."""
SLIPS = ("none", "none", "twice", "not at jumps", "not at midnight", "late", "now and then")


class DayGame(Stage):
    """A stage on which a day goes by."""

    def __init__(self, seed: int) -> None:
        """Set up the game of a seed."""
        dice = self.dice = Random(f"day {seed}")
        super().__init__(hz=dice.choice((30, 60)))
        self.rate = dice.choice((60.0, 600.0, 1200.0, 3600.0, 0.0))
        self.step = dice.choice((20.0, 60.0, 300.0)) if not self.rate else 0.0
        self.every = dice.choice((1, 2, 5))
        self.running = dice.choice((0.0, 21_600.0, 84_600.0, 86_390.0))
        self.told = dice.random() < 0.4
        self.set_at = {dice.randrange(20, FRAMES): dice.choice((450, 1800, 5400, -1800, -60, 43_200)) for _ in range(2)}
        self.set_at = self.set_at if dice.random() < 0.6 else {}
        self.place = {name: dice.choice((0.0, 0.0, 30.0, 37.5)) for name in TIMES}
        self.place |= {"vespers": dice.choice((7200.0, 23_400.0, 86_340.0)), "matins": 0.0}
        self.slips = {name: dice.choice(SLIPS) for name in TIMES}
        self.waiting: list[tuple[int, str, float]] = []
        self.wells = {name: [0, dice.choice((40, 99, 100)), 0] for name in ("well#1", "well#2")[: dice.choice((1, 2))]}
        self.meddles = dice.choice((None, None, "timer", "delay", "input", "zone", "clip", "tick"))
        self.leaps = dice.choice((0, 0, 9, 13))
        self.binds = {
            name: self.bind(name, "abbey#1", f"Abbey.on_{name}") for name in (*TIMES, "brim", "sunk", "dry", "rung")
        }
        self.each(self.turn)
        self("clock", v=self.running % DAY, rate=self.rate)

    def turn(self, number: int) -> None:
        """Let the clock run or step, or be set; then look at it, and at the wells."""
        before = self.running
        self.running += self.rate / self.hz
        jumped = number in self.set_at or (self.step > 0 and number % self.every == 0)
        self.running += self.set_at.get(number, 0.0) + (self.step if number % self.every == 0 else 0.0)
        if jumped or (number % 90 == 0 and self.dice.random() < 0.5):
            self("clock", v=self.running % DAY, rate=self.rate)
        if number % self.every == 0 or self.rate:
            self.look(number, before, number in self.set_at)
        for due in [one for one in self.waiting if one[0] <= number]:
            self.waiting.remove(due)
            self.toll(*due[1:])
        if self.meddles and self.dice.random() < 0.04:
            self.meddle(self.dice.choice(list(TIMES)))
        for name in self.wells:
            self.fill(number, name)

    def look(self, number: int, before: float, was_set: bool) -> None:
        """Send what is due between the time before and now, but for what an event overlooks."""
        for name, period in TIMES.items():
            passed = (self.running - self.place[name]) // period - (before - self.place[name]) // period
            slip = self.slips[name]
            if passed <= 0 or (slip == "not at jumps" and was_set):
                continue
            if slip == "not at midnight" and self.running // DAY != before // DAY:
                continue
            if slip == "now and then" and self.dice.random() < 0.3:
                continue
            due = (self.running - self.place[name]) // period * period + self.place[name]
            self.waiting.append((number + (self.dice.choice((2, 3, 4, 9)) if slip == "late" else 0), name, due))
            if slip == "twice" and self.dice.random() < 0.5:
                self.waiting.append((number + self.dice.choice((1, 2, 3)), name, due))

    def toll(self, name: str, due: float) -> None:
        """Send an event of the clock's; some games tell what time it stands for."""
        via = self.dice.choice(("clock", "clock", None)) if name != "matins" else "clock"
        self.heard(name, self.binds[name], via=via, o="tower#1", due=due % DAY if self.told else None, at="abbey.py:7")

    def meddle(self, name: str) -> None:
        """Send an event of the clock's by something else, at once or from a call that this brings about."""
        bound = self.binds[name]
        if self.dice.random() < 0.5:
            self.heard(name, bound, via=self.meddles, o="tower#1")
        else:
            self.inside(
                self.send("rung", via=self.meddles, o="rope#1"),
                self.binds["rung"],
                lambda call: self.heard(name, bound, c=call, o="tower#1"),
            )

    def fill(self, number: int, name: str) -> None:
        """Let a well fill, and at once empty, or the other way round; where it is full it says so, unless it leaps past it unseen."""
        well = self.wells[name]
        if number % 4:
            return
        level, brim, told = well
        leap = self.leaps and self.dice.randrange(self.leaps) == 0
        after = 0 if level > brim else level + (60 if leap else self.dice.choice((10, 20, 20)))
        sinks = name == "well#2"
        self("watch", o=name, name="water", v=-after if sinks else after)
        self("watch", o=name, name="open", v=self.dice.choice((True, "ajar")))
        if after == 0 and level:
            self.heard("dry", self.binds["dry"], o=name)
        elif level < brim <= after and not (leap and told > 4):
            well[2] += 1
            self.heard("sunk" if sinks else "brim", self.binds["sunk" if sinks else "brim"], o=name)
        well[0] = after
