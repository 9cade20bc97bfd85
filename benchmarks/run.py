"""How fast, as ratios measured in one run: `make bench`, or `python benchmarks/run.py [--records N] [--only WORD]`.

Each row compares two things timed in turn on this machine, so that its speed and its noise cancel.  Exit
status 1 if a limit is exceeded.
"""

from __future__ import annotations

import argparse
import gc
import logging
import math
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

import msgspec

import beside
import games
import live
import painting
import recorders
from dense_strands import write_dense_strands
from hard_traffic import SORTS, write_hard_traffic
from opossum.findings.examine import examine
from opossum.stream.kinds import KINDS
from opossum.stream.reading import read_streams
from opossum.take.archive import open_take, save_take
from opossum.take.opening import open_any
from opossum.take.take import Take
from table import Table
from traffic import write_traffic

SMALL_RECORDS = 20_000
FEW_CALLS, MANY_CALLS = 100_000, 1_000_000
"""Calls of a stream of hard traffic; with their sends and returns some three times as many records."""
DENSE_FRAMES, DENSE_SHARE = 60_000, 40
"""Length of the long take of dense strands, and how many times that of the short one it is."""
ROUNDS = 5
STARTS = 15
"""Processes scatter more than loops do."""


def seconds(action: Callable[[], object], rounds: int = ROUNDS) -> list[float]:
    """Return how long an action took, round by round, the garbage of earlier rounds collected before."""
    found = []
    for _ in range(rounds):
        gc.collect()
        began = time.perf_counter()
        action()
        found.append(time.perf_counter() - began)
    return found


def flat_decoder() -> msgspec.json.Decoder:
    """Return msgspec's decoder into one flat struct of all fields of all kinds: the yardstick for reading."""
    names = dict.fromkeys(["t", "p", "th", *(field.name for kind in KINDS.values() for field in kind.fields)])
    struct = msgspec.defstruct("Flat", [("k", str), *((name, object, None) for name in names)])
    return msgspec.json.Decoder(struct)


def indexed(path: Path) -> Take:
    """Read a stream into an indexed take."""
    take = Take.from_contents(read_streams([str(path)]), path.name)
    take.index()
    return take


def opened(path: Path) -> Take:
    """Open a saved take, indexed."""
    take = open_take(path)
    take.index()
    return take


def reading(table: Table, stream: Path, saved: Path) -> None:
    """Reading, opening, findings, bytes."""
    data = stream.read_bytes()
    decoder = flat_decoder()
    read_times, flat_times, open_times, apart_times, find_times = [], [], [], [], []
    take = indexed(stream)
    save_take(take, saved)
    for _ in range(ROUNDS):
        flat_times += seconds(lambda: decoder.decode_lines(data), 1)
        read_times += seconds(lambda: indexed(stream), 1)
        open_times += seconds(lambda: opened(saved), 1)
        apart_times += seconds(lambda: open_any(str(saved)), 1)
        fresh = opened(saved)
        find_times += seconds(lambda fresh=fresh: examine(fresh), 1)
        del fresh
    flat, read = statistics.median(flat_times), statistics.median(read_times)
    ratio = statistics.median(a / b for a, b in zip(read_times, flat_times, strict=True))
    count = take.records
    table.row(f"reading a stream of {count:,} records / msgspec alone", ratio, 3, f"{read:.2f} s / {flat:.2f} s")
    ratio = statistics.median(a / b for a, b in zip(open_times, read_times, strict=True))
    table.row(
        "opening it saved / reading the stream", ratio, 0.1, f"{statistics.median(open_times):.3f} s / {read:.2f} s"
    )
    ratio = statistics.median(a / b for a, b in zip(apart_times, read_times, strict=True))
    apart = f"{statistics.median(apart_times):.3f} s / {read:.2f} s"
    table.row("the same in a process of its own, within bounds / reading the stream", ratio, 0.4, apart)
    ratio = statistics.median(a / b for a, b in zip(find_times, read_times, strict=True))
    table.row(
        "all findings / reading the stream",
        ratio,
        0.5,
        f"{statistics.median(find_times):.2f} s, {len(examine(take))} findings",
    )
    table.row("memory of the opened take, bytes a record", take.nbytes / count, 150, "columns and indexes", "B")
    table.row(
        "the saved .take, bytes a record", saved.stat().st_size / count, 40, f"{saved.stat().st_size:,} bytes", "B"
    )


def finding_in_hard_traffic(table: Table, folder: Path) -> None:
    """Examining streams full of candidates, against reading them, and how it grows with their length."""
    for sort in SORTS:
        path = folder / "hard.flow.jsonl"
        takes = {}
        for calls in (FEW_CALLS, MANY_CALLS):
            write_hard_traffic(path, sort, calls)
            read_times = seconds(lambda path=path: indexed(path), 1)
            takes[calls] = indexed(path)
        count = takes[MANY_CALLS].records
        # the processor's time, and the two in turn: what others do on this machine is not the finders' growth
        costs: dict[int, list[float]] = {calls: [] for calls in takes}
        for _ in range(ROUNDS):
            for calls, take in takes.items():
                costs[calls].append(processor_seconds(lambda take=take: examine(take)))
        few, many = (min(costs[calls]) for calls in (FEW_CALLS, MANY_CALLS))
        ratio = many / read_times[0]
        power = math.log(many / few) / math.log(MANY_CALLS / FEW_CALLS)
        table.row(
            f"findings on hard traffic: {sort} / reading", ratio, 0.5, f"{count:,} records, {read_times[0]:.2f} s"
        )
        table.row(f"… grows from {FEW_CALLS:,} to {MANY_CALLS:,} calls with the power", power, 1.1, "", "")


def processor_seconds(action: Callable[[], object]) -> float:
    """Return the processor time an action takes, in seconds."""
    began = time.process_time()
    action()
    return time.process_time() - began


BARE = """
import os
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow
class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        QTimer.singleShot(0, lambda: os._exit(0))  # once the rest of the window is painted too
app = QApplication([])
window = Window()
window.setCentralWidget(QLabel("a window"))
window.resize(1280, 800)
window.show()
app.exec()
"""

DESK = """
import os, sys
from opossum_desk import starting
from moonrise_bakery import demo_take_path
made = starting.make_window
def make_window(look):
    result = made(look)
    from opossum_desk.flow.loom import LoomView
    painted = LoomView.paint
    def paint(self, painter, session):
        painted(self, painter, session)
        from PySide6.QtCore import QTimer
        QTimer.singleShot(0, lambda: os._exit(0))  # once the rest of the window is painted too
    LoomView.paint = paint
    return result
starting.make_window = make_window
sys.exit(starting.run_desk([str(demo_take_path())]))
"""


def starting(table: Table) -> None:
    """The desk's first painted window with the take shown, against a bare window."""
    desk, bare = [], []
    with tempfile.TemporaryDirectory() as home:
        environment = os.environ | {"XDG_CONFIG_HOME": home, "XDG_STATE_HOME": home}
        # as on a user's machine: what is loaded was compiled by an earlier start
        environment.pop("PYTHONDONTWRITEBYTECODE", None)
        for code in (BARE, DESK) * 2:
            subprocess.run([sys.executable, "-c", code], env=environment, check=True)
        for _ in range(STARTS):
            bare += seconds(lambda: subprocess.run([sys.executable, "-c", BARE], env=environment, check=True), 1)
            desk += seconds(lambda: subprocess.run([sys.executable, "-c", DESK], env=environment, check=True), 1)
    ratio = statistics.median(a / b for a, b in zip(desk, bare, strict=True))
    table.row(
        "desk with the demo take painted / bare window",
        ratio,
        2.2,
        f"{statistics.median(desk):.2f} s / {statistics.median(bare):.2f} s",
    )


def recording(table: Table) -> None:
    """What one record costs, against one line of logging."""
    from opossum_recorder import Recorder

    count = 30_000
    with tempfile.TemporaryDirectory() as folder:
        logger = logging.getLogger("bench")
        handler = logging.FileHandler(Path(folder) / "log.txt")
        handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
        logger.addHandler(handler)
        logger.setLevel(logging.INFO)
        logger.propagate = False

        def log() -> None:
            for _ in range(count):
                logger.info("send %s from %s", "tick", "oven#1")

        def record() -> None:
            with Recorder(Path(folder) / "x.flow.jsonl", "bench") as recorder:
                for number in range(count // 32):
                    with recorder.frame(number, 0.0167):
                        for _ in range(10):
                            with recorder.call(
                                recorder.send("tick", "oven#1", via="tick"), 3, "oven#1", "Oven.on_tick"
                            ) as call:
                                call.changed()
                assert recorder.lost == 0

        log(), record()
        pairs = [(seconds(record, 1)[0], seconds(log, 1)[0]) for _ in range(ROUNDS)]
    ratio = statistics.median(a / b for a, b in pairs)
    a, b = (statistics.median(values) / count * 1e6 for values in zip(*pairs, strict=True))
    table.row(
        "recording one record / one logging.info to a file", ratio, 0.25, f"{a:.2f} µs / {b:.2f} µs (aim: a tenth)"
    )


def main() -> int:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--records", type=int, default=1_000_000, help="length of the large take")
    parser.add_argument("--live-seconds", type=float, default=60, help="how long the flood lasts")
    parser.add_argument(
        "--only",
        choices=["reading", "hard", "painting", "starting", "recording", "games", "live", "beside"],
        help="measure one part",
    )
    arguments = parser.parse_args()
    table = Table()
    with tempfile.TemporaryDirectory() as folder:
        large, small = Path(folder) / "large.flow.jsonl", Path(folder) / "small.flow.jsonl"
        saved, saved_small = Path(folder) / "large.take", Path(folder) / "small.take"
        if arguments.only in (None, "reading", "painting"):
            write_traffic(large, arguments.records)
            write_traffic(small, SMALL_RECORDS)
        if arguments.only in (None, "reading"):
            reading(table, large, saved)
        if arguments.only in (None, "hard"):
            finding_in_hard_traffic(table, Path(folder))
        if arguments.only in (None, "painting"):
            for source, target in ((large, saved), (small, saved_small)):
                save_take(indexed(source), target)
            painting.painting(table, saved, saved_small)
            dense, dense_small = Path(folder) / "dense.take", Path(folder) / "dense_small.take"
            for target, frames in ((dense, DENSE_FRAMES), (dense_small, DENSE_FRAMES // DENSE_SHARE)):
                source = target.with_suffix(".flow.jsonl")
                write_dense_strands(source, frames)
                save_take(indexed(source), target)
            painting.dense_strands(table, dense, dense_small, saved_small)
        if arguments.only in (None, "starting"):
            starting(table)
        if arguments.only in (None, "recording"):
            recording(table)
            recorders.recorders(table)
            recorders.holding(table)
            recorders.panda(table)
        if arguments.only in (None, "beside"):
            beside.beside(table, Path(folder))
        if arguments.only in (None, "games"):
            games.games(table)
        if arguments.only in (None, "live"):
            live.latency(table)
            live.flooding(table, arguments.live_seconds)
    return 1 if table.exceeded else 0


if __name__ == "__main__":
    sys.exit(main())
