"""The time that a game was told, frame by frame."""

from __future__ import annotations

import numpy as np
import pytest

from tape import Tape


def told(steps: list[float | None], lengths_ms: list[float]) -> Tape:
    """Return a game whose frames begin so far apart and were told these seconds."""
    tape = Tape(hz=50)
    for number, (dt, length) in enumerate(zip(steps, lengths_ms, strict=True)):
        tape("frame", n=number, dt=dt)
        tape("idle")
        tape.ms(length - 0.002)
    return tape


def test_time_that_is_told_stands_still_in_a_stall():
    """A stall of half a second is told as a tenth; between frames, before the first and after the last, time runs on."""
    take = told([0.02] * 10 + [0.1] + [0.02] * 9, [20] * 9 + [500] + [20] * 10).take(bye=False)
    starts = take.frames.start_ns
    assert take.told_time.known(0)
    zeros = np.zeros(len(starts), np.int64)
    # the first frame tells nothing that has passed since
    expected = starts[0] + np.cumsum([0.0, *[0.02] * 9, 0.1, *[0.02] * 9]) * 1e9
    assert take.told_time.at(zeros, starts).tolist() == expected.astype(np.int64).tolist()
    moments = np.array([starts[0] - 500, (starts[9] + starts[10]) // 2, starts[-1] + 7_000_000])
    half = (expected[9] + expected[10]) / 2
    assert take.told_time.at(zeros[:3], moments) == pytest.approx([moments[0], half, expected[-1] + 7e6], abs=2)


@pytest.mark.parametrize(
    ("steps", "known"),
    [
        ([0.02] * 20, True),
        ([0.0183] * 20, True),  # less than a tenth away
        ([0.0177] * 20, False),  # more
        ([0.0217] * 20, True),
        ([0.0223] * 20, False),
        ([None] + [0.02] * 19, True),
        ([0.02] * 10 + [None] + [0.02] * 9, False),
        ([0.02] * 10 + [-0.02] + [0.02] * 9, False),
        ([-0.02] + [0.02] * 19, True),
        ([0.02, 0.02], False),
        ([0.02, 0.02, 0.02], True),
        ([0.02] * 10 + [0.0] + [0.02] * 9, True),
    ],
)
def test_what_does_not_add_up_to_the_time_is_no_measure_of_it(steps, known):
    """Nor what lacks a number, runs backwards, or is told by two frames alone: moments stay as they are then."""
    take = told(steps, [20] * len(steps)).take(bye=False)
    assert take.told_time.known(0) == known
    if not known:
        assert take.told_time.at(np.array([0]), np.array([12345])).tolist() == [12345]


def test_frames_that_make_up_for_a_stall_are_told_all_the_time_that_passed():
    """Each is told the same; over the stall and the short frames after it that is what passes."""
    lengths = [20.0] * 20 + [820.0] + [1.0] * 42 + [20.0] * 20
    assert told([0.02] * len(lengths), lengths).take(bye=False).told_time.known(0)
    slow = [20.0] * 20 + [820.0] + [20.0] * 20 + [1.0] * 20
    assert not told([0.02] * len(slow), slow).take(bye=False).told_time.known(0)
