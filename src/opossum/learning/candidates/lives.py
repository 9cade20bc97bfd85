"""How many are alive at once, what ends with its owner, and what never comes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.learning.candidate import Candidate, either
from opossum.take.grouping import distinct
from opossum.take.take import Take

FEWEST = 8

ONCE = " at once for each owner"


def candidates(take: Take) -> Iterator[Candidate]:
    """Yield that of a timer or listener there is one an owner, that listeners end with their owners, and what never was."""
    arms = take.arms
    for code in distinct(np.asarray(arms.event)[np.asarray(arms.event) >= 0]).tolist():
        yield Candidate.named("never more than 1 timer ", take.text(code), ONCE, "Once", 3, "fault")
    binds = take.tables["bind"]
    for code in distinct(np.asarray(binds["ev"])[np.asarray(binds["ev"]) >= 0]).tolist():
        yield Candidate.named("never more than 1 listener of ", take.text(code), ONCE, "Once", 1, "fault")
    mortal = {take.class_of(int(code)) for code in distinct(take.tables["gone"]["o"]).tolist()}
    for cls in sorted(mortal - {""}):
        for what in ("bind", "arming"):
            yield Candidate.named(f"every {what} by ", cls, " ends with its owner", "Lives", 3, "fault")
    yield Candidate("no call comes after its owner is gone", "Lives", FEWEST, "fault")
    yield Candidate("no error comes", "Lives", 0, "fault")
    plays = take.tables["play"]
    for code in distinct(np.asarray(plays["clip"])).tolist():
        yield Candidate.named("no cut of ", take.text(code), " comes", "Clips", 0)


def names(take: Take) -> dict[str, set[str]]:
    """Return the names of what was sent, called, bound and waited for: what comes by another name is new."""
    columns = {
        "send of": take.tables["send"]["ev"],
        "call of": take.listeners.function,
        "bind of": take.tables["bind"]["ev"],
        "wait for": take.tables["wait"]["ev"],
    }
    return {
        sort: {take.text(int(code)) for code in distinct(column).tolist()} - {""} for sort, column in columns.items()
    }


def only(known: dict[str, set[str]]) -> Iterator[Candidate]:
    """Yield that nothing comes by another name than those known."""
    for sort, of in known.items():
        if of:
            yield Candidate(f"only {sort} {either(sorted(of))} comes", "Names", 1, "note")
