"""Marks of clips and the sends that come for them, beside what one finds who takes play after play and send after send."""

from __future__ import annotations

import math
from collections import Counter
from random import Random
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pytest

from opossum.take.indexes.marks import LEAST_LENGTH_S, LEAST_RATE, MOST_EMPTY_ROUNDS, SAME_PLACE_S, mark_names
from opossum.take.take import Take
from tape import Tape, read

MS = 1_000_000
PEERS = ("main", "guest")
NAMES = ("step", "cut", "grip")
PLACES = (-0.1, 0.0, 0.1, 0.1004, 0.2, 0.35, 0.5, 9e8, -9e8)
NEVER_SENT = ("pour", "stir")
HELD = {"main": (2500, 2600), "guest": (700, 900)}
"""From which ms to which each peer's game is held: that is no time of its clips."""
END = 6000 * MS


class Mark(NamedTuple):
    """A mark of one play and round: whose (peer and id), its name, place, round, when it is due, and what became of it."""

    play: tuple[str, int]
    name: str
    seconds: float
    round: int
    due_ns: int
    send: int
    passed: bool


def some_clips(seed: int) -> list[dict[str, Any]]:
    """Return the records of two peers whose clips play slowly, backwards or from their middle, go round, are cut or told badly,
    while sends come for their marks in time, late, twice, or for no mark at all."""
    random = Random(seed)
    records: list[dict[str, Any]] = [  # the game's name is the first of all texts: a mark's may be that, too
        {"k": "head", "t": 0, "opossum": 1, "game": "step", "peer": peer, "p": peer} for peer in PEERS
    ]
    number = 0
    for peer in PEERS:
        for y in range(1, 9):
            begin, length = (
                random.randrange(0, 40) * 50 * MS,
                random.choice([None, 0.0, 1e-6, 0.01, 0.01, 0.4, 0.5, 1.2]),
            )
            names = random.choices(
                [*NAMES, *NEVER_SENT], random.choice([(3, 3, 3, 1, 1), (9, 0, 0, 1, 0)]), k=random.randrange(6)
            )
            marks: list[Any] = [[name, random.choice(PLACES)] for name in names]
            if random.random() < 0.05:
                marks = 7
            elif random.random() < 0.2:
                marks.insert(0, random.choice([["cut"], ["cut", True], ["cut", "0.1"], "cut", [7, 0.1], ["cut", 1e9]]))
            play = {
                "k": "play", "t": begin, "y": y, "o": f"cook#{y % 3}", "clip": "chop", "len": length, "marks": marks,
                "rate": random.choice([None, None, 0.5, 2.0, 0.0, 1e-6, 2e-6, -1.0]),
                "from": random.choice([None, None, 0.1, 0.2]),
            }  # fmt: skip
            made = [{name: value for name, value in play.items() if value is not None}]
            for _ in range(random.choice([0, 1, 3, 6, 9])):
                number += 1
                pos = random.choice([None, None, 0.0, 1.0, 0.1, 0.2, 0.35, 0.1 + 0.9 * SAME_PLACE_S, 0.7])
                sent = {
                    "k": "send",
                    "t": begin + random.randrange(0, 400 if length == 0.01 else 3000) * MS,
                    "s": number,
                    "ev": "any",
                    "y": y,
                }
                sent |= {"mark": random.choice([*NAMES, *names, "sip"]), "via": "clip"} | (
                    {} if pos is None else {"pos": pos}
                )
                made.append(sent)
            if random.random() < 0.6:
                stop = {"k": "stop", "t": begin + random.randrange(0, 30) * 50 * MS, "y": y, "how": "end"}
                made.append(stop | ({"pos": 0.3} if random.random() < 0.3 else {}))
            records += [{**record, "p": peer} for record in made]
        records.append(
            {"k": "send", "t": 50 * MS, "s": 1000, "ev": "any", "y": 77, "mark": "cut", "via": "clip", "p": peer}
        )
        records += [{"k": kind, "t": ms * MS, "p": peer} for kind, ms in zip(("held", "went"), HELD[peer], strict=True)]
        records.append({"k": "bye", "t": END, "p": peer})
    return sorted(records, key=lambda record: record["t"])


def game_time(peer: str, t: int) -> int:
    """Return a moment on the clock that stands still while a peer's game is held."""
    held, went = (ms * MS for ms in HELD[peer])
    return t - max(0, min(t, went) - held)


def planned(play: dict[str, Any]) -> list[tuple[str, float]]:
    """Return the marks that a play is told with, without those that are told badly."""
    told = play["marks"] if isinstance(play["marks"], list) else []
    marks = [mark for mark in told if isinstance(mark, list) and len(mark) == 2]
    return [
        (name, float(place))
        for name, place in marks
        if isinstance(name, str) and isinstance(place, int | float) and not isinstance(place, bool) and abs(place) < 1e9
    ]


class Played(NamedTuple):
    """When a play began and ended in game time, how far it came, and its marks when they are due."""

    begin_ns: int
    end_ns: int
    reached: float
    marks: list[Mark]


def expected(records: list[dict[str, Any]]) -> list[Played]:
    """Return what becomes of all plays, in their order."""
    found = []
    sends = [record for record in records if record["k"] == "send"]
    for play in (record for record in records if record["k"] == "play"):
        own = [
            (row, send)
            for row, send in enumerate(sends)
            if (send["p"], send["y"]) == (play["p"], play["y"]) and send["t"] >= play["t"]
        ]
        found.append(played(play, own, records))
    return found


def played(play: dict[str, Any], sends: list[tuple[int, dict[str, Any]]], records: list[dict[str, Any]]) -> Played:
    """Return what becomes of one play; `sends`: those that are its own, with their rows."""
    rate, first, length = play.get("rate", 1.0), play.get("from", 0.0), play.get("len", math.nan)
    rate = rate if rate > LEAST_RATE else 1.0
    stop = next((one for one in records if one["k"] == "stop" and (one["p"], one["y"]) == (play["p"], play["y"])), None)
    begin, end = (game_time(play["p"], t) for t in (play["t"], stop["t"] if stop else END))
    reached = first + (end - begin) / 1e9 * rate
    reached = stop["pos"] if stop and "pos" in stop else min(reached, length) if length == length else reached
    marks = planned(play)
    entries = {name: sorted((at for at in range(len(marks)) if marks[at][0] == name), key=lambda at: marks[at][1]) for name in (*NAMES, *NEVER_SENT)}  # fmt: skip
    comes = Counter(send["mark"] for _, send in sends)
    goes_round = length > LEAST_LENGTH_S and any(comes[name] > len(own) > 0 for name, own in entries.items())
    came: dict[tuple[int, int], int] = {}
    rounds = 0
    for row, send in sends:
        name = send["mark"]
        if not entries.get(name):
            continue
        told = {round(other.get("pos", -1.0) / SAME_PLACE_S) for _, other in sends if other["mark"] == name}
        told_apart = len(told) >= min(len(entries[name]), comes[name])
        place, best = (game_time(play["p"], send["t"]) - begin) / 1e9 * rate + first, (math.inf, -1, 0)
        for entry in entries[name]:
            seconds = marks[entry][1]
            turn = max(round((place - seconds) / length), 0) if goes_round else 0
            off = abs(place - seconds - (turn * length if turn else 0.0))
            if told_apart and abs(send.get("pos", math.nan) - seconds) <= SAME_PLACE_S:
                off = -1.0
            if off < best[0]:
                best = off, entry, turn
        _, entry, turn = best
        turn = 0 if turn > 4 * len(sends) + MOST_EMPTY_ROUNDS else turn
        rounds = max(rounds, turn)
        came.setdefault((entry, turn), row)
    found = []
    for entry, (name, seconds) in enumerate(marks):
        for turn in range(rounds + 1):
            if turn or seconds >= first:
                due_in = (seconds + (turn * length if turn else 0.0) - first) / rate * 1e9
                due = begin + int(max(-1e18, min(due_in, 1e18)))
                passed = due < end if rounds else seconds < reached
                found.append(
                    Mark((play["p"], play["y"]), name, seconds, turn, due, came.get((entry, turn), -1), passed)
                )
    return Played(begin, end, reached, sorted(found, key=lambda mark: mark.due_ns))


def told(take: Take) -> list[Played]:
    """Return what a take says of its plays and their marks."""
    marks, table = take.marks, take.tables["play"]
    peers, ids = ([int(value) for value in table[name]] for name in ("p", "y"))
    columns = (marks.play, marks.name, marks.seconds, marks.round, marks.due_ns, marks.send, marks.passed)
    found = [Played(*of_play, []) for of_play in zip(*(c.tolist() for c in (marks.begin_ns, marks.end_ns, marks.reached)), strict=True)]  # fmt: skip
    for play, name, seconds, turn, due, send, passed in zip(*(column.tolist() for column in columns), strict=True):
        whose = take.peers[peers[play]].name, ids[play]
        found[play].marks.append(Mark(whose, marks.text_of(name), seconds, turn, due, send, passed))
    return found


@pytest.mark.parametrize("seed", range(40))
def test_marks_and_what_came_for_them(seed):
    """Every mark of every round, and for each the send that is nearest to it, or that tells its place."""
    records = some_clips(seed)
    take = read(b"".join(msgspec.json.encode(record) + b"\n" for record in records))
    plays = expected(records)
    assert told(take) == plays
    for play, of_play in enumerate(plays):
        first = [(mark.seconds, mark.name) for mark in of_play.marks if mark.round == 0]
        rows = take.marks.of_plays(np.array([play]))
        assert [(take.marks.seconds[row], take.marks.text_of(take.marks.name[row])) for row in rows] == first
        last_first = first[::-1]
        by_place = sorted(last_first, key=lambda mark: mark[0])
        assert mark_names(take.marks, rows[::-1]) == list(dict.fromkeys(name for _, name in by_place))


@pytest.mark.parametrize("marks", [[], [["cut", 0.1]]])
def test_a_send_for_no_mark_that_was_told(marks):
    """It comes for none."""
    tape = Tape().frame()
    tape("play", y=1, o="cook#1", clip="chop", len=1.0, marks=marks).send("sip", via="clip", y=1, mark="sip")
    assert tape.take().marks.send.tolist() == [-1] * len(marks)


def test_the_clips_are_of_every_sort():
    """Some go round, some marks are passed and some are not, some come and some do not, of each peer."""
    marks = [mark for seed in range(40) for play in expected(some_clips(seed)) for mark in play.marks]
    for peer in PEERS:
        own = [mark for mark in marks if mark.play[0] == peer]
        assert {(mark.round > 0, mark.passed, mark.send >= 0) for mark in own} >= {
            (True, True, True), (True, True, False), (False, True, True), (False, True, False), (False, False, True),
            (False, False, False),
        }  # fmt: skip
