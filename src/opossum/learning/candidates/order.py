"""Order within a frame, and phases."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from opossum.learning.candidate import Candidate
from opossum.rules.writing import written
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised
from opossum.take.take import Take

FEWEST = 10

MOST_TOGETHER = 40
"""Calls of one object or one send in one frame that are looked at for their order."""


def candidates(take: Take) -> Iterator[Candidate]:
    """Yield the phase each function always ran in, and pairs with a shared object or send that never changed places."""
    calls = take.calls
    if not len(calls):
        return
    function = np.asarray(take.listeners.function, np.int64)[calls.listener]
    phase = np.asarray(take.phase_of_call, np.int64)
    phases: dict[int, int] = {}
    for code in distinct(function[function >= 0]).tolist():
        where = distinct(phase[function == code])
        if len(where) == 1 and where[0] >= 0:
            phases[code] = int(where[0])
            after = f" comes in phase {written(take.text(int(where[0])))}"
            yield Candidate.named("every call of ", take.text(code), after, "Phases", FEWEST)
    rank = {take.code(name): place for place, name in enumerate(take.recording.head_list(0, "phases"))}
    owner = np.asarray(take.listeners.owner, np.int64)[calls.listener]
    pairs = _pairs(function, calls.frame, owner) | _pairs(function, calls.frame, np.asarray(calls.send, np.int64))
    kept = {pair for pair in pairs if pair[::-1] not in pairs and not _by_phase(pair, phases, rank)}
    kept = _reduced(kept) | _phase_order(function, phases, rank)
    for first, second in sorted(kept):
        one, other = written(take.text(first)), written(take.text(second))
        yield Candidate(f"in each frame, call of {one} comes before call of {other}", "Order in a frame", FEWEST)


def _phase_order(function: Array, phases: dict[int, int], rank: dict[int, int]) -> set[tuple[int, int]]:
    """Return a pair for every two phases that follow each other: the functions most often called in them."""
    often = np.bincount(function[function >= 0])
    of_phase: dict[int, int] = {}
    for code, phase in phases.items():
        place = rank.get(phase, -1)
        if place >= 0 and often[code] > often[of_phase.get(place, code)] - (place not in of_phase):
            of_phase[place] = code
    ordered = [of_phase[place] for place in sorted(of_phase)]
    return set(pairwise(ordered))


def _by_phase(pair: tuple[int, int], phases: dict[int, int], rank: dict[int, int]) -> bool:
    """Say whether the phases that both always run in put them in order."""
    first, second = (rank.get(phases.get(code, -1), -1) for code in pair)
    return first >= 0 and second >= 0 and first != second


def _pairs(function: Array, frame: Array, shared: Array) -> set[tuple[int, int]]:
    """Return (function, function): called one before the other in a frame by what they share."""
    asked = np.flatnonzero((function >= 0) & (shared >= 0) & (frame >= 0))
    codes, _ = factorised(frame[asked], shared[asked])
    runs = Runs(codes)
    together = runs.sizes[runs.group] > 1
    order, group = runs.order[together], runs.group[together]
    names = function[asked[order]]
    found: set[tuple[int, int]] = set()
    for step in range(1, MOST_TOGETHER):
        same = group[step:] == group[:-step]
        if not same.any():
            break
        one, other = names[:-step][same], names[step:][same]
        differ = one != other
        pairs = np.unique(np.stack((one[differ], other[differ])), axis=1)
        found |= set(map(tuple, pairs.T.tolist()))
    return found


def _reduced(pairs: set[tuple[int, int]]) -> set[tuple[int, int]]:
    """Return the pairs that no two others imply (a transitive reduction, one step deep)."""
    after: dict[int, set[int]] = {}
    for first, second in pairs:
        after.setdefault(first, set()).add(second)
    return {
        (first, second)
        for first, second in pairs
        if not any(second in after.get(middle, ()) for middle in after[first] if middle != second)
    }
