"""What recording costs a game's frame: processor time a frame, plain and recorded, of samples that nobody here wrote.

Those that need an environment of their own are run where `make strangers` has made it, on a screen of their own.
"""

from __future__ import annotations

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

PROGRAM = """
import os, runpy, sys, threading, time
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


def _frame_ms(game: Game, recorded: bool, stream: Path) -> float:
    python = str(ROOT / ".strangers" / game.environment / "bin" / "python") if game.environment else sys.executable
    program = ["-c", PROGRAM.format(module=game.module, count=game.count)]
    command = [python, "-m", "opossum_recorder.launch", str(stream), *program] if recorded else [python, *program]
    environment = os.environ | {
        "PYTHONPATH": str(ROOT / "recorder" / "src"),
        "SDL_AUDIODRIVER": "dummy",
        "ALSOFT_DRIVERS": "null",
    }
    environment |= {"DISPLAY": SCREEN} if game.environment else {"SDL_VIDEODRIVER": "dummy"}
    result = subprocess.run(command, cwd=stream.parent, env=environment, capture_output=True, text=True, timeout=60)
    told = [line for line in result.stdout.splitlines() if line.startswith("a frame:")]
    return float(told[-1].rpartition(" ")[2]) if told else float("nan")


def games(table: Any) -> None:
    """Processor time of a frame, recorded and plain, in turn."""
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
                pairs = [
                    tuple(_frame_ms(game, recorded, Path(folder) / "a.flow.jsonl") for recorded in (True, False))
                    for _ in range(ROUNDS)
                ]
                recorded, plain = (statistics.median(column) for column in zip(*pairs, strict=True))
                name = f"a frame of {game.module.rpartition('.')[2]} ({game.engine}), recorded / plain"
                table.row(name, recorded / plain, 1.3, f"{recorded:.2f} / {plain:.2f} ms of the processor's")
    finally:
        if screen is not None:
            screen.terminate()
