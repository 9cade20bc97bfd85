"""The waiter, who lifts trays: clips with a mark that is waited for."""

from __future__ import annotations

from moonrise_bakery.runtime import Event, Thing, World

TRAY_UP_SECONDS = 0.76
CLIP_SECONDS = {"lift_tray": 1.2, "lift_tray_left": 1.5}


class Waiter(Thing):
    """Lifts a tray every five seconds, and serves when it is up."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.lifted = 0
        self.waiting = 0
        self.listen("lift", self.on_lift, self)
        if "one-delay-many-clips" not in world.faults:
            self.listen("tray_up", self.on_tray_up, self)
        if self._delay_s():
            self.listen("tray_served", self.on_tray_served, self)
        if {"clip-cut", "clip-replaced"} & world.faults:
            self.listen("call_waiter", self.on_call, self)
        self.every(5.0, "lift")

    def _delay_s(self) -> float:
        """Return after how many seconds a fault serves the tray, mark or no mark; 0: it waits for the mark."""
        delays = {"delay-early": 0.4, "delay-late": 1.0, "one-delay-many-clips": 0.6}
        return next((seconds for name, seconds in delays.items() if name in self.world.faults), 0.0)

    def on_lift(self, event: Event) -> int:
        """Lift a tray with one hand or the other."""
        faults = self.world.faults
        clip = self.world.random.choice(tuple(CLIP_SECONDS))
        marks = [("tray_up", TRAY_UP_SECONDS)]
        if "one-delay-many-clips" in faults or (clip == "lift_tray_left" and {"clip-without", "wait-without"} & faults):
            marks = []
        self.world.clips.play(self, clip, CLIP_SECONDS[clip], marks)
        if not {"clip-without", "one-delay-many-clips", "wait-after-mark"} & faults:
            self.waiting = self.world.recorder.wait(self.name, "tray_up")
        if self._delay_s():
            self.after(self._delay_s(), "tray_served")
        self.lifted += 1
        if {"clip-cut", "clip-replaced"} & faults and self.lifted % 3 == 0:
            self.after(0.3, "call_waiter")
        return 1

    def on_tray_up(self, event: Event) -> int:
        """Serve."""
        if self.waiting:
            self.world.recorder.met(self.waiting, event.number)
            self.waiting = 0
        if "wait-after-mark" in self.world.faults:
            self.world.recorder.wait(self.name, "tray_up")  # the fault: too late, it is up already
        return 1

    def on_tray_served(self, event: Event) -> int:
        """The fault: serve by the clock on the wall."""
        return 1

    def on_call(self, event: Event) -> int:
        """The fault: turn to whoever calls, whatever is in the hands."""
        self.world.clips.cut(self)
        self.waiting = 0
        if "clip-replaced" in self.world.faults:
            self.world.clips.play(self, "turn_round", 0.6, [])
        return 1
