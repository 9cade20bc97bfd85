"""What runs beside each other cost: comparing two takes, checking rules, learning rules, each against reading."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from moonrise_bakery.night import record_night
from opossum.compare.comparison import compared
from opossum.compare.side import Side
from opossum.findings.examine import examine
from opossum.learning.learn import learn
from opossum.rehearse.rehearsal import rehearse
from opossum.rules.checking import check
from opossum.rules.files import read_rules
from opossum.rules.parsing import parse_rules
from opossum.stream.reading import read_streams
from opossum.take.take import Take

SECONDS = 1_250
"""A night so long has about a million records."""

SHORT_SECONDS = 400
"""Of the nights that are learnt from."""

RULES = 200
ROUNDS = 3
BAKERY_RULES = Path(__file__).parent.parent / "docs" / "examples" / "bakery.rules"


class Rows(Protocol):
    """Prints rows."""

    def row(self, what: str, value: float, limit: float, figures: str, unit: str = "×") -> None:
        """Print one comparison."""


def beside(table: Rows, folder: Path) -> None:
    """Measure and print."""
    paths = {}
    for name, faults in (("before", ()), ("after", ("bound-twice", "every-frame"))):
        paths[name] = folder / f"{name}.flow.jsonl"
        record_night(paths[name], faults, seconds=SECONDS)
    read_times, compare_times, check_times = [], [], []
    before, after = read(paths["before"]), read(paths["after"])
    rules = read_rules(BAKERY_RULES).rules
    # as many as are asked for, no two of them the same
    more = "\n".join(f"in each frame, at most {number} send of bread_ready come" for number in range(10, 10 + RULES))
    rules = [*rules, *parse_rules(more).rules][:RULES]
    for _ in range(ROUNDS):
        read_times.append(timed(lambda: read(paths["before"])))
        sides = read(paths["before"]), read(paths["after"])
        compare_times.append(timed(lambda sides=sides: compared((Side(sides[0], "BEFORE"), Side(sides[1], "AFTER")))))
        check_times.append(timed(lambda take=sides[0]: check(take, rules)))
        del sides
    reading = statistics.median(read_times)
    told = f"{before.records:,} and {after.records:,} records"
    table.row("comparing two takes / reading one", statistics.median(compare_times) / reading, 3, told)
    table.row(
        f"checking {len(rules)} rules / reading the stream",
        statistics.median(check_times) / reading,
        0.5,
        f"{statistics.median(check_times):.2f} s / {reading:.2f} s",
    )
    findings = examine(after)
    rehearsing = timed(lambda: rehearse(after, findings[0], findings))
    table.row("rehearsing a fix, findings and comparison too / reading", rehearsing / reading, 5, f"{rehearsing:.2f} s")
    nights = []
    for seed in (1, 2, 3):
        path = folder / f"night-{seed}.flow.jsonl"
        record_night(path, (), seed=seed, seconds=SHORT_SECONDS)
        nights.append(path)
    read_three = timed(lambda: [read(path) for path in nights])
    takes = [read(path) for path in nights]
    learning = timed(lambda: learn(takes))
    records = sum(take.records for take in takes)
    table.row(
        "learning rules from three takes / reading them",
        learning / read_three,
        3,
        f"{records:,} records, {learning:.2f} s",
    )


def read(path: Path) -> Take:
    """Read a stream into an indexed take."""
    take = Take.from_contents(read_streams([str(path)]), path.name)
    take.index()
    return take


def timed(action: Callable[[], object]) -> float:
    """Return how long an action takes, in seconds."""
    gc.collect()
    began = time.perf_counter()
    action()
    return time.perf_counter() - began
