"""Numbers, names and places as sentences say them."""

from __future__ import annotations

import pytest

from opossum.findings.wording import at_place, event_named, listed, milliseconds, with_place


@pytest.mark.parametrize(
    ("ns", "said"),
    [
        (0, "0 ns"),
        (999, "999 ns"),
        (1000, "1 µs"),
        (51_400, "51 µs"),
        (999_999, "1000 µs"),
        (1_000_000, "1.0 ms"),
        (9_940_000, "9.9 ms"),
        (10_000_000, "10 ms"),
        (767_400_000, "767 ms"),
        (999_999_999, "1000 ms"),
        (1_000_000_000, "1.00 s"),
        (7_377_000_000, "7.38 s"),
    ],
)
def test_a_time_has_as_many_places_as_fit(ns, said):
    """At each unit's first value, and just below it."""
    assert milliseconds(ns) == said


@pytest.mark.parametrize(
    ("names", "said"),
    [
        ([], ""),
        (["a"], "a"),
        (["a", "b"], "a and b"),
        (["a", "a"], "a"),
        (["a", "b", "c", "d"], "a, b, c and d"),
        (["a", "b", "c", "d", "e"], "a, b, c, d and 1 more"),
        (["a", "b", "c", "d", "e", "a", "f"], "a, b, c, d and 2 more"),
    ],
)
def test_names_are_listed_each_once(names, said):
    """Four of them, and how many there are beside."""
    assert listed(names) == said


def test_how_many_names_are_listed_may_be_told():
    """As where there is room for more."""
    assert (listed("abc", 2), listed("abc", 3)) == ("a, b and 1 more", "a, b and c")


def test_an_event_without_a_name_is_called_that():
    """Blanks are none."""
    assert [event_named(name) for name in ("bell", " ", "")] == ["`bell`", "an unnamed event", "an unnamed event"]


def test_a_place_stands_before_the_full_stop():
    """Where there is one."""
    assert (at_place("a.py:3"), at_place("")) == (" (a.py:3)", "")
    assert with_place(".hush. Clear it.", "a.py:3") == ".hush. Clear it (a.py:3)."
    assert with_place("Clear it", "a.py:3") == "Clear it (a.py:3)." and with_place("Clear it.", "") == "Clear it."
