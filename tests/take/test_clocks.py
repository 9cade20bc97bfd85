"""The game's own clock: how it runs, where it was set, and what midnight and a step of it explain."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.take.indexes.clocks import DAY, FARTHEST_BACK, Clock
from tape import Tape

HZ = 50
RATE = 60.0
PASSED = 60.0
"""In-game seconds that pass in one second at that rate; a step of the clock is 1.2."""


def clock_of(*shown: tuple[float, float, float | None], frames: int = 100) -> Clock | None:
    """Return the clock of a game of 50 frames a second that tells it: (ms, seconds of day, rate), in order of time."""
    tape = Tape(hz=HZ)
    told = list(shown)
    for number in range(frames):
        tape.now_ns = number * 20_000_000
        tape("frame", n=number)
        while told and told[0][0] <= number * 20:
            ms, seconds, rate = told.pop(0)
            tape.now_ns = int(ms * 1e6) - 1000
            tape("clock", v=seconds, rate=rate)
    for ms, seconds, rate in told:
        tape.now_ns = int(ms * 1e6) - 1000
        tape("clock", v=seconds, rate=rate)
    return tape.take(bye=False).clocks[0]


def test_it_runs_at_its_rate_from_where_it_was_told():
    """Before it is first told and after it was last; a later piece runs at its own rate, and one that was set on from there."""
    clock = clock_of((200, 36_000.0, RATE), (1200, 36_060.0, 2 * RATE), (1800, 40_000.0, RATE))
    asked = np.array([0, 100, 200, 700, 1199.5, 1200, 1700, 1800, 2800]) * 1_000_000
    expected = [35_988.0, 35_994.0, 36_000.0, 36_030.0, 36_059.97, 36_060.0, 36_120.0, 40_000.0, 40_060.0]
    assert clock.at(asked.astype(np.int64)) == pytest.approx(expected, abs=1e-6)
    assert clock.begin_ns.tolist() == [200_000_000, 1_200_000_000, 1_800_000_000]
    assert clock.rate.tolist() == [RATE, 2 * RATE, RATE] and clock.row.tolist() == [0, 1, 2]
    assert clock.line.tolist() == [13, 64, 95]  # behind the head and the frames until then, and the clocks before


@pytest.mark.parametrize(
    ("before", "after", "rates", "jump"),
    [
        (36_000.0, 36_000.0 + PASSED, (RATE, RATE), 0.0),
        (36_000.0, 36_000.0 + PASSED + 2.85, (RATE, RATE), 0.0),  # two steps and half a second are 2.9
        (36_000.0, 36_000.0 + PASSED - 2.85, (RATE, RATE), 0.0),
        (36_000.0, 36_000.0 + PASSED + 3.0, (RATE, RATE), 3.0),
        (36_000.0, 36_000.0 + PASSED - 3.0, (RATE, RATE), -3.0),
        (36_000.0, 36_000.0 + PASSED + 5.0, (RATE, 2 * RATE), 0.0),  # the longer step of both
        (36_000.0, 36_000.0 + 2 * PASSED + 5.0, (2 * RATE, RATE), 0.0),
        (36_000.0, 36_000.0 + 2 * PASSED + 5.5, (2 * RATE, RATE), 5.5),
        (36_000.0, 36_000.0 + PASSED + 28_800.0, (RATE, RATE), 28_800.0),
        (36_000.0, 36_000.0 + PASSED - 3_600.0, (RATE, RATE), -3_600.0),
        (36_000.0, 36_000.0 + PASSED - FARTHEST_BACK, (RATE, RATE), -FARTHEST_BACK),
        (36_000.0, 36_000.0 + PASSED - FARTHEST_BACK - 1, (RATE, RATE), DAY - FARTHEST_BACK - 1),
        (DAY - 10.0, PASSED - 10.0, (RATE, RATE), 0.0),  # midnight lies between
        (DAY - 10.0, PASSED - 8.0, (RATE, RATE), 0.0),
        (DAY - PASSED - 1.0, 1.0, (RATE, RATE), 0.0),  # a step over it
        (DAY - PASSED + 1.0, DAY - 1.0, (RATE, RATE), 0.0),  # a step short of it
        (DAY - 10.0, 3_600.0, (RATE, RATE), 3_550.0),
        (
            2 * DAY + 36_000.0,
            5 * DAY + 36_000.0 + PASSED,
            (RATE, RATE),
            0.0,
        ),  # of a day further on, the time of day counts
        (36_000.0, 36_000.0, (0.0, 0.0), 0.0),
        (36_000.0, 36_000.6, (0.0, 0.0), 0.6),
    ],
)
def test_what_it_was_set_by(before, after, rates, jump):
    """What midnight or a step of it explains is no jump; back by more than a quarter of a day is on, to the next morning."""
    clock = clock_of((200, before, rates[0]), (1200, after, rates[1]))
    assert clock.jump == pytest.approx([0.0, jump], abs=1e-6)
    moved = (after - before) % DAY if jump >= 0 else after - before
    assert clock.running == pytest.approx([before, before + moved], abs=1e-6)
    assert clock.shown == pytest.approx([before % DAY, after % DAY], abs=1e-6)


def test_what_it_ran_to_adds_up():
    """Over pieces of all sorts: run, set on, set back, over midnight."""
    clock = clock_of(
        (0, 36_000.0, RATE),
        (1000, 36_060.0, 2 * RATE),
        (1200, 64_800.0, RATE),
        (1400, 61_200.0, RATE),
        (1600, 600.0, RATE),
    )
    assert clock.running == pytest.approx([36_000.0, 36_060.0, 64_800.0, 61_200.0, DAY + 600.0], abs=1e-6)
    assert clock.jump == pytest.approx([0.0, 0.0, 28_716.0, -3_612.0, 25_788.0], abs=1e-6)


def test_a_step_is_as_long_as_the_pieces_beside_it_say():
    """That an earlier one ran twice as fast explains nothing."""
    clock = clock_of((0, 36_000.0, 2 * RATE), (1000, 36_120.0, RATE), (2000, 36_184.0, RATE))
    assert clock.jump == pytest.approx([0.0, 0.0, 4.0], abs=1e-6)


@pytest.mark.parametrize(
    ("told", "runs_at"),
    [(RATE, RATE), (0.0, 0.0), (-1.0, 1.0), (1e9, 1.0), (1e9 - 1, 1e9 - 1), (None, 1.0)],
)
def test_a_rate_that_no_clock_has_is_a_second_a_second(told, runs_at):
    """It does not run backwards, and not faster than anybody could tell."""
    assert clock_of((200, 36_000.0, told)).rate.tolist() == [runs_at]


def test_a_time_that_no_clock_shows_is_left_out():
    """Where none is left, there is no clock."""
    clock = clock_of((200, 1e12, RATE), (400, 36_000.0, RATE), (600, -1e12, RATE), (800, 36_024.0, RATE))
    assert clock.shown.tolist() == [36_000.0, 36_024.0] and clock.row.tolist() == [1, 3]
    assert clock_of((200, 9e11, RATE)).running.tolist() == [9e11]
    assert clock_of((200, 1e12, RATE)) is None and clock_of() is None


@pytest.mark.parametrize(
    ("frames", "off", "jump"), [(0, 2.85, 2.85), (1, 2.85, 2.85), (2, 2.85, 0.0), (0, 0.45, 0.0), (1, 0.45, 0.0)]
)
def test_without_two_frames_nobody_knows_its_step(frames, off, jump):
    """Half a second is all that is explained then."""
    clock = clock_of((200, 36_000.0, RATE), (1200, 36_000.0 + PASSED + off, RATE), frames=frames)
    assert clock.jump == pytest.approx([0.0, jump], abs=1e-6)


def test_it_stands_still_with_the_time_that_the_game_is_told():
    """Of the peer whose clock it is: the other's holds and stalls are none of its own."""
    tape = Tape(head=False)
    for peer in ("main", "guest"):
        tape("head", opossum=1, game="test", peer=peer, p=peer)
    for number in range(30):
        tape.now_ns = number * 20_000_000
        tape("frame", n=number, p="main")
        # what the guest is told stands still for one frame of a fifth of a second, and before that it is held
        guest = number * 20_000_000 + 100_000_000 * (number >= 5) + 180_000_000 * (number >= 15)
        tape.now_ns = guest
        tape("frame", n=number, dt=0.02, p="guest")
        if number == 4:
            tape.now_ns = guest + 5_000_000
            tape("held", p="guest")
            tape.now_ns += 100_000_000 - 1000
            tape("went", p="guest")
        if number in (0, 10, 20):
            tape("clock", v=36_000.0 + number, rate=RATE, p="guest")
        if number == 20:
            tape("clock", v=100.0, rate=RATE, p="main")
    main, guest = tape.take(bye=False).clocks
    assert guest.begin_ns / 1e6 == pytest.approx([0, 200, 400], abs=0.1)
    assert main.begin_ns / 1e6 == pytest.approx([400 + 280], abs=0.1)
