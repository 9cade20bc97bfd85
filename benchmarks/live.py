"""The desk while a game plays to it: how long its window's turns take, what is lost, how late a bead comes."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

RATE = 200_000
LONGEST_TURN_MS = 50.0
LATENCY_SENDS = 60


def desk(folder: str) -> tuple[Any, Any]:
    """Return an application and a desk that listens."""
    os.environ["XDG_DATA_HOME"] = folder
    from opossum_desk.application import dress, make_application
    from opossum_desk.memory import Memory
    from opossum_desk.starting import SWITCH_S
    from opossum_desk.views.look import Look
    from opossum_desk.window import DeskWindow

    sys.setswitchinterval(SWITCH_S)
    application = make_application()
    look = Look("day")
    dress(application, look)
    window = DeskWindow(Memory(Path(folder)), look)
    window.resize(1280, 800)
    window.show()
    window.games.listen(0)
    return application, window


def stolen_s() -> float:
    """Return for how many seconds so far others had this machine's processors while it wanted them."""
    with open("/proc/stat", encoding="ascii") as told:
        return int(told.readline().split()[8]) / os.sysconf("SC_CLK_TCK")


def flooding(table: Any, seconds: float) -> None:
    """A flood of records: turns of the window, records lost, memory."""
    with tempfile.TemporaryDirectory() as folder:
        application, window = desk(folder)
        stream = window.games.receiver.out
        command = [sys.executable, str(Path(__file__).parent / "flood.py"), str(window.games.receiver.port)]
        game = subprocess.Popen([*command, str(RATE), str(seconds)], stdout=subprocess.PIPE, text=True)
        turns, slept, stolen = [], 0.0, stolen_s()
        end = time.perf_counter() + seconds + 2
        while time.perf_counter() < end:
            began = time.perf_counter()
            application.processEvents()
            ended = time.perf_counter()
            turns.append((ended - began) * 1e3)
            time.sleep(0.001)
            slept = max(slept, (time.perf_counter() - ended) * 1e3)
        stolen = stolen_s() - stolen
        sent = int(game.communicate()[0])
        with open(stream, "rb") as file:
            kept = sum(block.count(b"\n") for block in iter(lambda: file.read(1 << 20), b""))
        shown = window.session.take.records
        window.close()
    turns.sort()
    usual, over = turns[int(len(turns) * 0.999)], sum(turn > LONGEST_TURN_MS for turn in turns)
    memory, reader = (
        resource.getrusage(who).ru_maxrss / 1024 for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
    )
    table.row(
        f"window's turn, 99.9th percentile, {RATE:,} records a second",
        usual,
        LONGEST_TURN_MS,
        f"over {seconds:.0f} s; longest {turns[-1]:.0f} ms, {over} of {len(turns):,} over 50 ms (the machine "
        f"was taken away for {stolen:.1f} s of it, and a sleep of 1 ms took up to {slept:.0f} ms); {shown:,} shown at the end",
        "ms",
    )
    table.row(
        "records lost of them",
        sent - kept,
        0,
        f"{kept:,} on disk; peak {memory:,.0f} MB, and {reader:,.0f} MB where it is read",
        "  ",
    )


def latency(table: Any) -> None:
    """From a send in a game to its bead on the desk."""
    from opossum_recorder import Recorder

    with tempfile.TemporaryDirectory() as folder:
        application, window = desk(folder)
        recorder = Recorder(None, "latency", link=f"127.0.0.1:{window.games.receiver.port}", watch_after=0)
        sent: list[float] = []
        shown: list[float] = []

        def play() -> None:
            for number in range(LATENCY_SENDS * 12):
                with recorder.frame(number):
                    if number % 12 == 0 and number > 0:
                        with recorder.call(recorder.send("beat"), None, "oven#1", "Oven.on_beat"):
                            sent.append(time.perf_counter())
                time.sleep(1 / 60)
            recorder.close()

        game = threading.Thread(target=play)
        game.start()
        end = time.perf_counter() + LATENCY_SENDS * 0.25 + 10
        while len(shown) < LATENCY_SENDS - 1 and time.perf_counter() < end:
            application.processEvents()
            calls = len(window.session.take.calls) if window.session is not None else 0
            if calls > len(shown):
                window.take_area.flow.loom.grab()  # painted, as it would be on a screen
                shown += [time.perf_counter()] * (calls - len(shown))
            time.sleep(0.001)
        game.join()
        window.close()
    # the first ones wait for the desk to notice that a game has come
    delays = sorted((b - a) * 1e3 for a, b in zip(sent[5:], shown[5:], strict=False))
    table.row(
        "from a send in the game to its bead, 95th percentile",
        delays[int(len(delays) * 0.95)],
        500,
        f"median {delays[len(delays) // 2]:.0f} ms of {len(delays)} sends",
        "ms",
    )
