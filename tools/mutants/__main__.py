"""Changes the findings and the take in small ways, one at a time, and says how many of these changes some test notices.

`make mutants`, or `python tools/mutants --sample 300 --seed 7 --only 'opossum.findings.dead_end.*'`. The changes are
mutmut's; which of them are tried is drawn at random, for all of them take hours. What no test noticed is written, change by
change and with the reason why it can live where one is known (`reasons.py`), into `mutants/survivors.txt`; what became of
each into `mutants/verdicts.tsv`. What was found out is kept: a run that was ended goes on where it was, and one after a
change of the tests asks first what killed a mutant before.
"""

from __future__ import annotations

import argparse
import fnmatch
import hashlib
import os
import sys
import time
from collections import Counter
from collections.abc import Callable
from math import sqrt
from pathlib import Path
from random import Random

sys.path.insert(0, str(Path(__file__).parents[1]))

import pytest
from mutants.judging import KILLED, NO_TEST, NOT_JUDGED, OUT_OF_TIME, SURVIVED, Judge, no_core_files
from mutants.known import Known
from mutants.making import Mutant, difference, mutants_of
from mutants.reasons import reason_for

ROOT = Path(__file__).parents[2]
CHANGED = ("src/opossum/findings", "src/opossum/take")
ASKED = (
    *(f"tests/{folder}" for folder in ("findings", "take", "compare", "rules", "rehearse", "export", "bakery")),
    *(
        f"tests/desk/test_{name}.py"
        for name in ("layouts", "session", "strand_order", "trail", "pacing", "roster", "clips")
    ),
)
"""The tests that ask for what is changed; those that drive a window or begin processes take too long for so many rounds."""
OUTPUT = ROOT / "mutants"


def span(killed: int, judged: int) -> tuple[float, float]:
    """Return between what shares the score of all mutants lies, 19 times of 20, by a random part of them (Wilson, 1927)."""
    share, z = killed / judged, 1.96
    middle = (share + z * z / (2 * judged)) / (1 + z * z / judged)
    half = z / (1 + z * z / judged) * sqrt(share * (1 - share) / judged + z * z / (4 * judged * judged))
    return max(0.0, middle - half), min(1.0, middle + half)


def all_mutants(pattern: str) -> list[Mutant]:
    """Return every mutant whose name has a pattern."""
    found = []
    for folder in CHANGED:
        for path in sorted((ROOT / folder).rglob("*.py")):
            module = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
            if fnmatch.fnmatch(module, pattern) or module.startswith(pattern.split("*")[0].rpartition(".")[0]):
                found += [mutant for mutant in mutants_of(path, module) if fnmatch.fnmatch(mutant.name, pattern)]
    return found


def sources(tests: list[str]) -> str:
    """Return a word for the sources as they are and for what is asked: what tests run is noted once for each."""
    digest = hashlib.sha256(" ".join(tests).encode())
    for folder in ("src/opossum", "tests"):
        for path in sorted((ROOT / folder).rglob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


class Session:
    """Takes the place of pytest's own loop over the tests."""

    def __init__(self, wanted: argparse.Namespace):
        self.wanted = wanted
        self.reasons: Counter[str] = Counter()
        """How many that live do so for which reason."""

    def pytest_runtestloop(self, session: pytest.Session) -> bool:
        """Look at what each test runs, try the mutants, and say what became of them."""
        session.config._tmp_path_factory.getbasetemp()
        asked = sources(self.wanted.tests)
        known = Known(OUTPUT / "known.tsv", asked, self.wanted.seconds)
        judge = Judge(session, ROOT / "src" / "opossum", self.wanted.processes, known)
        say = lambda text: print(text, file=sys.__stdout__, flush=True)  # noqa: E731
        say(f"Looking at what each of {len(session.items)} tests runs …")
        judge.look(OUTPUT / f"touched-{asked}.json")
        say("Making the mutants …")
        mutants = all_mutants(self.wanted.only)
        chosen = Random(self.wanted.seed).sample(mutants, min(self.wanted.sample or len(mutants), len(mutants)))
        if self.wanted.again:
            names = set(self.wanted.again.read_text().split("\n"))
            chosen = [mutant for mutant in mutants if mutant.name in names]
        say(f"Trying {len(chosen)} of {len(mutants)} …")
        counted = self._judged(judge, chosen, say)
        failing = judge.failing_by_themselves()
        if failing:
            raise pytest.UsageError(f"{failing[0]} fails with nothing changed: what was said of mutants does not count")
        judged = sum(counted.values()) - counted[NOT_JUDGED]
        if not judged:
            say("No mutant could be judged.")
            return True
        say(f"{counted[KILLED]} of {judged} mutants were killed: {counted[KILLED] / judged:.1%}.")
        if len(chosen) < len(mutants) and not self.wanted.again:
            low, high = span(counted[KILLED], judged)
            say(f"Of all {len(mutants)} that is {low:.1%} to {high:.1%}, 19 times of 20.")
        say(
            f"{counted[SURVIVED]} no test noticed, {counted[OUT_OF_TIME]} none within {self.wanted.seconds:g} s, {counted[NO_TEST]} no test runs."
        )
        for reason, count in self.reasons.most_common():
            say(f"{count:6} {reason}")
        if counted[NOT_JUDGED]:
            say(f"{counted[NOT_JUDGED]} could not be put in place and are not counted.")
        return True

    def _judged(self, judge: Judge, chosen: list[Mutant], say: Callable[[str], None]) -> Counter[str]:
        """Try mutants and write what becomes of each; return how many there are of each verdict."""
        counted: Counter[str] = Counter()
        begun = time.monotonic()
        with open(OUTPUT / "verdicts.tsv", "w") as verdicts, open(OUTPUT / "survivors.txt", "w") as survivors:
            for verdict in judge.judge(chosen, self.wanted.seconds):
                mutant = verdict.mutant
                counted[verdict.word] += 1
                place = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
                print(mutant.name, verdict.word, place, verdict.by, sep="\t", file=verdicts, flush=True)
                if verdict.word not in (KILLED, NOT_JUDGED):
                    changed = difference(mutant)
                    reason = reason_for(mutant.name, changed)
                    self.reasons[reason or "to be read"] += 1
                    told = f"{mutant.name} – {place} – {verdict.word}" + (f" – {reason}" if reason else "")
                    print(f"{told}\n{changed}\n", file=survivors, flush=True)
                if sum(counted.values()) % 100 == 0:
                    say(f"{sum(counted.values())} tried, {counted[KILLED]} killed, {time.monotonic() - begun:.0f} s")
        return counted


def main() -> None:
    """Do as asked."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("--sample", type=int, default=400, help="how many to draw; 0 takes all of them (400)")
    parser.add_argument("--seed", type=int, default=1, help="draws others (1)")
    parser.add_argument("--seconds", type=float, default=20.0, help="processor time for the tests of one mutant (20)")
    parser.add_argument("--only", default="*", help="names of mutants, such as 'opossum.findings.dead_end.*'")
    parser.add_argument("--again", type=Path, help="a file with the names of those to try, one a line")
    parser.add_argument("--processes", type=int, default=os.cpu_count() or 1, help="how many to try beside each other")
    parser.add_argument("tests", nargs="*", default=ASKED, help="which tests to ask, instead of all that are about it")
    wanted = parser.parse_args()
    if wanted.again and not wanted.again.is_file():
        parser.error(f"{wanted.again}: no such file; name one with a mutant's name a line")
    os.chdir(ROOT)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    no_core_files()
    OUTPUT.mkdir(exist_ok=True)
    # a folder of its own: pytest clears away those that it numbers while others run
    options = [
        f"--basetemp={OUTPUT / 'tests'}",
        "-q",
        "-p",
        "no:xdist",
        "-p",
        "no:rerunfailures",
        "-p",
        "no:cacheprovider",
        "--assert=plain",  # what exactly differs nobody reads
        "--tb=line",
        "-o",
        "tmp_path_retention_policy=none",
    ]
    sys.exit(pytest.main([*options, *wanted.tests], plugins=[Session(wanted)]))


if __name__ == "__main__":
    main()
