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
        play = Play(number, owner, clip, length, marks, self._world.time_s, then)
        self._plays.append(play)
        return play

    def cut(self, owner: Named) -> None:
        """Cut whatever the owner plays."""
        for play in self._plays:
            if play.owner is owner and play.alive:
                play.alive = False
                self._world.recorder.stop(play.number, "cut", round(self._world.time_s - play.began_s, 4))

    def advance(self) -> None:
        """Send the marks that were passed and end what has played out."""
        for play in tuple(self._plays):
            position = self._world.time_s - play.began_s + 1e-9
            while play.alive and play.next_mark < len(play.marks) and play.marks[play.next_mark][1] <= position:
                mark, _ = play.marks[play.next_mark]
                play.next_mark += 1
                self._world.tell_phase("clips")
                self._world.send(
                    mark, play.owner, {"clip": play.clip}, via="clip", y=play.number, mark=mark, pos=round(position, 4)
                )
            if play.alive and position >= play.length:
                play.alive = False
                self._world.recorder.stop(play.number, "end", play.length)
                if play.then is not None:
                    play.then()
        self._plays = [play for play in self._plays if play.alive]
