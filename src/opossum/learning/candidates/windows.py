"""What comes between press and release, between entering and leaving, on queues, with waits, by the clock, in a frame."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.learning.candidate import Candidate, seconds
from opossum.rules.writing import written
from opossum.take.grouping import distinct
from opossum.take.take import Take

FEWEST = 8

CROWD = 5
"""In one frame there may be so many times as many sends as were ever seen in one."""

PATIENCE = 3
"""A wait may take so many times what it ever took."""


def candidates(take: Take) -> Iterator[Candidate]:
    """Yield counts within windows, and what queues, waits and clocks always kept."""
    yield from _keys(take)
    yield from _zones(take)
    yield from _queues(take)
    yield from _waits(take)
    yield from _marks(take)
    yield from _clock(take)
    sends = np.bincount(take.sends.frame[take.sends.frame >= 0]) if len(take.tables["send"]) else np.zeros(0, np.int64)
    if len(sends):
        limit = CROWD * int(sends.max())
        sentence = f"in each frame, at most {limit} send of * come except during loading"
        yield Candidate(sentence, "Counts", FEWEST, "fault", limit_of="sends in a frame", limit=limit)


def _keys(take: Take) -> Iterator[Candidate]:
    """Yield exactly one, or at most one, call a press for every function that input calls."""
    table = take.tables["send"]
    input_ = np.asarray(table["via"]) == take.code("input")
    edge, key = np.asarray(table["edge"]), np.asarray(table["key"], np.int64)
    listener_of_send = take.calls.send
    for code in distinct(key[input_ & (key >= 0)]).tolist():
        if not (input_ & (key == code) & (edge == take.code("up"))).any():
            continue
        calls = np.flatnonzero(np.append(input_ & (key == code), False)[listener_of_send])
        functions = distinct(np.asarray(take.listeners.function)[take.calls.listener[calls]])
        for function in functions[functions >= 0].tolist():
            name, of = written(take.text(code)), written(take.text(function))
            exact = f"between press of {name} and release of {name}, exactly 1 call of {of} comes"
            yield Candidate(exact, "Windows", FEWEST, "fault")
            most = f"between press of {name} and release of {name}, at most 1 call of {of} comes"
            yield Candidate(most, "Windows", FEWEST, "fault", (exact,))


def _zones(take: Take) -> Iterator[Candidate]:
    """Yield at most one send between entering and leaving, for what a zone sends meanwhile."""
    table = take.tables["send"]
    zone = np.asarray(table["via"]) == take.code("zone")
    edge, event, owner = (np.asarray(table[name], np.int64) for name in ("edge", "ev", "o"))
    for place in distinct(owner[zone & (owner >= 0)]).tolist():
        mine = zone & (owner == place)
        enter = distinct(event[mine & (edge == take.code("enter"))]).tolist()
        leave = distinct(event[mine & (edge == take.code("leave"))]).tolist()
        if len(enter) != 1 or len(leave) != 1:
            continue
        sent = distinct(event[~zone & (owner == place) & (event >= 0)]).tolist()
        for code in sent:
            begin, end = (written(take.text(item)) for item in (enter[0], leave[0]))
            before = f"between send of {begin} and send of {end}, at most 1 send of "
            yield Candidate(f"{before}{written(take.text(code))} comes", "Windows", FEWEST, "fault")


def _queues(take: Take) -> Iterator[Candidate]:
    put = take.tables["put"]
    for code in distinct(put["q"]).tolist():
        name = written(take.text(int(code)))
        yield Candidate(f"queue {name} is empty at the end of each frame", "Queues", FEWEST)
        rows = np.flatnonzero(np.asarray(put["q"]) == code)
        waits = take.queue_waits
        pulled = waits.pull[rows] >= 0
        if pulled.any():
            frames = int((waits.pull_frame[rows] - waits.frame[rows])[pulled].max())
            limit = max(2, PATIENCE * frames)
            sentence = f"queue {name} keeps nothing longer than {limit} frames"
            yield Candidate(sentence, "Queues", FEWEST, limit_of=f"queue {name}", limit=limit)
            sentence = f"every put on {name} is followed by exactly 1 pull from {name} within {limit} frames"
            yield Candidate(sentence, "Queues", FEWEST, "fault", limit_of=f"put on {name}", limit=limit)


def _waits(take: Take) -> Iterator[Candidate]:
    table = take.tables["wait"]
    event = np.asarray(table["ev"], np.int64)
    for code in distinct(event[event >= 0]).tolist():
        mine = np.flatnonzero(event == code)
        met = take.waits.met[mine] >= 0
        if not met.any():
            continue
        took = (take.waits.end_ns[mine] - np.asarray(table["t"], np.int64)[mine])[met]
        name = written(take.text(code))
        limit = PATIENCE * float(took.max()) + 1e9
        sentence = f"every wait for {name} is followed by send of {name} within {seconds(limit)}"
        yield Candidate(sentence, "What follows", FEWEST, limit_of=f"wait for {name}", limit=limit)


def _marks(take: Take) -> Iterator[Candidate]:
    """Yield marks that every clip started in a function has."""
    plays = take.tables["play"]
    if not len(plays):
        return
    marks = take.marks
    function = np.append(np.asarray(take.listeners.function, np.int64)[take.calls.listener], -1)[take.plays.cause]
    for code in distinct(function[function >= 0]).tolist():
        mine = np.flatnonzero(function == code)
        first = np.flatnonzero((marks.round == 0) & np.isin(marks.play, mine))
        for mark in distinct(marks.name[first]).tolist():
            if len(distinct(marks.play[first][marks.name[first] == mark])) == len(mine):
                starter_name, mark_name = written(take.text(code)), written(marks.text_of(int(mark)))
                yield Candidate(f"every play started in {starter_name} has mark {mark_name}", "Clips", FEWEST, "fault")


def _clock(take: Take) -> Iterator[Candidate]:
    """Yield what comes at every so many minutes of the game's clock."""
    table = take.tables["send"]
    due, event = np.asarray(table["due"], np.float64), np.asarray(table["ev"], np.int64)
    clocked = np.isfinite(due)
    for code in distinct(event[clocked & (event >= 0)]).tolist():
        times = distinct(due[clocked & (event == code)])
        if len(times) < 3:
            continue
        step = float(np.diff(times).min())
        if step >= 60 and np.allclose(np.remainder(times / step + 1e-6, 1), 0, atol=1e-3):
            yield Candidate(
                f"every {step / 60:g} min on the game clock, send of {written(take.text(code))} comes within 2 frames",
                "Clock",
                3,
                "fault",
            )
