"""Games called by their engine's own program, or by a shell script that ends in that: `love game.love`, `godot3 --path game`."""

from __future__ import annotations

import os
from pathlib import Path

from opossum_commands.engines import ENGINES
from opossum_commands.engines.engine import Engine, Launch, path_of
from opossum_commands.engines.shell_wrapper import Wrapped, game_of_wrapper


def engine_called(call: tuple[str, ...]) -> tuple[Engine, tuple[str, ...]] | None:
    """Return the engine whose program a command line calls, and the game with its arguments; None where it calls none.

    Raises:
        CommandError: it calls a shell script in which no game can be told.
    """
    direct = _by_program(Wrapped(call, None, {}))
    path = path_of(call[0])
    # a Python may be a shell script itself, which finds the one that is meant
    if direct is not None or path is None or os.path.basename(call[0]).startswith("python"):
        return direct
    programs = [name for engine in ENGINES for name in engine.programs]
    wrapped = game_of_wrapper(path, list(call[1:]), programs)
    return _by_program(wrapped) if wrapped is not None else None


def _by_program(wrapped: Wrapped) -> tuple[Engine, tuple[str, ...]] | None:
    called, *words = wrapped.call
    engine = next((engine for engine in ENGINES if os.path.basename(called) in engine.programs), None)
    if engine is None:
        return None
    game, *arguments = engine.game_of(words) or (".",)
    return _with(engine, wrapped), (str(Path(wrapped.folder or "", game)), *arguments)


def _with(engine: Engine, wrapped: Wrapped) -> Engine:
    """Return the engine that starts its games with what a shell script exports."""

    def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
        launch = engine.launch(destination, call, folder)
        return launch._replace(environment=wrapped.environment | launch.environment)

    return engine._replace(launch=launch) if wrapped.environment else engine
