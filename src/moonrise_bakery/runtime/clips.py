"""Clips with marks, and tracks with cues: both play along the world's time and send as they pass."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from moonrise_bakery.runtime.parts import Named, Stage


@dataclass(slots=True)
class Play:
    """A clip that is playing."""

    number: int
    owner: Named
    clip: str
    length: float
    marks: list[tuple[str, float]]
    began_s: float
    then: Callable[[], None] | None
    what: str = "anim"
    next_mark: int = 0
    alive: bool = True


class Clips:
    """All playing clips, advanced in the clips phase."""

    def __init__(self, world: Stage) -> None:
        self._world = world
        self._plays: list[Play] = []

    def play(
        self,
        owner: Named,
        clip: str,
        length: float,
        marks: list[tuple[str, float]],
        then: Callable[[], None] | None = None,
        what: str = "anim",
    ) -> Play:
        """Start a clip; `then` is called when it has played to its end."""
        number = self._world.recorder.play(owner.name, clip, length, marks, what=what)
        play = Play(number, owner, clip, length, marks, self._world.time_s, then, what)
        self._plays.append(play)
        return play

    def cut(self, owner: Named) -> None:
        """Cut whatever the owner plays."""
        for play in self._plays:
            if play.owner is owner and play.alive:
                play.alive = False
                self._world.recorder.stop(play.number, "cut", round(self._world.time_s - play.began_s, 4))

    def _reached(self, play: Play, position: float) -> bool:
        """Say whether the next mark's place is reached; the faults reckon it wrongly."""
        faults, place = self._world.faults, play.marks[play.next_mark][1]
        if play.what == "track":
            if "cue-early" in faults:
                place -= 0.15
            elif "cue-late" in faults:
                place += 0.15
            elif "cue-drifts" in faults:
                place *= 1.01
        elif "mark-late" in faults and round(position * self._world.hz) % 12:
            return False  # it looks for marks now and then only
        elif "marks-burst" in faults and play.clip.startswith("knead") and place > 0.5 * play.length:
            return position >= play.length  # what is left is sent when the clip ends
        return place <= position

    def _lost(self, play: Play, beside: float) -> bool:
        """Say whether a fault loses the mark that lies so many seconds back."""
        if play.what == "track":
            return "cue-missed" in self._world.faults and play.next_mark == 3
        # it asks whether the place is near, not whether it was passed
        kneads = play.clip.startswith("knead")
        return kneads and "mark-skipped" in self._world.faults and beside * self._world.hz > 0.3

    def advance(self) -> None:
        """Send the marks that were passed and end what has played out."""
        for play in tuple(self._plays):
            position = self._world.time_s - play.began_s + 1e-9
            while play.alive and play.next_mark < len(play.marks) and self._reached(play, position):
                mark, place = play.marks[play.next_mark]
                play.next_mark += 1
                if self._lost(play, position - place):
                    continue
                self._world.tell_phase("clips")
                self._world.send(
                    mark, play.owner, {"clip": play.clip}, via="clip", y=play.number, mark=mark, pos=round(position, 4)
                )
            if play.alive and position >= play.length:
                play.alive = False
                self._world.tell_phase("clips")  # what follows the clip runs in it
                self._world.recorder.stop(play.number, "end", play.length)
                if play.then is not None:
                    play.then()
        self._plays = [play for play in self._plays if play.alive]
