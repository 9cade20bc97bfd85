"""Running an example game of an engine under `opossum record`."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from opossum.take.opening import open_any
from opossum.take.take import Take

EXAMPLES = Path(__file__).parent.parent.parent / "docs" / "examples"
WITHOUT_A_SCREEN = {"SDL_VIDEODRIVER": "dummy", "SDL_AUDIODRIVER": "dummy"}


def played(folder: Path, game: Path, *arguments: str) -> Take:
    """Record a game that ends well and return its take."""
    target = folder / "game.take"
    command = [
        sys.executable,
        "-m",
        "opossum_commands",
        "record",
        "--out",
        str(target),
        "--",
        sys.executable,
        str(game),
        *arguments,
    ]
    result = subprocess.run(command, capture_output=True, text=True, timeout=120, env=os.environ | WITHOUT_A_SCREEN)
    assert result.returncode == 0, result.stderr
    return open_any(str(target))
