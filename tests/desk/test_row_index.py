"""Where a row's calls lie among the columns: looked up where many are asked for, sought where few are, and the same both ways."""

import numpy as np
import pytest

from opossum.take.grouping import Groups
from opossum_desk.state import row_index, row_level
from opossum_desk.state.row_index import RowIndex
from opossum_desk.state.row_level import MANY_CALLS, MANY_COLUMNS, Level


def level_of(columns_of_groups: list[np.ndarray]) -> Level:
    """Return calls of groups, each at its columns."""
    codes = np.repeat(np.arange(len(columns_of_groups)), [len(columns) for columns in columns_of_groups])
    return Level.gathered(Groups(codes, len(columns_of_groups)), np.concatenate(columns_of_groups).astype(np.int32))


@pytest.mark.parametrize("span", [10, MANY_CALLS, 3 * MANY_CALLS])
def test_places_that_are_looked_up_are_those_that_are_sought(span):
    """Columns before the first call and after the last one too, and those between in which nothing was called."""
    random = np.random.default_rng(5)
    own = np.sort(random.integers(700, 700 + span, MANY_CALLS + 5))
    level = level_of([np.arange(40), own, np.arange(3)])
    asked = np.linspace(0, 1400 + span, 3 * MANY_COLUMNS).astype(np.int64)
    assert level.places(1, asked).tolist() == (40 + np.searchsorted(own, asked)).tolist()
    assert level.places(1, np.array([690, 705])).tolist() == (40 + np.searchsorted(own, [690, 705])).tolist()
    assert level.places(0, asked).tolist() == np.searchsorted(np.arange(40), asked).tolist()
    assert list(level._counts) == [1]


def test_a_row_of_few_calls_far_apart_is_not_counted_column_by_column():
    level = level_of([np.arange(MANY_CALLS) * 50])
    asked = np.arange(0, MANY_CALLS * 50, 1000)
    assert level.places(0, asked).tolist() == (asked // 50).tolist()
    assert not level._counts


def test_what_is_remembered_of_rows_has_a_bound(monkeypatch):
    """The rows that were asked for longest ago are forgotten, and counted anew when they are asked for again."""
    monkeypatch.setattr(row_level, "MOST_COUNTED_BYTES", 3 * 4 * MANY_CALLS)
    rows = [np.sort(np.arange(MANY_CALLS) + shift) for shift in range(8)]
    level = level_of(rows)
    asked = np.linspace(0, MANY_CALLS, MANY_COLUMNS).astype(np.int64)
    for _ in range(2):
        for number, own in enumerate(rows):
            assert level.places(number, asked).tolist() == (number * MANY_CALLS + np.searchsorted(own, asked)).tolist()
            assert sum(counts.nbytes for _, counts in level._counts.values()) <= 3 * 4 * MANY_CALLS
    assert list(level._counts)[-1] == 7


@pytest.mark.parametrize(("calls", "groups"), [(0, 0), (0, 3), (1, 1), (60, 7), (4000, 41)])
@pytest.mark.parametrize("share", [0.0, 0.3, 0.9, 1.0])
def test_a_flag_of_whole_groups_is_summed_as_that_of_its_calls(calls, groups, share):
    """Groups without a call too, at the ends and between."""
    random = np.random.default_rng(7)
    group_of_call = (
        random.choice(np.arange(groups)[:: 2 if groups > 3 else 1], calls) if groups else np.zeros(0, np.int64)
    )
    level = Level.gathered(Groups(group_of_call, groups), np.arange(calls, dtype=np.int32))
    flags = random.random(groups) < share
    summed = level.summed_by_group(flags)
    assert summed.tolist() == level.summed(flags[group_of_call]).tolist()
    assert summed.dtype == np.int32 and len(summed) == calls + 1


def test_many_calls_are_summed_beside_each_other_as_few_are_one_after_the_other(opened, monkeypatch):
    """Both sums of a flag, and what went wrong in either is raised."""
    rows = opened.session.row_index
    flags = np.arange(len(opened.session.take.calls)) % 3 == 0
    few = rows.counted(flags)
    monkeypatch.setattr(row_index, "MANY_SUMMED", 1)
    many = rows.counted(flags)
    assert many.single.tolist() == few.single.tolist() == rows.single.summed(flags).tolist()
    assert many.folded.tolist() == few.folded.tolist() == rows.folded.summed(flags).tolist()
    with pytest.raises(IndexError):
        rows.counted(flags[:-1])


@pytest.mark.parametrize("share", [0.0, 0.4, 1.0])
def test_a_flag_counted_by_row_is_the_same_wherever_it_is_looked_into(opened, monkeypatch, share):
    """At the ends of all rows at once, within those that are filled then, and whole where it is handed over."""
    rows = opened.session.row_index
    flags = np.random.default_rng(3).random(len(opened.session.take.calls)) < share
    whole = rows.counted(flags)
    monkeypatch.setattr(row_index, "PIECE", 100)
    rows.set_flag_by_row("matched", flags)
    assert rows.flags["matched"] is flags
    for level, sums in ((rows.single, whole.single), (rows.folded, whole.folded)):
        starts = level.groups.starts
        assert level.sums["matched"][starts].tolist() == sums[starts].tolist()
        largest = int(np.argmax(level.groups.sizes()))
        level.fill("matched", [largest])
        level.fill("wasted", [largest])
        own = slice(starts[largest], starts[largest + 1] + 1)
        assert level.sums["matched"][own].tolist() == sums[own].tolist()
    handed = RowIndex.from_values(opened.session.take, rows.as_values())
    assert handed.single.sums["matched"].tolist() == whole.single.tolist()
    assert handed.folded.sums["matched"].tolist() == whole.folded.tolist()
    rows.set_flag("matched", whole)
    rows.single.fill("matched", range(3))
    assert rows.single.sums["matched"].tolist() == whole.single.tolist()
