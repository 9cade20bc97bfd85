"""The engines whose games `opossum record` starts; a new one is a module here and one line in `ENGINES`.

What is recorded of a game is the business of the recorder's own folder of that engine (`opossum_recorder.engines`).
"""

from __future__ import annotations

from pathlib import Path

from opossum_commands.engines.engine import Engine
from opossum_commands.engines.godot import GODOT
from opossum_commands.engines.love import LOVE
from opossum_commands.engines.python import PYTHON

ENGINES: list[Engine] = [PYTHON, LOVE, GODOT]


def engine_at(path: Path) -> Engine | None:
    """Return the engine of the game that lies at a path, None where nothing there tells."""
    return next((engine for engine in ENGINES if engine.is_at(path)), None)
