"""What recording costs the game: one record by recorder, and an engine's frame plain and recorded."""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

CALLS_A_FRAME = 2000

PANDA = """
import sys, time, json
from panda3d.core import loadPrcFileData
loadPrcFileData("", "window-type none\\naudio-library-name null")
from direct.showbase.ShowBase import ShowBase
from direct.showbase.DirectObject import DirectObject

class Oven(DirectObject):
    def __init__(self):
        self.heat = 0
        self.accept("steam", self.on_steam)
    def on_steam(self):
        self.heat += 1

base = ShowBase()
ovens = [Oven() for _ in range(int(sys.argv[1]))]
spent = []
for turn in range(40):
    began = time.perf_counter()
    messenger.send("steam")
    taskMgr.step()
    spent.append(time.perf_counter() - began)
spent.sort()
print(json.dumps(spent[len(spent) // 2] * 1e3))
"""

C_LOOP = r"""
#define OPOSSUM_IMPLEMENTATION
#include "opossum.h"
int main(int argc, char **argv) {
	struct timespec a, b;
	long i, n = 100000;
	if (argc < 2 || opossum_open(argv[1], "bench", 60)) return 1;
	clock_gettime(CLOCK_MONOTONIC, &a);
	for (i = 0; i < n; i++) {
		unsigned long c = opossum_call(opossum_send("tick", "oven#1", OPOSSUM_TICK, 0), 3, "oven#1", "oven_on_tick", "");
		opossum_ret(c, 1);
	}
	clock_gettime(CLOCK_MONOTONIC, &b);
	printf("%f\n", ((b.tv_sec - a.tv_sec) * 1e9 + (b.tv_nsec - a.tv_nsec)) / (3.0 * n) / 1000);
	opossum_close();
	return 0;
}
"""

PYTHON_LOOP = """
import sys, time
from opossum_recorder import Recorder
n = 30000
with Recorder(ARGUMENTS, watch_after=0) as recorder:
    began = time.perf_counter()
    for number in range(n):
        with recorder.call(recorder.send("tick", "oven#1", via="tick"), 3, "oven#1", "Oven.on_tick") as call:
            call.changed()
    print((time.perf_counter() - began) / (3 * n) * 1e6)
"""


def median_of(command: list[str], rounds: int = 3, pure: bool = False) -> float:
    """Run a command that prints one number, several times; return the median. `pure`: without the recorder's half in C."""
    environment = os.environ | {"OPOSSUM_PURE": "1" if pure else ""}

    def run() -> float:
        told = subprocess.run(command, capture_output=True, text=True, check=True, env=environment)
        return float(json.loads(told.stdout.split()[-1]))

    return statistics.median(run() for _ in range(rounds))


def recorders(table: Any) -> None:
    """One record by recorder, in microseconds; compared with the Python recorder to a file."""
    from opossum.live.receiver import Receiver

    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "a.flow.jsonl")
        loop = [sys.executable, "-c", PYTHON_LOOP.replace("ARGUMENTS", repr(path))]
        to_file, pure = median_of(loop), median_of(loop, pure=True)
        table.row(
            "a record by the half in C / by the one in Python", to_file / pure, 0.6, f"{to_file:.2f} / {pure:.2f} µs"
        )
        listener = Receiver(Path(folder) / "l.flow.jsonl", port=0)
        listener.start()
        link = f"None, link='127.0.0.1:{listener.port}'"
        to_link = median_of([sys.executable, "-c", PYTHON_LOOP.replace("ARGUMENTS", link)])
        table.row(
            "a record over the link / to a file, Python", to_link / to_file, 3, f"{to_link:.2f} / {to_file:.2f} µs"
        )
        listener.stop()
        if shutil.which("cc"):
            from opossum_commands.engines.engine import recorder_folder

            source, program = Path(folder) / "loop.c", str(Path(folder) / "loop")
            source.write_text(C_LOOP)
            include = str(recorder_folder() / "c")
            subprocess.run(["cc", "-O2", "-I", include, str(source), "-o", program, "-lpthread", "-lm"], check=True)
            in_c = median_of([program, path])
            table.row("a record of a C game / by the half in Python", in_c / pure, 3, f"{in_c:.2f} / {pure:.2f} µs")


def holding(table: Any) -> None:
    """What it costs that a game can be held, while nothing is asked of it."""
    import time

    from opossum_recorder import Recorder
    from opossum_recorder.holding import Holding

    def loop(can_be_held: bool, folder: str) -> float:
        with Recorder(Path(folder) / "a.flow.jsonl", "bench", watch_after=0) as recorder:
            if can_be_held:
                recorder.holding = Holding(recorder, recorder.attributes)
            began = time.perf_counter()
            for _ in range(20_000):
                with recorder.call(recorder.send("tick", "oven#1", via="tick"), 3, "oven#1", "Oven.on_tick") as call:
                    call.changed()
            return time.perf_counter() - began

    with tempfile.TemporaryDirectory() as folder:
        loop(True, folder), loop(False, folder)
        pairs = [(loop(True, folder), loop(False, folder)) for _ in range(9)]
    ratio = statistics.median(a / b for a, b in pairs)
    can, cannot = (min(values) / 60_000 * 1e6 for values in zip(*pairs, strict=True))
    table.row("a record where a game can be held / where it cannot", ratio, 1.1, f"{can:.2f} / {cannot:.2f} µs")


def panda(table: Any) -> None:
    """A frame of a Panda3D game with many listener calls, plain and recorded."""
    with tempfile.TemporaryDirectory() as folder:
        script = Path(folder) / "scene.py"
        script.write_text(PANDA)
        game = [sys.executable, str(script), str(CALLS_A_FRAME)]
        out = str(Path(folder) / "a.take")
        record = [sys.executable, "-m", "opossum_commands", "record", "--force", "--out", out, "--", *game]
        pairs = [(median_of(record, 1), median_of(game, 1)) for _ in range(9)]
        pure = median_of(record, 1, pure=True)
    ratio = statistics.median(a / b for a, b in pairs)
    recorded, plain = (statistics.median(values) for values in zip(*pairs, strict=True))
    table.row(
        f"Panda3D frame with {CALLS_A_FRAME:,} listener calls, recorded / plain",
        ratio,
        2.5,
        f"{recorded:.2f} ms / {plain:.2f} ms; without the half in C {pure / plain:.0f} ×",
    )
