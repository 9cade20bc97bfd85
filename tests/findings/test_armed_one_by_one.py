"""Timers and delays alive together, beside what one finds who follows one after the other."""

from __future__ import annotations

import pytest

from findings.any_game import beside_each_other, written
from findings.plain_delays import Delays, delays
from opossum.findings.double_fire.armed_twice import ARMED_TWICE
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from tape import Tape, read

PEERS = ("main", "guest")
SEEDS = 40

Firings = dict[tuple[str, str, str], list[int]]
"""The frames of the firings that came twice, of each peer, event and sort, a timer's or a delay's."""


def alive_together(plain: Delays, arms: list[int]) -> list[tuple[int, int]]:
    """Return (the one before it that is alive longest, itself) for each that is set while another is alive into a later frame."""
    pairs = []
    for place, a in enumerate(arms[1:], start=1):
        longest = max(arms[:place], key=lambda before: plain.end_of(before)["frame"])
        if plain.end_of(longest)["frame"] > plain.arms[a]["frame"]:
            pairs.append((longest, a))
    return pairs


def timers(plain: Delays) -> list[tuple[list[dict], list[dict]]]:
    """Return the pairs of looping timers, each with its firings while both were alive."""
    found = []
    for arms in plain.groups(loops=True):
        for first, second in alive_together(plain, arms):
            begin = plain.arms[second]["line"]
            end = min(plain.end_of(first)["line"], plain.end_of(second)["line"])
            both = ([send for send in plain.sends[a] if begin < send["line"] <= end] for a in (first, second))
            found.append(tuple(both))
    return found


def pairs_of_delays(plain: Delays) -> list[tuple[list[dict], list[dict]]]:
    """Return the delays of which exactly two were pending together and both landed on a call that acted, with their firings."""
    found = []
    for arms in plain.groups(loops=False):
        pending = {second for _, second in alive_together(plain, arms)}
        for place, second in enumerate(arms):
            before_it, behind_it = arms[place - 1 : place], arms[place + 1 : place + 2]
            if second not in pending or before_it[0] in pending or (behind_it and behind_it[0] in pending):
                continue
            if all(plain.sends[a] and plain.sends[a][-1]["s"] in plain.acted for a in (before_it[0], second)):
                found.append((plain.sends[before_it[0]], plain.sends[second]))
    return found


def expected(games: dict[str, Tape]) -> Firings:
    """Return what came twice."""
    found: dict[tuple[str, str, str], dict[int, int]] = {}
    for peer, game in games.items():
        plain = Delays(game)
        for sort, pairs in (("timer", timers(plain)), ("delay", pairs_of_delays(plain))):
            for first, second in pairs:
                one, other = ({send.get("d") for send in sends} for sends in (first, second))
                if first and second and not (len(one) == len(other) == 1 and one != other):
                    twice = {send["s"]: send["frame"] for send in second if send["frame"] > 0}  # the first is loading
                    found.setdefault((peer, second[0]["ev"], sort), {}).update(twice)
    return {key: sorted(twice.values()) for key, twice in found.items() if twice}


def found_in(games: dict[str, Tape]) -> Firings:
    """Return what is found to have come twice."""
    take = read(written(beside_each_other(games)))
    found: Firings = {}
    for one in ARMED_TWICE.find(Scene(take, Settings())):
        frames = sorted(int(take.frames.number[row]) for row in one.frame_rows.tolist())
        assert one.count == len(frames)
        assert found.setdefault((one.subject.peer, one.subject.ev, *one.told_apart), frames) is frames
    return found


@pytest.mark.parametrize("seed", range(SEEDS))
def test_what_is_armed_twice_fires_twice(seed):
    """Each firing that came on top of another's, of each peer and event."""
    games = {peer: delays(2 * seed + number, looping=(0.0, 0.3, 0.8)[seed % 3]) for number, peer in enumerate(PEERS)}
    assert found_in(games) == expected(games)


def test_what_comes_twice_is_of_every_sort():
    """Timers and delays, of either peer."""
    games = [{PEERS[seed % 2]: delays(seed, looping=(0.0, 0.3, 0.8)[seed % 3])} for seed in range(SEEDS)]
    told = {(peer, sort) for game in games for peer, _, sort in expected(game)}
    assert told == {(peer, sort) for peer in PEERS for sort in ("timer", "delay")}
