"""pygame's sprites: a group's `update` is a tick that calls each of them; `kill` is a sprite's end."""

from __future__ import annotations

import os
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.loop_functions import plain
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.engines.pygame_ce.frames import PygameFrames
from opossum_recorder.recorder import Recorder


def watch_sprites(recorder: Recorder, names: ObjectNames, effects: Effects, frames: PygameFrames) -> None:
    """Patch groups and sprites. A sprite begins, for us, where a group first updates it."""
    import pygame.sprite as sprites

    kill, idle_update = sprites.Sprite.kill, sprites.Sprite.update

    def recorded_update(group: Any, *args: Any, **kwargs: Any) -> None:
        frames.tell_phase("update")
        number = recorder.send(f"{type(group).__name__} update", via="tick")
        for sprite in group.sprites():
            function = plain(type(sprite).update)
            if function is idle_update:  # the engine's own, which does nothing
                continue
            code = getattr(function, "__code__", None)
            place = f"{os.path.basename(code.co_filename)}:{code.co_firstlineno}" if code is not None else ""
            called = getattr(function, "__get__", lambda *_, own=sprite: own.update)(sprite, type(sprite))
            name = getattr(function, "__qualname__", "update")
            with recorder.call(number, None, names.of(sprite), name, place) as call:
                effects.run(call, called, *args, **kwargs)

    def recorded_kill(sprite: Any) -> None:
        kill(sprite)
        names.end(sprite)

    for kind, name, method in (
        (sprites.AbstractGroup, "update", recorded_update),
        (sprites.Sprite, "kill", recorded_kill),
    ):
        setattr(kind, name, method)
