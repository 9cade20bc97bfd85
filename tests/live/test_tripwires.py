"""Tripwires: what a person writes, what is asked of a game, and what the recorder makes of it."""

import pytest

from opossum.live.tripwires import TripwireError, parse_tripwire
from opossum_recorder.holding import Tripwire as RecordersTripwire


@pytest.mark.parametrize(
    ("text", "when"),
    [
        ("ev:open", {"ev": "open"}),
        ("  cls:Oven   fn:Oven.* via:timer ", {"cls": "Oven", "fn": "Oven.*", "via": "timer"}),
        ("o:oven#2 again", {"o": "oven#2", "again": True}),
        ("gone", {"gone": True}),
        ("ev:pay count:3", {"ev": "pay", "count": 3}),
        ("slow:20", {"longer_ms": 20.0}),
        ("send ev:pay d.coins>10", {"at": "send", "ev": "pay", "value": ["coins", ">", 10.0]}),
        ("d.who.name==cat", {"value": ["who.name", "==", "cat"]}),
        ("d.open==true", {"value": ["open", "==", True]}),
    ],
)
def test_words_become_a_condition_the_recorder_takes(text, when):
    """What is understood here is understood there."""
    assert parse_tripwire(text).when == when
    RecordersTripwire(1, when)


def test_a_peer_is_named_beside_the_condition():
    """The game does not know its name in the session."""
    assert parse_tripwire("peer:client ev:hit")[1:] == ({"ev": "hit"}, "client")


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "say where to hold"),
        ("count:3", "say where to hold"),
        ("oven", "`oven` is not understood"),
        ("ev:", "`ev:` is not understood"),
        ("colour:red", "`colour:red` is not understood"),
        ("ev:a count:none", "`count:none` needs a number above 0"),
        ("slow:-4", "`slow:-4` needs a number above 0"),
        ("slow:nan", "`slow:nan` needs a number above 0"),
        ("send fn:Oven.on_bell", "are about calls"),
        ("x" * 500, "at most 400 characters"),
    ],
)
def test_what_is_not_understood_is_said(text, why):
    """In one sentence, with what is possible."""
    with pytest.raises(TripwireError, match=why.replace("(", r"\(")):
        parse_tripwire(text)


@pytest.mark.parametrize(
    "when",
    [{"event": "open"}, {"ev": 3}, {"value": ["a", "~", 1]}, {"value": "a"}, {"count": "many"}, {"longer_ms": "x"}],
)
def test_a_recorder_refuses_what_it_does_not_understand(when):
    """Rather than hold the game at random."""
    with pytest.raises(ValueError):
        RecordersTripwire(1, when)


def test_values_in_the_data_are_compared_as_far_as_they_can_be():
    """Another type, or a path that is not there, does not match."""
    wire = RecordersTripwire(1, {"value": ["coins", ">", 10]})
    said = [{"coins": 11}, {"coins": 10}, {"coins": "many"}, {}, None, {"coins": {"more": 1}}]
    assert [wire.matches({}, data) for data in said] == [True, False, False, False, False, False]


def test_names_match_whole_or_by_stars():
    """`Oven.*` is any function of ovens; what merely looks like a pattern still matches itself."""
    assert RecordersTripwire(1, {"fn": "Oven.*"}).matches({"fn": "Oven.on_bell"}, None)
    assert not RecordersTripwire(1, {"fn": "Oven"}).matches({"fn": "Oven.on_bell"}, None)
    assert RecordersTripwire(1, {"ev": "list[0]"}).matches({"ev": "list[0]"}, None)
