"""The kitchen: dough that rises, a baker who kneads, ovens that bake, and what stands beside them."""

from __future__ import annotations

from moonrise_bakery.runtime import Event, Thing, World
from moonrise_bakery.runtime.parts import Listener
from moonrise_bakery.runtime.timers import Arm
from moonrise_bakery.runtime.world import Halt

RISE_STEPS = 5
BAKE_SECONDS = 4.0
WIPE_SECONDS = 9.0


class Oven(Thing):
    """Heats up, bakes one dough at a time, lets off steam while hot."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.heat = 20.0
        self.busy = False
        self._ticking: Listener | None = None
        self._steam: Arm | None = None
        self._wipe: Arm | None = None
        self.bakes = 0
        self.listen("steam", self.on_steam, self)
        self.listen("bake_done", self.on_bake_done, self)
        self.listen("wipe", self.on_wipe, self)
        self.listen("power_cut", self.on_power_cut)
        self.listen("inspection", self.on_inspection)

    def load(self) -> None:
        """Take a dough in and start heating."""
        self.busy = True
        if self._ticking is None:
            self._ticking = self.listen("tick", self.on_tick)
        if self._steam is None or "armed-twice" in self.world.faults:
            self._steam = self.every(1.5, "steam")
        self.after(BAKE_SECONDS, "bake_done")
        self.send("oven_hot")

    def on_tick(self, event: Event) -> int:
        """Heat up by a little every frame while baking."""
        self.heat = min(230.0, self.heat + 1.5)
        return 1

    def on_steam(self, event: Event) -> int:
        """Let off steam."""
        self.world.recorder.watch(self.name, "heat", round(self.heat, 1))
        self._wipe_later()
        return 1

    def _wipe_later(self) -> None:
        """Wipe the glass when the steam is gone, once; the faults set it again each time."""
        faults = self.world.faults
        if self._wipe is not None and self._wipe.alive:
            if "delay-restarted" in faults:
                self.world.timers.clear(self._wipe)
            elif "delay-ignored" in faults:
                self.world.timers.clear(self.after(WIPE_SECONDS, "wipe"))
                return
            elif "delay-stacked" not in faults:
                return
        self._wipe = self.after(WIPE_SECONDS, "wipe")

    def on_power_cut(self, event: Event) -> int:
        """Cool down a little."""
        return 1

    def on_wipe(self, event: Event) -> int:
        """Wipe the glass."""
        return 1

    def on_bake_done(self, event: Event) -> int:
        """Take the bread out, stop heating, and tell everybody."""
        self.bakes += 1
        if "dead-end" in self.world.faults and self.name == "oven#1" and self.bakes == 5:
            self.after(0.5, "bake_done")
            return 0  # the fault: the door sticks, and nobody is told
        self.busy = False
        if self._ticking is not None:
            self.unlisten(self._ticking)
            self._ticking = None
        if self._steam is not None and "armed-twice" not in self.world.faults:
            self.world.timers.clear(self._steam)
            self._steam = None
        self.heat = 20.0
        self.send("bread_ready", {"oven": self.name})
        return 2

    def on_inspection(self, event: Event) -> int:
        """Show the inspector the thermometer."""
        self.world.pace.spend(120)
        return 1


class Dough(Thing):
    """Rises step by step, then asks to be kneaded."""

    def __init__(self, world: World, parent: Thing) -> None:
        super().__init__(world, parent)
        self.steps = 0
        self.rising = self.every(0.8, "dough_rise")
        self.listen("dough_rise", self.on_rise, self)
        self.listen("power_cut", self.on_power_cut)

    def on_rise(self, event: Event) -> int:
        """Grow; when risen, say so once."""
        self.steps += 1
        if self.steps == RISE_STEPS:
            self.world.timers.clear(self.rising)
            self.send("dough_risen", {"dough": self.name})
        return 1

    def on_power_cut(self, event: Event) -> int:
        """Collapse a little."""
        return 1

    def go_into_oven(self) -> None:
        """End as dough."""
        self.leave(forget=("power_cut",) if "left-bound" in self.world.faults else ())


class Baker(Thing):
    """Sets dough, kneads what has risen, loads the ovens."""

    def __init__(self, world: World, ovens: list[Oven]) -> None:
        super().__init__(world)
        self.ovens = ovens
        self.jobs: list[str] = []
        self.kneading = ""
        self.every(3.2, "set_dough")
        self.listen("set_dough", self.on_set_dough, self)
        self.listen("dough_risen", self.on_dough_risen)
        self.listen("knead_job", self.on_knead_job)
        for mark in ("press", "fold", "turn"):
            self.listen(mark, self.on_knead_mark, self)
        self.listen("recipe", self.on_recipe)
        for oven in ovens[1 if "wrong-object" in world.faults else 0 :]:
            self.listen("oven_hot", self.on_oven_hot, oven)
        self.listen("cue_chorus", self.on_chorus)

    def on_set_dough(self, event: Event) -> int:
        """Set a new dough to rise."""
        Dough(self.world, self)
        return 1

    def on_dough_risen(self, event: Event) -> int:
        """Put a job on the bench queue."""
        self.world.enqueue("bench", "knead_job", self, event.data)
        return 1

    def on_knead_job(self, event: Event) -> int:
        """Remember the job and start when the hands are free."""
        self.jobs.append(event.data["dough"])
        self._start_kneading()
        return 1

    def _start_kneading(self) -> None:
        if not self.kneading and self.jobs:
            self.kneading = self.jobs.pop(0)
            clip = self.world.random.choice(("knead_slow", "knead_quick"))
            length = 2.0 if clip == "knead_slow" else 1.4
            marks = [("press", 0.4), ("fold", 0.7 * length), ("turn", 0.9 * length)]
            self.world.clips.play(self, clip, length, marks, self._kneaded)

    def on_knead_mark(self, event: Event) -> int:
        """Press, fold or turn the dough."""
        return 1

    def _kneaded(self) -> None:
        dough = self.world.things.get(self.kneading)
        self.kneading = ""
        if isinstance(dough, Dough):
            dough.go_into_oven()
            free = [oven for oven in self.ovens if not oven.busy]
            if free:
                free[0].load()
        self._start_kneading()

    def on_oven_hot(self, event: Event) -> int:
        """Mind the fingers."""
        return 1

    def on_recipe(self, event: Event) -> int:
        """Look a recipe up; the one for moon cake is not in the book."""
        if "wait-for-nothing" in self.world.faults:
            self.world.recorder.wait(self.name, "moon_rises")
        if "endless-loop" not in self.world.faults:
            return 1
        place = "moonrise_bakery/kitchen.py:160"
        stack = [
            f"Baker.find_page {place}",
            "Baker.on_recipe moonrise_bakery/kitchen.py:152",
            "World.send world.py:124",
        ]
        for turns in (100_000, 1_000_000, 10_000_000):
            self.world.pace.spend(40_000)
            self.world.recorder.spin(place, turns)
        self.world.hang(6.0, stack)
        self.world.recorder.abandon()  # whoever plays kills the game now
        raise Halt

    def on_chorus(self, event: Event) -> int:
        """Hum along."""
        return 1


class Mixer(Thing):
    """Asks for flour when it runs low."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.rounds = 0
        self.mixing = self.every(9.0, "mix")
        self.listen("inspector_comes", self.on_inspector_comes)
        self.listen("inspector_leaves", self.on_inspector_leaves)
        self.listen("mix", self.on_mix, self)
        self.listen("flour_added", self.on_flour_added)

    def on_inspector_comes(self, event: Event) -> int:
        """Stand still while somebody looks."""
        self.world.timers.pause(self.mixing)
        return 1

    def on_inspector_leaves(self, event: Event) -> int:
        """Go on with what was left of the interval."""
        self.world.timers.resume(self.mixing)
        return 1

    def on_mix(self, event: Event) -> int:
        """Mix; every now and then flour runs low."""
        self.rounds = 0
        self.send("flour_low")
        return 1

    def on_flour_added(self, event: Event) -> int:
        """Be content, or (the fault) ask for more and more."""
        self.rounds += 1
        if "event-storm" in self.world.faults and self.world.time_s > 40 and self.rounds < 60:
            self.world.pace.spend(4000)
            self.send("flour_low")
        return 1


class Pantry(Thing):
    """Hands out flour."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("flour_low", self.on_flour_low)

    def on_flour_low(self, event: Event) -> int:
        """Add flour."""
        self.send("flour_added")
        return 1


class Shelf(Thing):
    """Shows how much bread there is: told so, or (the fault) by looking every frame."""

    def __init__(self, world: World, counter: Counter) -> None:
        super().__init__(world)
        self.counter = counter
        self.shown = 0
        if "every-frame" in world.faults:
            self.listen("tick", self.on_tick)
        else:
            self.listen("bread_ready", self.on_bread_ready)

    def on_tick(self, event: Event) -> int:
        """Look whether the bread has become more."""
        self.world.pace.spend(260)
        more = self.counter.baked > self.shown
        self.shown = self.counter.baked
        return int(more)

    def on_bread_ready(self, event: Event) -> int:
        """Show one more."""
        self.shown += 1
        return 1


class Counter(Thing):
    """Keeps the stock of bread."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.baked = 0
        self.stock = 0
        self.listen("bread_ready", self.on_bread_ready)
        self.listen("shop_open", self.on_shop_open)

    def on_shop_open(self, event: Event) -> int:
        """Lay out the cloth (and, the fault, bind bread_ready once more)."""
        if "bound-twice" in self.world.faults:
            self.listen("bread_ready", self.on_bread_ready)
        self.world.recorder.say("the shop is open", o=self.name)
        return 1

    def on_bread_ready(self, event: Event) -> int:
        """Put a loaf into stock."""
        self.baked += 1
        self.stock += 1
        self.world.recorder.watch(self.name, "stock", self.stock)
        return 1
