"""Names from a game do nothing to what shows them."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.foreign_text import shown, shown_json


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("Ofen#1 ü 🍞", "Ofen#1 ü 🍞"),
        ("\x1b[31mred", "␛[31mred"),
        ("two\nlines\ttab\r", "two␊lines␉tab␍"),
        ("evil\u202ename", "evil‹U+202E›name"),
        ("\x7f\x85\u2028", "␡‹U+0085›‹U+2028›"),
        ("\ud800", "‹U+D800›"),
    ],
)
def test_what_cannot_be_seen_is_made_visible(text, told):
    """Escapes, line ends, turned writing, halves of characters."""
    assert shown(text) == told


@given(st.text())
def test_what_is_shown_is_one_line_that_can_be_seen(text):
    """And what could be seen before is as it was."""
    told = shown(text)
    assert told.isprintable() or all(character.isprintable() for character in told if character not in text)
    assert "\n" not in told and "\x1b" not in told and "\u202e" not in told
    assert shown(told) == told


@given(st.recursive(st.text() | st.integers(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner)))
def test_json_that_is_shown_says_the_same(value):
    """In characters that can be seen; line ends stand between values only."""
    text = json.dumps(value, ensure_ascii=False, indent=1)
    told = shown_json(text)
    assert json.loads(told) == value
    assert all(shown(character) == character for character in told if character != "\n")
