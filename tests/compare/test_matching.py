"""What the matching is made of: time and series."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from opossum.compare.matching import nearest_in_order
from opossum.compare.time_map import TimeMap, longest_rising

moments = st.lists(st.floats(0, 100, allow_nan=False), max_size=30).map(lambda values: np.array(sorted(values)))


@given(moments, moments)
def test_series_are_matched_in_order_and_near(here, there):
    """Never crossing, never twice, never farther than allowed."""
    mine, theirs = nearest_in_order(here, there, 1.5)
    assert len(mine) == len(theirs)
    assert (np.diff(mine) > 0).all() and (np.diff(theirs) > 0).all()
    assert (np.abs(here[mine] - there[theirs]) <= 1.5).all()


@given(moments)
def test_a_series_matches_itself(values):
    """Each moment its own, where no two are the same."""
    values = np.unique(values)
    mine, theirs = nearest_in_order(values, values, 1.5)
    assert np.array_equal(mine, np.arange(len(values))) and np.array_equal(theirs, mine)


def test_one_more_in_the_middle_leaves_the_others_alone():
    """And only it is left over."""
    here, there = np.array([1.0, 5.0, 9.0]), np.array([1.1, 3.0, 5.1, 9.1])
    mine, theirs = nearest_in_order(here, there, 1.5)
    assert mine.tolist() == [0, 1, 2] and theirs.tolist() == [0, 2, 3]


@given(st.lists(st.integers(0, 20), max_size=40))
def test_the_longest_run_rises_and_none_is_longer(values):
    """As long as what the plain definition gives."""
    kept = longest_rising(np.array(values))
    assert (np.diff(np.array(values)[kept]) >= 0).all() if len(kept) else not values
    best = [0] * len(values)
    for place, value in enumerate(values):
        best[place] = 1 + max([best[other] for other in range(place) if values[other] <= value], default=0)
    assert len(kept) == max(best, default=0)


def test_time_is_mapped_there_and_back():
    """Straight between anchors, at the same pace beyond."""
    time = TimeMap(np.array([1.0, 2.0, 4.0]), np.array([2.0, 4.0, 5.0]))
    assert time.there(np.array([0.0, 1.5, 3.0, 6.0])).tolist() == [1.0, 3.0, 4.5, 7.0]
    assert np.allclose(time.back(time.there(np.array([0.5, 1.7, 3.3]))), [0.5, 1.7, 3.3])
    assert TimeMap(np.zeros(0), np.zeros(0)).there(np.array([3.0])).tolist() == [3.0]


def test_what_crosses_is_no_anchor():
    """One that would turn time back is left out."""
    time = TimeMap(np.array([1.0, 2.0, 3.0, 4.0]), np.array([1.0, 9.0, 3.0, 4.0]))
    assert time.there(np.array([2.0])).tolist() == [2.0]
