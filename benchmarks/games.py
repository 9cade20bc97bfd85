"""What recording costs a game's frame: processor time a frame, plain and recorded, of samples that nobody here wrote.

Both are run at once, each on a processor of its own, and then with the two exchanged: what else the machine does meets both.
Those that need an environment of their own are run where `make strangers` has made it, on a screen of their own.
"""

from __future__ import annotations

import math
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).parent.parent
SCREEN = ":94"
ROUNDS = 3
"""Times that a pair is run, and run again with the processors exchanged."""

PROGRAM = """
import os, runpy, sys, threading, time
os.sched_setaffinity(0, {processors!r})
shown = [0]

def counting(function):
    def run(*args, **given):
        shown[0] += 1
        return function(*args, **given)
    return run

def look():
    time.sleep(4)
    began, frames = time.process_time(), shown[0]
    time.sleep(6)
    print("a frame:", (time.process_time() - began) * 1000 / max(1, shown[0] - frames), flush=True)
    os._exit(0)

if "opossum_recorder" in sys.modules:
    from opossum_recorder.game_code import name_module
    name_module({module!r})
{count}
threading.Thread(target=look, daemon=True).start()
runpy.run_module({module!r}, run_name="__main__", alter_sys=True)
"""
COUNT_PYGAME = "import pygame\npygame.display.update = counting(pygame.display.update)\npygame.display.flip = counting(pygame.display.flip)"
COUNT_PYGLET = "import pyglet.window\npyglet.window.Window.flip = counting(pyglet.window.Window.flip)"
COUNT_PANDA = "import direct.showbase.ShowBase\nfrom direct.task.Task import TaskManager\nTaskManager.step = counting(TaskManager.step)"


class Game(NamedTuple):
    """A sample: its engine's name, the module that is run, how its frames are counted, the environment it needs."""

    engine: str
    module: str
    count: str
    environment: str = ""


GAMES = (
    Game("pygame", "pygame.examples.moveit", COUNT_PYGAME),
    Game("arcade", "arcade.examples.asteroid_smasher", COUNT_PYGLET, "arcade"),
    Game("ursina", "ursina.prefabs.platformer_controller_2d", COUNT_PANDA, "ursina"),
)


def _begin(game: Game, recorded: bool, stream: Path, processors: set[int]) -> subprocess.Popen[str]:
    python = str(ROOT / ".strangers" / game.environment / "bin" / "python") if game.environment else sys.executable
    program = ["-c", PROGRAM.format(module=game.module, count=game.count, processors=processors)]
    command = [python, "-m", "opossum_recorder.launch", str(stream), *program] if recorded else [python, *program]
    environment = os.environ | {
        "PYTHONPATH": str(ROOT / "recorder" / "src"),
        "SDL_AUDIODRIVER": "dummy",
        "ALSOFT_DRIVERS": "null",
    }
    environment |= {"DISPLAY": SCREEN} if game.environment else {"SDL_VIDEODRIVER": "dummy"}
    return subprocess.Popen(
        command, cwd=stream.parent, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )


def _frame_ms(process: subprocess.Popen[str]) -> float:
    told = [line for line in process.communicate(timeout=60)[0].splitlines() if line.startswith("a frame:")]
    return float(told[-1].rpartition(" ")[2]) if told else float("nan")


def _pair_ms(game: Game, folder: Path, exchanged: bool) -> tuple[float, float]:
    """Return how long a frame took recorded and plain, at the same time."""
    processors = sorted(os.sched_getaffinity(0))
    mine, other = processors[: max(1, len(processors) // 2)], processors[len(processors) // 2 :]
    if exchanged:
        mine, other = other, mine
    stream = folder / "a.flow.jsonl"
    both = _begin(game, True, stream, set(mine)), _begin(game, False, stream, set(other))
    try:
        return _frame_ms(both[0]), _frame_ms(both[1])
    finally:
        for process in both:  # one that did not end in time
            process.kill()


def games(table: Any) -> None:
    """Processor time of a frame, recorded and plain, at the same time."""
    screen = None
    if shutil.which("Xvfb"):
        command = ["Xvfb", SCREEN, "-screen", "0", "1280x800x24"]
        screen = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(2)
    try:
        with tempfile.TemporaryDirectory() as folder:
            for game in GAMES:
                if game.environment and (screen is None or not (ROOT / ".strangers" / game.environment).is_dir()):
                    print(f"a frame of {game.engine}: not measured; it needs Xvfb, and `make strangers` once")
                    continue
                pairs = [_pair_ms(game, Path(folder), exchanged) for _ in range(ROUNDS) for exchanged in (False, True)]
                recorded, plain = (statistics.median(column) for column in zip(*pairs, strict=True))
                ratio = statistics.median(
                    math.sqrt(one[0] / one[1] * other[0] / other[1])
                    for one, other in zip(pairs[::2], pairs[1::2], strict=True)
                )
                name = f"a frame of {game.module.rpartition('.')[2]} ({game.engine}), recorded / plain"
                table.row(name, ratio, 1.3, f"{recorded:.2f} / {plain:.2f} ms of the processor's")
    finally:
        if screen is not None:
            screen.terminate()
