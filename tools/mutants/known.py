"""What became of mutants in earlier runs: a test that killed one is asked first when it is tried again.

A mutant is known by the source that it gives its function, so that it is found again when others come before it. What
became of it stands as long as sources and tests are the same and it was given as much time.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from pathlib import Path
from typing import NamedTuple


class Outcome(NamedTuple):
    """What became of a mutant, the test that killed it, the sources and tests it was tried with, and its seconds."""

    word: str
    by: str
    sources: str
    seconds: float


def digest_of(name: str, source: str) -> str:
    """Return a word for a mutant: the name of its function, and its source as the mutant has it."""
    return hashlib.sha256(f"{name.rpartition(':')[0]}\n{source}".encode()).hexdigest()[:20]


class Known:
    """A file of outcomes, to which a run adds as it goes on: one that is ended has lost nothing."""

    def __init__(self, path: Path, sources: str, seconds: float):
        self._path = path
        self._sources, self._seconds = sources, seconds
        self._outcomes: dict[str, Outcome] = {}
        for line in path.read_text().splitlines() if path.exists() else ():
            digest, *fields = line.split("\t")
            if len(fields) == 4:
                self._outcomes[digest] = Outcome(*fields[:3], float(fields[3]))

    def killer(self, digest: str) -> str:
        """Return the test that killed a mutant before, or nothing."""
        outcome = self._outcomes.get(digest)
        return outcome.by if outcome else ""

    def kills(self) -> dict[str, int]:
        """Return how many mutants each test killed before."""
        return Counter(outcome.by for outcome in self._outcomes.values() if outcome.by)

    def settled(self, digest: str) -> Outcome | None:
        """Return what became of a mutant, where trying it again would say the same."""
        outcome = self._outcomes.get(digest)
        if not outcome or outcome.sources != self._sources:
            return None
        return outcome if outcome.by or outcome.seconds >= self._seconds else None

    def add(self, digest: str, word: str, by: str) -> None:
        """Write what became of a mutant."""
        with open(self._path, "a") as file:
            print(digest, word, by, self._sources, self._seconds, sep="\t", file=file)
