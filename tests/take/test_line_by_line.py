"""What the indexes of a take say, beside what one finds who reads the stream line by line: any game, and two that play at once."""

from __future__ import annotations

import json
from collections import defaultdict
from random import Random
from typing import Any

import numpy as np
import pytest

from findings.any_game import AnyGame, beside_each_other, written
from opossum.take.chains import chain_of, effects_of
from opossum.take.indexes.objects import ALIVE, GONE, NEVER, UNKNOWN
from opossum.take.moment import alive_at, call_around, values_at
from opossum.take.spans import LineSpans
from opossum.take.stretches import covered_ns
from opossum.take.take import Take
from tape import read

PEERS = ("main", "guest")


class Plain:
    """A stream of two games, as a list of records with their lines; a row is a record's place among those of its kind."""

    def __init__(self, seed: int) -> None:
        games = {peer: AnyGame(seed * 2 + number).run(80 + 40 * number) for number, peer in enumerate(PEERS)}
        records = beside_each_other(games)
        self.take: Take = read(written(records))
        self.of: dict[str, list[dict[str, Any]]] = defaultdict(list)
        for line, record in enumerate(records, start=1):
            self.of[record["k"]].append({**record, "line": line})
        self.last = len(records)

    def rows(self, kind: str, name: str) -> dict[tuple[str, int], int]:
        """Return the row of each (peer, id) of a kind."""
        return {(record["p"], record[name]): row for row, record in enumerate(self.of[kind])}

    def told(self, kind: str, field: str, target: dict[tuple[str, int], int]) -> list[int]:
        """Return for each record of a kind the row that one of its fields names, or -1."""
        return [target.get((record["p"], record.get(field)), -1) for record in self.of[kind]]

    def first_after(self, kind: str, peer: str, field: str, value: Any, line: int) -> int:
        """Return the line of the first record of a kind with this value behind a line, or `NEVER`."""
        fitting = (
            one["line"] for one in self.of[kind] if (one["p"], one.get(field)) == (peer, value) and one["line"] > line
        )
        return next(fitting, NEVER)


@pytest.fixture(scope="module", params=range(3))
def plain(request) -> Plain:
    """Return a stream of two games."""
    return Plain(request.param)


def test_what_belongs_together(plain):
    """Calls with their sends, binds and returns, sends with the calls they were made in, timers, clips, waits."""
    take = plain.take
    calls, sends, arms, plays = (
        plain.rows(kind, name) for kind, name in (("call", "c"), ("send", "s"), ("arm", "a"), ("play", "y"))
    )
    returns = plain.rows("ret", "c")
    of_send = plain.told("send", "c", calls)

    assert take.calls.send.tolist() == plain.told("call", "s", sends)
    assert take.calls.bind.tolist() == plain.told("call", "b", plain.rows("bind", "b"))
    assert take.calls.ret.tolist() == plain.told("call", "c", returns)
    assert take.calls.effect.tolist() == [
        plain.of["ret"][row].get("eff", -1) if row >= 0 else -1 for row in plain.told("call", "c", returns)
    ]
    named = [place for place, record in enumerate(plain.of["send"]) if "c" in record]
    assert take.sends.cause[named].tolist() == [of_send[place] for place in named]
    assert [int(take.calls.parent[row]) for row in range(len(take.calls)) if take.calls.send[row] in named] == [
        of_send[int(send)] for send in take.calls.send.tolist() if send in named
    ]
    for groups, field, target in ((take.arms.firings, "a", arms), (take.plays.fired, "y", plays)):
        fired = plain.told("send", field, target)
        for row in range(len(target)):
            assert groups.rows(row).tolist() == [place for place, other in enumerate(fired) if other == row]
    assert take.plays.stop.tolist() == plain.told("play", "y", plain.rows("stop", "y"))
    assert take.waits.met.tolist() == plain.told("wait", "w", plain.rows("met", "w"))


def test_ends(plain):
    """Of listeners, their owners and senders, timers and clips."""
    take = plain.take
    binds, arms = plain.of["bind"], plain.of["arm"]
    for known, kind, own, field in (
        (take.binds.unbind_line, "unbind", "b", "b"),
        (take.binds.owner_gone_line, "gone", "o", "o"),
        (take.binds.source_gone_line, "gone", "src", "o"),
    ):
        assert known.tolist() == [
            plain.first_after(kind, one["p"], field, one[own], one["line"]) if own in one else NEVER for one in binds
        ]
    cleared = [plain.first_after("disarm", one["p"], "a", one["a"], one["line"]) for one in arms]
    assert [end for end, arm in zip(take.arms.end_line.tolist(), arms, strict=True) if arm["loop"]] == [
        end for end, arm in zip(cleared, arms, strict=True) if arm["loop"]
    ]


def test_frames(plain):
    """Each record lies in the last frame of its peer that began before it."""
    take = plain.take
    frames = plain.of["frame"]
    for kind, index in (("call", take.calls.frame), ("send", take.sends.frame), ("bind", take.binds.frame)):
        for record, row in zip(plain.of[kind], index.tolist(), strict=True):
            mine = [frame for frame in frames if frame["p"] == record["p"] and frame["line"] < record["line"]]
            assert (int(take.frames.number[row]), int(take.frames.start_ns[row])) == (mine[-1]["n"], mine[-1]["t"])


def test_lives(plain):
    """Of every object, at lines here and there."""
    take, dice = plain.take, Random(1)
    told = defaultdict(list)
    for kind in ("spawn", "gone"):
        for record in plain.of[kind]:
            told[record["p"], record["o"]].append((record["line"], kind, record["t"]))
    for (peer, name), moments in told.items():
        code, number = take.code(name), PEERS.index(peer)
        assert take.objects.spans(number, code) == _spans(sorted(moments), 0)
        assert take.objects.lives(number, code) == _spans(sorted(moments), 2)
    asked = [
        (*dice.choice([*told, ("guest", "nobody"), ("main", "gong")]), dice.randrange(plain.last + 2))
        for _ in range(400)
    ]
    peers, codes, lines = (
        np.array(column) for column in zip(*((PEERS.index(p), take.code(o), at) for p, o, at in asked), strict=True)
    )
    states = take.objects.state_at(peers, codes, lines).tolist()
    gone_lines, _ = take.objects.next_gone(peers, codes, lines)
    for (peer, name, line), state, gone in zip(asked, states, gone_lines.tolist(), strict=True):
        before = [kind for at, kind, _ in sorted(told[peer, name]) if at <= line]
        expected = UNKNOWN if not told[peer, name] else GONE if before[-1:] == ["gone"] else ALIVE
        assert (state, gone) == (expected, plain.first_after("gone", peer, "o", name, line)), (peer, name, line)


def _spans(moments: list[tuple[int, str, int]], field: int) -> list[tuple[int, int]]:
    spans: list[tuple[int, int]] = []
    for moment in moments:
        if moment[1] == "spawn":
            spans.append((moment[field], NEVER))
        else:
            spans[-1] = (spans[-1][0], moment[field])
    return spans


def test_a_moment(plain):
    """Who lives, what the values are, and which call runs."""
    take, dice = plain.take, Random(2)
    for line in [0, 1, plain.last, *(dice.randrange(plain.last) for _ in range(25))]:
        values = {(one["p"], one["o"], one["name"]): one for one in plain.of["watch"] if one["line"] <= line}
        assert sorted((value.o, value.name, value.text, value.since_ns) for value in values_at(take, line)) == sorted(
            (one["o"], one["name"], json.dumps(one["v"]), one["t"]) for one in values.values()
        )
        living = {}
        for kind in ("spawn", "gone"):
            for one in plain.of[kind]:
                if one["line"] <= line:
                    place = living.setdefault((one["p"], one["o"]), [])
                    place.append((one["line"], kind))
        assert {name for name, _ in alive_at(take, line)} == {
            name for (_, name), moments in living.items() if max(moments)[1] == "spawn"
        }
        for number, peer in enumerate(PEERS):
            ended = {(one["p"], one["c"]) for one in plain.of["ret"] if one["line"] <= line}
            open_calls = [
                row
                for row, one in enumerate(plain.of["call"])
                if one["p"] == peer and "th" not in one and one["line"] < line and (peer, one["c"]) not in ended
            ]
            assert call_around(take, number, -1, line) == (open_calls[-1] if open_calls else -1)


def test_chains(plain):
    """Outwards one by one; inwards by generations, no more than asked for."""
    take = plain.take
    parent = take.calls.parent.tolist()
    for call in range(0, len(parent), 7):
        chain = [call]
        while parent[chain[-1]] >= 0:
            chain.append(parent[chain[-1]])
        assert chain_of(take.calls.parent, call) == chain
        assert chain_of(take.calls.parent, call, limit=2) == chain[:2]
    first = max(range(len(parent)), key=parent.count)
    if parent[first] >= 0:
        children = [row for row, other in enumerate(parent) if other == parent[first]]
        assert effects_of(take.children, parent[first])[: len(children)] == children


def test_spans_under_keys():
    """How many are open, which begins next, which began last."""
    dice = Random(3)
    for _ in range(20):
        count = dice.randrange(0, 30)
        keys = [dice.choice((2, 3, 7)) for _ in range(count)]
        begins = dice.sample(range(1, 100), count)
        ends = [dice.choice((NEVER, begin + dice.randrange(1, 30))) for begin in begins]
        spans = LineSpans(np.array(keys, np.int64), np.array(begins, np.int64), np.array(ends, np.int64))
        asked = [(key, line) for key in (1, 2, 3, 5, 7, 9) for line in (0, 1, 40, 50, 99, 100, 500)]
        for key, line in asked:
            mine = [row for row in range(count) if keys[row] == key]
            opened = [row for row in mine if begins[row] < line <= ends[row]]
            later, before = [r for r in mine if begins[r] > line], [r for r in mine if begins[r] < line]
            one = (np.array([key]), np.array([line]))
            assert spans.open_at(*one).tolist() == [len(opened)]
            assert spans.begun_before(*one).tolist() == [len(before)]
            assert spans.next_begun(*one).tolist() == [min(later, key=begins.__getitem__, default=-1)]
            assert spans.last_begun(*one).tolist() == [max(before, key=begins.__getitem__, default=-1)]
            assert spans.rows(key).tolist() == mine and spans.open_rows(key, line).tolist() == opened


def test_time_within_stretches():
    """Counted nanosecond by nanosecond."""
    starts, ends = np.array([3, 10, 11]), np.array([5, 11, 15])
    inside = [any(start <= ns < end for start, end in zip(starts, ends, strict=True)) for ns in range(20)]
    assert covered_ns(starts, ends, np.arange(20)).tolist() == [sum(inside[:ns]) for ns in range(20)]
