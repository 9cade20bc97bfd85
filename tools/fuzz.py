"""Makes every attack of `tests/fuzz/attacks.py` with many inputs, and writes into `docs/security.md` what became of them.

`make fuzz`, or `python tools/fuzz.py --share 0.1 --seed 7 NAME …` for fewer inputs, other ones, or some of the attacks
(prints, and writes nothing).  An input that is not handled well is kept as it is told: its attack, its seed, the error.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import sys
import time
import traceback
from collections import Counter
from pathlib import Path
from random import Random

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from fuzz.attacks import ATTACKS

PAGE = Path(__file__).parent.parent / "docs" / "security.md"
BEGIN, END = "<!-- what `make fuzz` counted -->\n", "<!-- end -->\n"
PORTION = 50


def portion(task: tuple[str, int, int]) -> tuple[str, Counter[str], list[str], float]:
    """Make one attack with the seeds from `first` on; return its name, the words it answered, what failed, and the seconds
    that the slowest took."""
    name, first, count = task
    words: Counter[str] = Counter()
    failed = []
    slowest = 0.0
    for seed in range(first, first + count):
        begun = time.monotonic()
        try:
            words[ATTACKS[name][0](Random(seed))] += 1
        except Exception as error:
            place = traceback.extract_tb(error.__traceback__)[-1]
            failed.append(
                f"{name}, seed {seed}: {type(error).__name__} {str(error)[:200]} ({place.filename}:{place.lineno})"
            )
        slowest = max(slowest, time.monotonic() - begun)
    return name, words, failed, slowest


def main() -> int:
    """Return how many inputs were not handled well."""
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("names", nargs="*", metavar="NAME", help="only attacks whose name begins so")
    asked.add_argument("--share", type=float, default=1.0, help="of the usual number of inputs")
    asked.add_argument("--seed", type=int, default=0, help="the first seed")
    asked.add_argument("--minutes", type=float, default=15.0, help="stop after so many")
    wanted = asked.parse_args()
    tasks = []
    for name, (_, usual) in ATTACKS.items():
        count = max(1, round(usual * wanted.share))
        if not wanted.names or any(name.startswith(begin) for begin in wanted.names):
            tasks += [
                (name, first, min(PORTION, wanted.seed + count - first))
                for first in range(wanted.seed, wanted.seed + count, PORTION)
            ]
    words: dict[str, Counter[str]] = {name: Counter() for name in ATTACKS}
    slowest = dict.fromkeys(ATTACKS, 0.0)
    failed: list[str] = []
    begun = time.monotonic()
    with multiprocessing.Pool(os.cpu_count()) as pool:
        for done, (name, answers, errors, took) in enumerate(pool.imap_unordered(portion, tasks), 1):
            words[name] += answers
            slowest[name] = max(slowest[name], took)
            failed += errors
            for line in errors:
                print(f"\r{line}", file=sys.stderr)
            print(f"\r{done} of {len(tasks)} portions, {len(failed)} not handled well", end="", file=sys.stderr)
            if time.monotonic() - begun > 60 * wanted.minutes:
                print("\nthe time is up", file=sys.stderr)
                pool.terminate()
                break
    print(file=sys.stderr)
    table = _table(words, slowest, failed)
    print(table)
    if not wanted.names and wanted.share == 1 and not failed:
        text = PAGE.read_text()
        before, _, rest = text.partition(BEGIN)
        PAGE.write_text(before + BEGIN + "\n" + table + "\n" + END + rest.partition(END)[2])
    return len(failed)


def _table(words: dict[str, Counter[str]], slowest: dict[str, float], failed: list[str]) -> str:
    lines = ["| attack | inputs | handled well | slowest | what became of them |", "|---|---|---|---|---|"]
    everything = 0
    for name, answers in words.items():
        bad = sum(line.startswith(f"{name}, seed") for line in failed)
        inputs = answers.total() + bad
        if inputs:
            everything += inputs
            told = ", ".join(f"{word} {count:,}" for word, count in sorted(answers.items()))
            lines.append(f"| {name} | {inputs:,} | {answers.total():,} | {slowest[name]:.1f} s | {told} |")
    lines.append(f"| all | {everything:,} | {everything - len(failed):,} | | |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.exit(min(1, main()))
