"""Delays set again while one is pending, beside what one finds who follows one delay after the other."""

from __future__ import annotations

from typing import NamedTuple

import pytest

from findings.any_game import beside_each_other, written
from findings.plain_delays import Delays, delays
from opossum.findings.delay_restacked.piling import DELAY_REARMS, piles
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from opossum.take.take import Take
from tape import Tape, read

PEERS = ("main", "guest")
SEEDS = 25


class Told(NamedTuple):
    """A pile: whose, the ids of its delays, which of them landed, which of those acted, and whether the first made way."""

    peer: str
    arms: list[int]
    landed: list[bool]
    acted: list[bool]
    made_way: bool


def reach(plain: Delays, a: int) -> int:
    """Return up to which frame a delay is pending; one that is cleared and never fired may be set again in the next."""
    return plain.end_of(a)["frame"] + (plain.is_told(a, "cleared") and not plain.sends[a])


def piles_of(plain: Delays, peer: str, least: int) -> list[Told]:
    """Return the piles of one peer."""
    found = []
    for arms in plain.groups(loops=False):
        delays_alone = [a for a in arms if plain.arms[a]["what"] != "timer"]
        runs: list[list[int]] = []
        for place, a in enumerate(delays_alone):
            if any(reach(plain, before) > plain.arms[a]["frame"] for before in delays_alone[:place]):
                runs[-1].append(a)
            else:
                runs.append([a])
        found += [told(plain, peer, run) for run in runs if len(run) > least and not is_meant(plain, run)]
    return found


def is_meant(plain: Delays, run: list[int]) -> bool:
    """Say whether each was set by the landing of another, or data tell all that landed apart."""
    if all(plain.set_by.get(a) in run for a in run[1:]):
        return True
    data = [plain.sends[a][0].get("d") for a in run if plain.sends[a]]
    return len(data) > 1 and None not in data and len(set(data)) == len(data)


def told(plain: Delays, peer: str, run: list[int]) -> Told:
    """Return what became of a pile."""
    landed = [bool(plain.sends[a]) or plain.is_told(a, "done") for a in run]
    acted = [bool(plain.sends[a]) and plain.sends[a][0]["s"] in plain.acted for a in run]
    return Told(peer, run, landed, acted, plain.end_of(run[0])["line"] < plain.arms[run[-1]]["line"])


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
    return [told for peer, game in games.items() for told in piles_of(Delays(game), peer, least)]


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
