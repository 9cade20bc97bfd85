"""The numbers of comparing, each from both sides."""

from __future__ import annotations

import pytest

from moonrise_bakery.faults import FAULTS
from opossum.compare.comparison import compared
from opossum.compare.renames import Renamed, renamed
from opossum.compare.side import Side
from tape import Stage


def called(event: str, times: int, cls: str = "Oven") -> Side:
    """Return a side in which an event is heard so often."""
    stage = Stage()
    bound = stage.bind(event, f"{cls.lower()}#1", f"{cls}.on_event")
    for number in range(times):
        stage.at(2 + 3 * number, do=lambda: stage.heard(event, bound))
    return Side(stage.run(6 + 3 * times).take(), event)


@pytest.mark.parametrize(
    ("before", "after", "same"),
    [(4, 4, False), (5, 5, True), (40, 38, True), (40, 37, False), (38, 40, True), (37, 40, False)],
)
def test_a_new_name_comes_as_often_and_often_enough(before, after, same):
    """Five times at least, and within a twentieth."""
    found = renamed((called("bread", before), called("loaf", after)))
    assert found == ([Renamed("event", "bread", "loaf")] if same else [])


def test_a_new_name_is_of_the_same_class():
    """Another class's is another thing."""
    assert renamed((called("bread", 9), called("loaf", 9, cls="Shelf"))) == []


@pytest.mark.parametrize("fault", sorted(FAULTS)[::6])
def test_everything_without_a_counterpart_is_told(night, fault):
    """As a difference or what follows upon one: none is lost, and none is told twice."""
    comparison = compared((Side(night(), "before"), Side(night(fault), "after")))
    lone = sum(int((partner < 0).sum()) for partner in comparison.matching.partner)
    told = sum(sum(item.more) + item.following for item in comparison.differences)
    assert told == lone
