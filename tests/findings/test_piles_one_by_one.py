"""Delays set again while one is pending, beside what one finds who follows one delay after the other."""

from __future__ import annotations

from collections import defaultdict
from random import Random
from typing import Any, NamedTuple

import msgspec
import pytest

from findings.any_game import beside_each_other, written
from opossum.findings.delay_restacked.piling import DELAY_REARMS, piles
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from opossum.take.take import Take
from tape import Tape, read

PEERS = ("main", "guest")
FRAMES = 60
SEEDS = 25
NEVER = 10**9


class Told(NamedTuple):
    """A pile: whose, the ids of its delays, which of them landed, which of those acted, and whether the first made way."""

    peer: str
    arms: list[int]
    landed: list[bool]
    acted: list[bool]
    made_way: bool


def delays(seed: int) -> Tape:
    """Return a game of bells whose delays are set again and again, fire, are cleared, tell that they are done, set others as they
    land, and carry data."""
    random = Random(seed)
    tape = Tape(game=random.choice(["bell#1", "ring"]))  # the first of all texts
    owners, events = ("bell#1", "bell#2"), ("ring", "toll")
    pending: list[tuple[int, str, str, bool]] = []
    rarely = random.random() < 0.3  # what is set is set by what lands, then
    busy, firing, clearing = random.choice([0.1, 0.3, 0.6]), random.choice([0.05, 0.2]), random.choice([0.05, 0.3])
    acting, with_data, chained = random.random(), random.choice([0.0, 0.5, 1.0]), random.choice([0.2, 0.6, 1.0])
    listeners = {owner: tape.bind("ring", owner, "Bell.on_ring") for owner in owners}

    def arm(owner: str | None, event: str, cause: int | None = None) -> None:
        what, names_it = random.choice(["delay"] * 6 + ["timer"]), random.random() < 0.9
        looped = random.random() < 0.03
        number = tape.arm(what, owner, event if names_it else None, loop=looped, c=cause)
        if owner is not None:
            pending.append((number, owner, event, looped))

    for _ in range(FRAMES):
        tape.frame()
        if random.random() < 0.02:
            arm(None, "ring")
        for owner in owners:
            for event in events:
                if random.random() < (0.02 if rarely else busy):
                    arm(owner, event)
        for one in list(pending):
            number, owner, event, looped = one
            if random.random() < clearing * 0.3:
                tape("disarm", a=number, how=random.choice(["cleared", "cleared", "done"]))
                pending.remove(one)
            elif random.random() < firing:
                data = random.randrange(6) if random.random() < with_data else None
                s = tape.send(event, via="delay", a=number, o=owner, d=data)
                bound, acts = listeners[owner], random.random() < acting
                if random.random() < 0.8:
                    if random.random() < chained:
                        call = tape.open_call(s, bound)
                        arm(owner, event, cause=call)
                        tape("ret", c=call, eff=int(acts))
                    else:
                        tape.call(s, bound, eff=int(acts))
                if not looped and random.random() < 0.8:  # or it fires again
                    pending.remove(one)
                    if random.random() < 0.5:
                        tape("disarm", a=number, how="done")
    return tape


class Delays:
    """The delays of one peer, each with what became of it."""

    def __init__(self, records: list[dict[str, Any]]) -> None:
        self.arms: dict[int, dict[str, Any]] = {}
        self.sends: dict[int, list[dict[str, Any]]] = defaultdict(list)
        """Of each delay."""
        self.disarms: dict[int, list[dict[str, Any]]] = defaultdict(list)
        calls: dict[int, int] = {}
        arm_of: dict[int, int] = {}
        self.acted: set[int] = set()
        """Sends for which a call changed something."""
        self.set_by: dict[int, int] = {}
        frame = -1
        for line, record in enumerate(records):
            kind, told = record["k"], {**record, "line": line, "frame": frame}
            if kind == "frame":
                frame = record["n"]
            elif kind == "arm":
                self.arms[record["a"]] = told
                if record.get("c") in calls:
                    self.set_by[record["a"]] = arm_of[calls[record["c"]]]
            elif kind == "send":
                arm_of[record["s"]] = record["a"]
                self.sends[record["a"]].append(told)
            elif kind == "disarm":
                self.disarms[record["a"]].append(told)
            elif kind == "call":
                calls[record["c"]] = record["s"]
            elif kind == "ret" and record["eff"] > 0:
                self.acted.add(calls[record["c"]])

    def end_of(self, a: int) -> dict[str, Any]:
        """Return the record with which a delay was over; one far away where there is none."""
        ends = self.disarms[a][:1] + self.sends[a][-1:]
        return min(ends, key=lambda end: end["line"], default={"line": NEVER, "frame": NEVER})

    def is_told(self, a: int, how: str) -> bool:
        return any(end["how"] == how for end in self.disarms[a])

    def reach(self, a: int) -> int:
        """Return up to which frame a delay is pending; one that is cleared and never fired may be set again in the next."""
        return self.end_of(a)["frame"] + (self.is_told(a, "cleared") and not self.sends[a])

    def piles(self, peer: str, least: int) -> list[Told]:
        """Return the piles."""
        groups: dict[tuple[str, str], list[int]] = defaultdict(list)
        for a, one in self.arms.items():
            event = one.get("ev") or next((send["ev"] for send in self.sends[a]), None)
            if not one["loop"] and one["what"] != "timer" and "o" in one and event is not None:
                groups[one["o"], event].append(a)
        found = []
        for arms in groups.values():
            runs: list[list[int]] = []
            for place, a in enumerate(arms):
                again = any(self.reach(before) > self.arms[a]["frame"] for before in arms[:place])
                if again:
                    runs[-1].append(a)
                else:
                    runs.append([a])
            found += [self.told(peer, run) for run in runs if len(run) > least and not self.is_meant(run)]
        return found

    def is_meant(self, run: list[int]) -> bool:
        """Say whether each was set by the landing of another, or data tell all that landed apart."""
        if all(self.set_by.get(a) in run for a in run[1:]):
            return True
        landings = [self.sends[a][0] for a in run if self.sends[a]]
        data = [send.get("d") for send in landings]
        return len(landings) > 1 and None not in data and len(set(data)) == len(data)

    def told(self, peer: str, run: list[int]) -> Told:
        landed = [bool(self.sends[a]) or self.is_told(a, "done") for a in run]
        acted = [bool(self.sends[a]) and self.sends[a][0]["s"] in self.acted for a in run]
        made_way = self.end_of(run[0])["line"] < self.arms[run[-1]]["line"]
        return Told(peer, run, landed, acted, made_way)


def found_in(take: Take, least: int) -> list[Told]:
    """Return the piles that are found in a take."""
    ids, peers = ([int(value) for value in take.tables["arm"][name]] for name in ("a", "p"))
    return [
        Told(
            take.peers[peers[pile.arms[0]]].name, [ids[row] for row in pile.arms], pile.landed.tolist(),
            pile.acted.tolist(), pile.made_way,
        )
        for pile in piles(Scene(take, Settings({DELAY_REARMS.name: least})))
    ]  # fmt: skip


def expected(games: dict[str, Tape], least: int) -> list[Told]:
    """Return the piles of all games."""
    return [
        told
        for peer, game in games.items()
        for told in Delays([msgspec.json.decode(line) for line in game.lines]).piles(peer, least)
    ]


@pytest.mark.parametrize("least", [3, 5])
@pytest.mark.parametrize("seed", range(SEEDS))
def test_delays_set_again_while_one_is_pending(seed, least):
    """Each pile with its delays, and what became of each."""
    games = {peer: delays(2 * seed + number) for number, peer in enumerate(PEERS)}
    take = read(written(beside_each_other(games)))
    assert sorted(found_in(take, least)) == sorted(expected(games, least))


def test_the_piles_are_of_every_sort():
    """Some land and some act, some make way and some do not, of either peer, and some are meant."""
    found = [told for seed in range(SEEDS) for told in expected({PEERS[seed % 2]: delays(seed)}, 3)]
    assert {(told.peer, told.made_way) for told in found} == {(peer, made) for peer in PEERS for made in (True, False)}
    assert {any(told.acted) for told in found} == {all(told.landed) for told in found} == {True, False}
    assert any(told.landed != told.acted and all(told.landed) for told in found)


@pytest.mark.parametrize("by_hand", [False, True])
def test_delays_that_the_first_one_sets_as_it_lands_are_no_pile(by_hand):
    """One that is set from elsewhere makes it one; what another object's delays do is looked at all the same."""
    tape = Tape().frame()
    bells = {owner: tape.bind("ring", owner, "Bell.on_ring") for owner in ("bell#1", "bell#2")}
    first = tape.arm("delay", "bell#1", "ring", loop=False)
    others = []
    for number in range(3):
        tape.frame()
        call = tape.open_call(tape.send("ring", via="delay", a=first, o="bell#1"), bells["bell#1"])
        if by_hand and not number:
            tape("ret", c=call, eff=1)
            others.append(tape.arm("delay", "bell#1", "ring", loop=False))
        else:
            others.append(tape.arm("delay", "bell#1", "ring", loop=False, c=call))
            tape("ret", c=call, eff=1)
    heap = [tape.frame().arm("delay", "bell#2", "ring", loop=False) for _ in range(4)]
    found = found_in(tape.take(), 3)
    assert [told.arms for told in found] == ([[first, *others]] if by_hand else []) + [heap]
    assert found == expected({"main": tape}, 3)


def test_delays_of_which_there_are_no_more_than_counts_are_no_pile():
    """However often others are set."""
    tape = Tape().frame()
    for owner in ("bell#1", "bell#2"):
        for _ in range(3):
            tape.frame().arm("delay", owner, "ring", loop=False)
    assert found_in(tape.take(), 3) == [] and len(found_in(tape.take(), 2)) == 2
