"""Names that differ by a slip, beside comparing every name with every other letter by letter."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.take.nearness import FEWEST_CHARACTERS, LONGEST_COMPARED, NearNames, folded, one_edit_apart

short_names = st.text("ab1", min_size=3, max_size=7)


def slips(name: str) -> set[str]:
    """Return every name that one slip makes of a name: a letter left out, put in, replaced (no digit by a digit), or swapped."""
    letters = "ab1"
    places = range(len(name))
    out = {name[:at] + name[at + 1 :] for at in places}
    put = {name[:at] + letter + name[at:] for at in range(len(name) + 1) for letter in letters}
    replaced = {
        name[:at] + letter + name[at + 1 :]
        for at in places
        for letter in letters
        if not (letter.isdigit() and name[at].isdigit())
    }
    swapped = {name[:at] + name[at + 1] + name[at] + name[at + 2 :] for at in places[:-1]}
    return (out | put | replaced | swapped) - {name}


@given(short_names, short_names)
def test_one_slip_is_one_edit(one, other):
    """Neither name may be shorter than four letters."""
    long_enough = min(len(one), len(other)) >= FEWEST_CHARACTERS
    assert one_edit_apart(one, other) is (long_enough and other in slips(one))


@given(short_names)
def test_every_slip_of_a_name_is_near_it(name):
    """At its beginning, within it and at its end."""
    for other in slips(name):
        long_enough = min(len(name), len(other)) >= FEWEST_CHARACTERS
        assert one_edit_apart(name, other) is one_edit_apart(other, name) is long_enough


@given(st.lists(short_names, max_size=12), short_names)
def test_near_names_are_those_that_a_slip_or_another_spelling_makes(names, asked):
    """In the order of the alphabet, each once."""
    near = NearNames(names).near(asked)
    assert near == sorted(
        {name for name in names if one_edit_apart(asked, name) or folded(name) == folded(asked)} - {asked}
    )


@pytest.mark.parametrize(
    ("one", "other", "near"),
    [
        ("open", "Open", True),
        ("door_open", "Door Open", True),
        ("a.b:c-d", "abcd", True),
        ("_-.", " : ", False),
        ("shelf_1", "shelf_2", False),
        ("shelf_1", "shelf_a", True),
        ("opne", "open", True),
        ("shalf", "shelf", True),
        ("open", "oxpen", True),
        ("open", "oxpenx", False),
        ("ope", "open", False),
        ("abcd", "acbd", True),
        ("abcd", "badc", False),
    ],
)
def test_what_a_slip_is(one, other, near):
    """Whichever of the two is asked for."""
    assert NearNames([other]).near(one) == [other] * near
    assert NearNames([one]).near(other) == [one] * near


@pytest.mark.parametrize(("length", "near"), [(LONGEST_COMPARED, True), (LONGEST_COMPARED + 1, False)])
def test_long_names_are_compared_as_they_are_folded_alone(length, near):
    """Each of their letters left out would be a name of its own."""
    name = "n" * (length - 1)
    assert bool(NearNames([name + "x"]).near(name + "y")) is near
    assert NearNames([name.upper()]).near(name) == [name.upper()]
