"""Counts of what a send causes, by whom it is heard, and what sends spring from."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.learning.candidate import Candidate, either
from opossum.rules.writing import written
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, factorised
from opossum.take.take import Take

DEEPEST = 8
"""How many sends up the causes of a call are looked at."""

MOST_TIMES = 4
"""Exact counts beyond this are those of crowds, and crowds change."""

FEWEST = 8

FEWEST_HEARD = 3
"""What is sent once a run is to be heard too."""


def candidates(take: Take) -> Iterator[Candidate]:
    """Yield what sends always caused, that they were heard, and the one call others always came from."""
    table = take.tables["send"]
    if not len(table):
        return
    event = np.asarray(table["ev"], np.int64)
    ticks = np.asarray(table["via"]) == take.code("tick")
    counts = list(_counts(take, event, ticks))
    yield from counts
    heard = np.bincount(take.calls.send[take.calls.send >= 0], minlength=len(table)) > 0
    always = [code for code in distinct(event[~ticks]).tolist() if code >= 0 and heard[event == code].all()]
    for code in always:
        before = f"every send of {written(take.text(code))} "
        counted = tuple(item.sentence for item in counts if item.sentence.startswith(f"{before}causes"))
        yield Candidate.named("every send of ", take.text(code), " is heard", "Heard", FEWEST_HEARD, implied_by=counted)
    yield from _springs(take, event)


def _counts(take: Take, event: Array, ticks: Array) -> Iterator[Candidate]:
    """Yield exact counts: of each function below each event, the nearest and the farthest event kept."""
    calls = take.calls
    function = np.asarray(take.listeners.function, np.int64)[calls.listener]
    sender = np.append(np.asarray(take.sends.cause, np.int64), -1)
    sent_by = np.append(np.asarray(calls.send, np.int64), -1)
    totals = np.bincount(event[event >= 0], minlength=len(take.strings))
    found: dict[int, list[tuple[int, int, int]]] = {}
    send = np.asarray(calls.send, np.int64).copy()
    rows = np.flatnonzero(send >= 0)
    seen: list[tuple[Array, Array]] = []
    for _ in range(DEEPEST):
        rows = rows[send[rows] >= 0]
        if not len(rows):
            break
        kept = rows[~ticks[send[rows]]]
        seen.append((send[kept].copy(), function[kept]))
        send[rows] = sent_by[sender[send[rows]]]
    if not seen:
        return
    sends, functions = (np.concatenate(parts) for parts in zip(*seen, strict=True))
    pairs, first = factorised(sends, functions)
    times = np.bincount(pairs)
    events, functions = event[sends[first]], functions[first]
    groups, one = factorised(events, functions)
    many = np.bincount(groups)
    low = np.full(len(one), np.iinfo(np.int64).max)
    high = np.zeros(len(one), np.int64)
    np.minimum.at(low, groups, times)
    np.maximum.at(high, groups, times)
    depth = np.zeros(len(one), np.int64)
    for level, (level_sends, level_functions) in enumerate(seen):
        at = factorised(
            np.concatenate((events[one], event[level_sends])), np.concatenate((functions[one], level_functions))
        )[0]
        depth[np.isin(at[: len(one)], at[len(one) :]) & (depth == 0)] = level + 1
    for group in np.flatnonzero((low == high) & (high <= MOST_TIMES) & (many == totals[events[one]])).tolist():
        code, name = int(events[one[group]]), int(functions[one[group]])
        if code >= 0 and name >= 0:
            found.setdefault(name, []).append((int(depth[group]), code, int(high[group])))
    for name, roots in found.items():
        roots.sort()
        for _, code, number in {roots[0], roots[-1]}:
            sentence = (
                f"every send of {written(take.text(code))} causes exactly {number} call of {written(take.text(name))}"
            )
            yield Candidate(sentence, "Counts", FEWEST, "fault")


def _springs(take: Take, event: Array) -> Iterator[Candidate]:
    cause = np.asarray(take.sends.cause, np.int64)
    function = np.append(np.asarray(take.listeners.function, np.int64)[take.calls.listener], -1)[cause]
    for code in distinct(event[event >= 0]).tolist():
        mine = event == code
        names = distinct(function[mine]).tolist()
        if -1 in names or not 1 <= len(names) <= 3:
            continue
        sentence = f"every send of {written(take.text(code))} springs from call of {either([take.text(name) for name in names])}"
        yield Candidate(sentence, "Sent from", 10)
