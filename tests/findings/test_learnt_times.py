"""What is taken to come at a time of the game's day though no send tells so, and what is not."""

from __future__ import annotations

from math import comb
from typing import Any

import numpy as np
import pytest

from findings.scenes import timing
from opossum.findings.threshold_missed.passing import (
    BY_CHANCE,
    FARTHEST_ASTRAY,
    MOST_ASTRAY,
    Passing,
    _chance,
    moment_of,
)
from tape import Stage

RATE = 9000.0
"""In-game seconds a second: an hour passes in 24 frames."""


@pytest.mark.parametrize("share", [0.02, 0.3, 0.9])
@pytest.mark.parametrize(("firings", "together"), [(3, 3), (5, 3), (40, 7)])
def test_how_often_chance_does_it_is_reckoned_as_it_should_be(firings, together, share):
    """A window for each firing, and the binomial distribution."""
    others, needed = firings - 1, together - 1
    ways = comb(others, needed) * share**needed * (1 - share) ** (others - needed)
    assert _chance(firings, together, share) == pytest.approx(firings * ways)
    assert _chance(firings, together, 1.0) == firings


@pytest.mark.parametrize(
    ("due", "period", "said"),
    [
        (64_800.0, "day", "at 18:00"),
        (64_820.4, "day", "at 18:00:20"),
        (86_399.6, "day", "at 00:00"),
        (0.4, "hour", "every hour"),
        (0.99, "hour", "every hour"),
        (1.0, "quarter", "every quarter, 1 s past it"),
        (125.4, "hour", "every hour, 125 s past it"),
    ],
)
def test_when_an_event_is_due_is_said_in_words(due, period, said):
    """To the second; how far past its period where that is a second or more."""
    none = np.zeros(0)
    assert moment_of(Passing(0, 0, due, period, none, none, none, [], 1.0, 1.0)) == said


def _told(hours: int, **how: Any) -> list[str]:
    """Return what is found of a bell (see `_played`), up to a little after the clock was set past an hour for good."""
    _, set_past = _played(hours, 24 * (hours + 4), **how)
    stage, _ = _played(hours, set_past + 10, **how)
    return [finding.cause for finding in stage.found() if finding.kind == "threshold-missed"]


def _played(
    hours: int,
    frames: int,
    *,
    early: int = 0,
    brought: bool = False,
    past: float = 0.0,
    via: str = "",
    inside: bool = False,
) -> tuple[Stage, int]:
    """Play a bell that strikes so many full hours until the clock is set past one; return the frame in which that is.

    `early`: how often it strikes besides, a `past` share of an hour after a full one; `brought`: in the middle of it all the
    clock is set past an hour, and the bell strikes at once. `via`: how each strike comes about; `inside`: what comes about so
    is another event, and the bell's is sent by who hears that.
    """
    stage = Stage(hz=60)
    bell = stage.bind("strike", "bell#1", "Bell.swing")
    clock = {"v": 3600.0 * 6 + 1800, "left": hours}
    set_past: list[int] = []
    step = RATE / 60

    rope = stage.bind("pull", "rope#1", "Rope.on_pull")

    def strike(c: int | None = None) -> None:
        how = {"via": via} if via and not inside else {}
        stage.heard("strike", bell, o="tower#1", d={"at": clock["v"]}, c=c, **how)

    def come() -> None:
        if inside:
            stage.inside(stage.send("pull", via=via), rope, strike)
        else:
            strike()

    def turn(number: int) -> None:
        before = clock["v"]
        clock["v"] += step
        if number == 0:
            stage("clock", v=clock["v"], rate=RATE)
        hour = before // 3600 != clock["v"] // 3600
        if brought and clock["left"] == hours // 2 and number % 24 == 18:
            clock["v"] = (clock["v"] // 3600 + 1.4) * 3600
            stage("clock", v=clock["v"], rate=RATE)
            strike()
            clock["left"] -= 1
        elif clock["left"] and hour:
            come()
            clock["left"] -= 1
        elif clock["left"] == 0 and number % 24 == 18:
            clock["v"] = (clock["v"] // 3600 + 1.4) * 3600
            stage("clock", v=clock["v"], rate=RATE)
            clock["left"] = -1
            set_past.append(number)
        if early and hour and clock["left"] in range(hours - early, hours):
            stage.at(number + round(24 * past), do=strike)

    stage.each(turn)
    stage.run(frames)
    return stage, set_past[0]


def test_three_firings_at_an_hour_of_few_frames_may_be_chance():
    """Two steps of the clock are a twelfth of it; four are none."""
    assert _chance(3, 3, 2 / 24) > BY_CHANCE > _chance(4, 4, 2 / 24)
    assert _told(3) == [] and _told(4) == ["jumped"]


@pytest.mark.parametrize(("early", "learnt"), [(1, True), (2, False)])
def test_what_comes_at_other_times_too_follows_none(early, learnt):
    """One in ten may."""
    assert MOST_ASTRAY * (11 + 1) >= 1 and MOST_ASTRAY * (11 + 2) < 2
    assert ("jumped" in _told(11, early=early, past=0.6)) is learnt


@pytest.mark.parametrize(("past", "learnt"), [(5 / 24, True), (8 / 24, False)])
def test_what_comes_soon_after_its_time_comes_for_it(past, learnt):
    """However often: it is late, or comes twice."""
    assert 5 / 24 < FARTHEST_ASTRAY < 8 / 24
    assert ("doubled" in _told(11, early=3, past=past)) is learnt


@pytest.mark.parametrize("inside", [False, True])
@pytest.mark.parametrize(
    ("via", "learnt"),
    [
        ("", True),
        ("life", True),
        *[(via, False) for via in ("timer", "delay", "input", "zone", "clip")],
        ("tick", None),
    ],
)
def test_what_comes_by_something_else_than_the_clock_follows_none_of_its_times(via, learnt, inside):
    """A timer, a key, a zone or a clip, also at one remove; of ticks only what they bring about may come by the clock."""
    learnt = inside if learnt is None else learnt
    assert ("jumped" in _told(6, via=via, inside=inside)) is learnt


def test_what_a_jump_of_the_clock_brings_comes_at_any_time():
    """It is no sign that the event follows none."""
    assert "jumped" in _told(6, brought=True)


@pytest.mark.parametrize(("set_on_s", "found"), [(3600.0, ["jumped"]), (5040.0, [])])
def test_a_clock_set_on_by_a_whole_hour_does_not_tell_time_from_the_clock(set_on_s, found):
    """What then strikes on, 24 frames after the last, strikes at a full hour still; else it keeps to time, not to the clock."""
    stage = Stage(hz=60)
    bell = stage.bind("strike", "bell#1", "Bell.swing")
    set_on = {"s": 0.0}

    def turn(number: int) -> None:
        if number in (0, 150):
            set_on["s"] = set_on_s * (number > 0)
            stage("clock", v=3600.0 * 6 + 1800 + number * RATE / 60 + set_on["s"], rate=RATE)
        if number % 24 == 12:
            stage.heard("strike", bell, o="tower#1", d={"at": number})

    stage.each(turn)
    told = [finding.cause for finding in stage.findings(240) if finding.kind == "threshold-missed"]
    assert told == found


@pytest.mark.parametrize(
    ("via", "learnt"), [*((via, False) for via in ("tick", "timer", "input", "zone", "clock")), ("direct", True)]
)
def test_no_level_is_learnt_of_what_comes_by_itself(via, learnt):
    """An event that a timer or a visitor brings about stands for no value that was reached."""
    stage = Stage()
    found = [finding.cause for finding in stage.findings(timing.a_silo_is_emptied_at_once(stage, via=via))]
    assert ("level" in found) == learnt
