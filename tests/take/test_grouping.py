"""Rows that belong together."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from opossum.take.grouping import Groups, Runs, distinct, factorised, joined, parted, repeated

small = st.lists(st.integers(-3, 3), max_size=30)


@given(small)
def test_runs_put_rows_in_order_group_by_group(codes):
    """Rows of one code together, ascending; ranks, first rows and sums by group."""
    codes = np.array(codes, np.int64)
    runs = Runs(codes)
    assert runs.order.tolist() == sorted(range(len(codes)), key=lambda row: (codes[row], row))
    seen: dict[int, list[int]] = {}
    for place, row in enumerate(runs.order.tolist()):
        before = seen.setdefault(int(codes[row]), [])
        assert runs.rank[place] == len(before)
        assert runs.before(runs.order)[place] == sum(before)
        before.append(row)
        assert runs.first()[place] == before[0]
    assert runs.sums(runs.order).tolist() == [sum(seen[code]) for code in sorted(seen)]
    assert runs.sizes.tolist() == [len(seen[code]) for code in sorted(seen)]


def test_runs_order_rows_within_a_group_by_what_they_are_told():
    """The first key counts most, then the row."""
    runs = Runs(np.array([1, 0, 1, 1]), np.array([5, 0, 2, 5]), np.array([1, 0, 9, 0]))
    assert runs.order.tolist() == [1, 2, 3, 0]


@given(small, small)
def test_repeated_and_parted_agree_with_counting(one, other):
    """Rows that share both columns with another; all rows by both columns."""
    count = min(len(one), len(other))
    pairs = list(zip(one[:count], other[:count], strict=True))
    columns = np.array(one[:count], np.int64), np.array(other[:count], np.int64)
    rows, codes = repeated(*columns)
    assert rows.tolist() == [row for row, pair in enumerate(pairs) if pairs.count(pair) > 1]
    assert all((codes[i] == codes[j]) == (pairs[a] == pairs[b]) for i, a in enumerate(rows) for j, b in enumerate(rows))
    parts = parted(*columns)
    assert sorted(row for part in parts for row in part.tolist()) == list(range(count))
    assert all(len({pairs[row] for row in part.tolist()}) == 1 for part in parts)
    assert len(parts) == len(set(pairs))


def test_joined_numbers_are_equal_where_all_columns_are():
    """Between two tables of different lengths."""
    left, right = joined((np.array([1, 1, 2]), np.array([5, 6, 5])), (np.array([2, 1]), np.array([5, 6])))
    assert left[1] == right[1] and left[2] == right[0] and left[0] not in right.tolist()


@given(small)
def test_groups_gather_rows_and_several_groups_at_once(codes):
    """Negative codes are in no group."""
    codes = np.array(codes, np.int64)
    groups = Groups(codes, 4)
    for group in range(4):
        assert groups.rows(group).tolist() == np.flatnonzero(codes == group).tolist()
    wanted = np.array([2, 0, 2])
    assert groups.rows_of_all(wanted).tolist() == [row for group in (2, 0, 2) for row in groups.rows(group).tolist()]
    assert groups.rows_of_all(np.zeros(0, np.int64)).tolist() == []
    assert distinct(codes).tolist() == sorted(set(codes.tolist()))


def test_factorised_gives_one_row_of_each_group():
    """The first one, also where the ranges are too wide for a table."""
    for scale in (1, 2**40):
        codes, first = factorised(np.array([3, 1, 3, 2]) * scale, np.array([0, 0, 0, 0]))
        assert len(first) == 3 and codes[0] == codes[2] and first[codes[2]] == 0


@given(small, st.lists(st.integers(0, 9), min_size=30, max_size=30))
def test_the_rows_of_each_group_are_put_in_the_order_of_their_values(codes, values):
    """Those of one value as they stand; rows in no group belong to none."""
    codes, values = np.array(codes, np.int64), np.array(values[: len(codes)], np.int64)
    groups = Groups(codes, 4)
    groups.sort_within(values)
    for group in range(4):
        mine = [row for row in range(len(codes)) if codes[row] == group]
        assert groups.rows(group).tolist() == sorted(mine, key=lambda row: (values[row], row))


def test_groups_of_values_far_apart_are_in_their_order():
    """As only a damaged take has them."""
    codes, first = factorised(np.array([2**41, 0, 2**41, 5]), np.array([1, 1, 1, 1]))
    assert (codes.tolist(), first.tolist()) == ([2, 0, 2, 1], [1, 3, 0])
