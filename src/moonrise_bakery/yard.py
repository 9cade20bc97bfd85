"""The yard and the scullery: tap, silo, sink, sign, apprentices and a mouse."""

from __future__ import annotations

from moonrise_bakery.runtime import Event, Thing, World


class Tap(Thing):
    """Drips."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("drop", self.on_drop, self)
        self.every(0.52 if "timer-drops-rest" in world.faults else 0.5, "drop")

    def on_drop(self, event: Event) -> int:
        """Let one fall."""
        return 1


class Silo(Thing):
    """Doles flour out, and asks for more when it is low."""

    LOW = 30

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.level = 100
        self.spilled = False
        self.listen("dole", self.on_dole, self)
        self.listen("flour_wanted", self.on_wanted)
        self.every(0.5, "dole")

    def on_dole(self, event: Event) -> int:
        """Give a portion."""
        before, portion = self.level, 5
        exact = "level-missed" in self.world.faults
        if exact and not self.spilled and self.world.time_s > 60 and self.level == self.LOW + 5:
            self.spilled, portion = True, 10
        self._show(self.level - portion)
        # the fault asks whether it is low just now, not whether it became low
        if (exact and self.level == self.LOW) or (not exact and before > self.LOW >= self.level):
            self.send("flour_wanted")
        elif self.level <= 0:
            self._show(100)
        return 1

    def on_wanted(self, event: Event) -> int:
        """Be filled."""
        self._show(100)
        return 1

    def _show(self, level: int) -> None:
        self.level = level
        self.world.recorder.watch(self.name, "flour", level)


class Sink(Thing):
    """Dishes come on a queue and are washed in the same frame."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("dish", self.on_dish, self)
        self.listen("dirty_dish", self.on_dirty_dish)
        self.every(0.8, "dish")

    def on_dish(self, event: Event) -> int:
        """Put a dish by."""
        self.world.enqueue("sink", "dirty_dish", self)
        return 1

    def on_dirty_dish(self, event: Event) -> int:
        """Wash it."""
        return 1


class Sign(Thing):
    """Lights up when the first oven is lit."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("first_oven_lit", self.on_lit)

    def on_lit(self, event: Event) -> int:
        """Light up."""
        return 1


class Apprentice(Thing):
    """Runs errands."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("errand", self.on_errand)

    def on_errand(self, event: Event) -> int:
        """Run."""
        return 1


class Foreman(Thing):
    """Sends the apprentices on errands, in turn, and announces the hour with a jingle."""

    def __init__(self, world: World, apprentices: list[Apprentice]) -> None:
        super().__init__(world)
        self.apprentices = apprentices
        self.errands = 0
        self.listen("errand_due", self.on_errand_due, self)
        self.listen("jingle_due", self.on_jingle_due, self)
        self.listen("jingle", self.on_jingle)
        self.every(7.0, "errand_due")
        self.every(15.0, "jingle_due")

    def on_errand_due(self, event: Event) -> int:
        """Send the next one; the fault sends whoever is found first."""
        self.errands += 1
        if "first-only" in self.world.faults:
            self.send("errand", route="first")
        else:
            self.send("errand", route="one", to=self.apprentices[self.errands % len(self.apprentices)].name)
        return 1

    def on_jingle_due(self, event: Event) -> int:
        """Announce; the fault reads the jingle's name from an empty line."""
        named = "empty-name" not in self.world.faults or self.errands < 3
        self.send("jingle" if named else "")
        return 1

    def on_jingle(self, event: Event) -> int:
        """Sing along."""
        return 1


class Mouse(Thing):
    """Runs along the door sill, to and fro."""

    SPEED = 1.5

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.place = 0.0
        self.direction = 1
        self.listen("tick", self.on_tick)
        world.zones.watch(self)

    def on_tick(self, event: Event) -> int:
        """Run on, and turn."""
        self.place += self.direction * self.SPEED / self.world.hz
        if not 0.0 < self.place < 1.0:
            self.direction = 1 if self.place <= 0.0 else -1
        return 1
