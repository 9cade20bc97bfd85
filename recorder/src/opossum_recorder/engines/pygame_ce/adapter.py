"""Records a pygame or pygame-ce game: its frames, its event queue and timers, its sprites, sounds and own functions.

pygame has no listeners: an event is handled where the game's loop has a branch for it, so what runs from that line to
the next event is recorded as one call.  What the loop calls once a frame is recorded as its tick (see `loop_functions`).
What handling an event changed is not known; other calls are traced now and then (see `effects`).
"""

from __future__ import annotations

from collections.abc import Callable

from opossum_recorder.effects import Effects
from opossum_recorder.engines.loop_functions import LoopFunctions
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.pygame_ce.events import PygameEvents
from opossum_recorder.engines.pygame_ce.frames import WAITS, PygameFrames
from opossum_recorder.engines.pygame_ce.pgzero import PygameZero
from opossum_recorder.engines.pygame_ce.sounds import PygameSounds
from opossum_recorder.engines.pygame_ce.sprites import watch_sprites
from opossum_recorder.recorder import Recorder


class PygameAdapter:
    """Puts the recorder into pygame's modules; one a process."""

    waits = WAITS

    def __init__(self, recorder: Recorder) -> None:
        self._recorder = recorder
        self._effects = Effects()
        self._names = ObjectNames(recorder)
        self._sounds = PygameSounds(recorder)
        self._looked_at_sounds = False
        self._frames = PygameFrames(
            recorder,
            self._began,
            self._ended,
            lambda: self._functions.between_frames(),
            lambda: self._functions.waited(),
        )
        self._events = PygameEvents(recorder, self._names, self._frames)
        self._functions = LoopFunctions(recorder, self._names, self._effects, self._events.handled)
        self._zero = PygameZero(recorder, self._names, self._effects, self._frames, self._events)

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {"pygame": self.put_on, **self._zero.watched}

    def put_on(self) -> None:
        """Patch clock, waits, display, events, timers, sounds and groups."""
        import pygame

        self._frames.put_on(pygame)
        self._events.put_on(pygame)
        watch_sprites(self._recorder, self._names, self._effects, self._frames)
        try:
            self._sounds.put_on()
        except (ImportError, NotImplementedError, AttributeError):
            return  # built without a mixer

    def _began(self) -> bool:
        if not self._looked_at_sounds:  # nothing told of the last frame's end
            self._sounds.look()
        self._looked_at_sounds = False
        return self._functions.frame_began()

    def _ended(self) -> None:
        if self._events.handled:
            self._events.end_handling()
        if self._functions.watched:
            self._functions.frame_ended()
        self._sounds.look()
        self._looked_at_sounds = True
