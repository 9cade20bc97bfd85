"""arcade on top of pyglet: a sprite list's update is a tick that calls each sprite whose class the game wrote."""

from __future__ import annotations

import functools
import importlib
from collections.abc import Callable
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe, is_surely_games
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.recorder import Recorder


class ArcadeSprites:
    """Puts the recorder into arcade's sprite lists and sprites."""

    def __init__(self, recorder: Recorder, names: ObjectNames, effects: Effects) -> None:
        self._recorder, self._names, self._effects = recorder, names, effects

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {"arcade.sprite_list.sprite_list": self._put_on_lists, "arcade.sprite.base": self._put_on_sprites}

    def _put_on_lists(self) -> None:
        kind: Any = importlib.import_module("arcade.sprite_list.sprite_list").SpriteList
        for name in ("update", "update_animation"):
            setattr(kind, name, self._ticking(kind, name, getattr(kind, name)))

    def _ticking(self, kind: Any, name: str, update: Any) -> Any:
        @functools.wraps(update)
        def recorded(own: Any, *args: Any, **given: Any) -> None:
            sprites = own.sprite_list
            if not any(is_surely_games(getattr(type(sprite), name, None)) for sprite in sprites):
                update(own, *args, **given)
                return
            number = self._recorder.send(f"{type(own).__name__} {name}", via="tick")
            # as the engine does: over the list itself, whatever happens to it meanwhile
            for sprite in sprites:
                method = getattr(sprite, name)
                given_args = args or (1 / 60,)
                if not is_surely_games(getattr(type(sprite), name, None)):
                    method(*given_args, **given)
                    continue
                function, place = describe(method)
                with self._recorder.call(number, None, self._names.of(sprite), function, place) as call:
                    self._effects.run(call, method, *given_args, **given)

        return recorded

    def _put_on_sprites(self) -> None:
        kind: Any = importlib.import_module("arcade.sprite.base").BasicSprite
        leave = kind.remove_from_sprite_lists

        @functools.wraps(leave)
        def recorded(own: Any) -> None:
            leave(own)
            self._names.end(own)

        kind.remove_from_sprite_lists = recorded
