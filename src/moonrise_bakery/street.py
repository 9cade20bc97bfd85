"""The street and the corners: clock, radio, cat, lamp and window."""

from __future__ import annotations

from moonrise_bakery.runtime import Event, Thing, World
from moonrise_bakery.runtime.parts import Listener
from moonrise_bakery.runtime.timers import Arm

CLOCK_RATE = 90.0
"""In-game seconds a second: a quarter of an hour passes in ten."""

DUSK_SECONDS = 19.5 * 3600
DAY_SECONDS = 86_400


class StreetClock(Thing):
    """Tells the quarters."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.quarter = 0
        self.seconds = (22.5 if "clock-midnight" in world.faults else 19.0) * 3600
        self.again = 0
        world.recorder.clock(self.seconds, CLOCK_RATE)
        world.each_frame("clock", self.advance)

    def advance(self) -> None:
        """Move on; send once a quarter of an hour."""
        faults, frame = self.world.faults, self.world.frame_number
        self.seconds += CLOCK_RATE * self.world.told_s
        if "clock-midnight" in faults and self.seconds >= DAY_SECONDS:
            self.seconds -= DAY_SECONDS  # the fault: whatever lies at midnight is not after what came before
            self.quarter = 0
        if "clock-jumped" in faults and frame == int(55 * self.world.hz):
            self.seconds += 1200  # the fault: set on by twenty minutes, past a quarter
            self.quarter = int(self.seconds // 900)
            self.world.tell_phase("clock")
            self.world.recorder.clock(self.seconds, CLOCK_RATE)
        if "clock-late" in faults and frame % 47:
            return  # the fault: it looks now and then only
        if self.again and frame >= self.again:
            self.again = 0
            self._tell()
        if self.seconds // 900 > self.quarter:
            first = self.quarter == 0
            self.quarter = int(self.seconds // 900)
            if not first or self.seconds < 900 + CLOCK_RATE:
                self._tell()
            if "clock-doubled" in faults and self.quarter % 3 == 0:
                self.again = frame + 30

    def _tell(self) -> None:
        self.world.tell_phase("clock")
        due = self.quarter * 900 % DAY_SECONDS
        self.send("quarter", {"clock": int(self.seconds)}, via="clock", due=due)


class Radio(Thing):
    """Plays a song with cues planned on it, again and again."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("song", self.on_song, self)
        self.after(1.5, "song")
        self.every(22.0, "song")
        if "timer-for-nobody" in world.faults:
            self.every(1.0, "static")
        if "event-circle" in world.faults:
            self.listen("purr", self.on_purr)
            self.after(12.0, "purr")

    def on_song(self, event: Event) -> int:
        """Start the song."""
        cues = [("cue_verse", 1.0), ("cue_chorus", 7.0), ("cue_verse", 12.0), ("cue_chorus", 17.5)]
        self.world.clips.play(self, "moon_waltz", 20.0, cues, what="track")
        return 1

    def on_purr(self, event: Event) -> int:
        """The fault: hum back, which makes the cat purr, which …"""
        self.after_frames(10, "hum")
        return 1


class Cat(Thing):
    """Walks in, lies on the warm spot, walks out."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.place = 0.0
        self.goal = 0.0
        self.settled = 0
        self.walking: Listener | None = None
        self.listen("cat_stirs", self.on_stir, self)
        self.listen("cat_settles", self.on_settles)
        self.listen("cue_verse", self.on_verse)
        if "event-circle" in world.faults:
            self.listen("hum", self.on_hum)
        self.every(6.0, "cat_stirs")
        world.zones.watch(self)

    def on_stir(self, event: Event) -> int:
        """Walk to the other place."""
        self.goal = 3.0 if self.goal == 0.0 else 0.0
        if self.walking is None:
            self.walking = self.listen("tick", self.on_tick)
        return 1

    def on_tick(self, event: Event) -> int:
        """Walk on; lie down where it was going."""
        step = 1.2 / self.world.hz
        if abs(self.goal - self.place) <= step:
            self.place = self.goal
            if self.walking is not None:
                self.unlisten(self.walking)
                self.walking = None
        else:
            self.place += step if self.goal > self.place else -step
        return 1

    def on_settles(self, event: Event) -> int:
        """Purr."""
        self.settled += 1
        self.world.recorder.watch(self.name, "purrs", self.settled)
        return 1

    def on_hum(self, event: Event) -> int:
        """Purr back."""
        self.after_frames(10, "purr")
        return 1

    def on_verse(self, event: Event) -> int:
        """Twitch an ear."""
        return 1


class WarmSpot(Thing):
    """Notices a cat that lies still for two seconds, once a visit."""

    DWELL_SECONDS = 2.0

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.dwell: Arm | None = None
        self.inside = False
        self.warmed = 0
        self.listen("spot_enter", self.on_enter, self)
        self.listen("spot_leave", self.on_leave, self)
        without_latch = "no-latch" in world.faults
        if without_latch:
            self.listen("spot_stay", self.on_stay, self)
        else:
            self.listen("dwelt", self.on_dwelt, self)
        world.zones.add(self, "spot", 2.9, 3.1, Cat, tells_stay=without_latch)

    def on_enter(self, event: Event) -> int:
        """Begin to count."""
        self.warmed = 0
        if "no-latch" not in self.world.faults:
            self.dwell = self.after(self.DWELL_SECONDS, "dwelt")
        return 1

    def on_leave(self, event: Event) -> int:
        """Count no more."""
        if self.dwell is not None:
            self.world.timers.clear(self.dwell)
            self.dwell = None
        return 1

    def on_dwelt(self, event: Event) -> int:
        """Say that the cat has settled."""
        self.dwell = None
        self.send("cat_settles")
        return 1

    def on_stay(self, event: Event) -> int:
        """The fault: once warm enough, say so on every frame."""
        self.warmed += 1
        if self.warmed < self.DWELL_SECONDS * self.world.hz:
            return 0
        self.send("cat_settles")
        return 0


class Lamp(Thing):
    """Lit at dusk: told by the clock, or (the fault) by asking all the time."""

    def __init__(self, world: World, clock: StreetClock) -> None:
        super().__init__(world)
        self.clock = clock
        self.lit = False
        if "delay-loop" in world.faults:
            self.listen("lamp_check", self.on_check, self)
            self.after(0.2, "lamp_check")
        else:
            self.listen("quarter", self.on_quarter)
            if "never-sent" in world.faults:
                self.listen("fuse_blows", self.on_quarter)

    def on_quarter(self, event: Event) -> int:
        """Light up after dusk."""
        if {"raised", "rest-not-called"} & self.world.faults and self.clock.quarter % 3 == 0:
            raise KeyError("bulb")
        self.lit = self.lit or self.clock.seconds >= DUSK_SECONDS
        return 1

    def on_check(self, event: Event) -> int:
        """Look at the clock and set the next look."""
        self.world.pace.spend(70)
        dusk = not self.lit and self.clock.seconds >= DUSK_SECONDS
        self.lit = self.lit or dusk
        self.after(0.2, "lamp_check")
        return int(dusk)


class Window(Thing):
    """Fogs up where the cat sits; the fault looks for it ten times a second."""

    def __init__(self, world: World, cat: Cat) -> None:
        super().__init__(world)
        self.cat = cat
        self.cat_was_in = False
        if "short-timer" in world.faults:
            self.listen("window_look", self.on_look, self)
            self.every(0.1, "window_look")
        else:
            self.listen("spot_enter", self.on_cat)

    def on_look(self, event: Event) -> int:
        """Look whether the cat came or went."""
        self.world.pace.spend(60)
        is_in = self.cat.place > 2.5
        changed = is_in != self.cat_was_in
        self.cat_was_in = is_in
        return int(changed)

    def on_cat(self, event: Event) -> int:
        """Fog up."""
        return 1
