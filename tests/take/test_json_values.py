"""JSON columns compared and looked into many rows at a time."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.stream.tables import JsonColumn
from opossum.take.json_values import LONGEST_NUMBER, json_codes, json_numbers, json_values


def column(texts: list[bytes]) -> JsonColumn:
    """Return a column of texts."""
    offsets = np.concatenate(([0], np.cumsum([len(text) for text in texts]))).astype(np.int64)
    return JsonColumn(offsets, b"".join(texts))


@given(st.lists(st.binary(max_size=20), max_size=40))
def test_equal_texts_have_equal_codes_and_others_have_others(texts):
    """Whatever their lengths: up to a word, over it, none at all."""
    codes = json_codes(column(texts), np.arange(len(texts))).tolist()
    assert [codes.index(code) for code in codes] == [texts.index(text) for text in texts]


def test_only_the_asked_rows_are_coded():
    """In the order they are asked for, repeated or not."""
    codes = json_codes(column([b"1", b"22", b"1", b"333333333"]), np.array([3, 2, 0, 3]))
    assert codes[0] == codes[3] and codes[1] == codes[2] and codes[0] != codes[1]
    assert json_codes(JsonColumn.absent(3), np.arange(3)).tolist() == [0, 0, 0]
    assert json_codes(column([]), np.zeros(0, np.int64)).tolist() == []


def test_each_distinct_text_is_read_once():
    """What is no JSON is read as nothing."""
    asked = []

    def read(value: object) -> object:
        asked.append(value)
        return value

    found = json_values(column([b'{"a":1}', b"[2", b'{"a":1}', b"", b"3"]), np.arange(5), read)
    assert found == [{"a": 1}, None, {"a": 1}, None, 3]
    assert len(asked) == 4


NUMBERS = [b"1", b"-2.5", b"true", b"1e999", b"1" + b"0" * 400, b'"7"', b"null", b"[1,2]", b'{"a":[3]}', b""]


@pytest.mark.parametrize("broken", [b"", b"{not", b"1,2", b"[" * 5000, b"\xff"])
def test_numbers_are_read_many_at_a_time(broken):
    """What is no number, or none that can be counted with, is NaN; a damaged one takes none of the others along."""
    texts = [*NUMBERS, broken, b"4"]
    asked = np.array([11, *range(12), 0])
    expected = [4.0, 1.0, -2.5, 1.0, *[np.nan] * 8, 4.0, 1.0]
    assert json_numbers(column(texts), asked) == pytest.approx(expected, nan_ok=True)


@pytest.mark.parametrize(
    ("digits", "is_one"), [(LONGEST_NUMBER - 1, True), (LONGEST_NUMBER, True), (LONGEST_NUMBER + 1, False)]
)
def test_no_number_is_longer_than_a_float_can_hold(digits, is_one):
    """However many digits it has behind the point; longer ones, and what begins as none does, are not even parsed."""
    text = b"0." + b"25".ljust(digits - 2, b"0")
    assert len(text) == digits
    assert json_numbers(column([text, b'"' + b"7" * 10_000_000 + b'"']), np.arange(2)) == pytest.approx(
        [0.25 if is_one else np.nan, np.nan], nan_ok=True
    )


def test_of_no_values_there_are_no_numbers():
    """Asked for none, or for such as are absent."""
    assert json_numbers(column([b"1"]), np.zeros(0, np.int64)).tolist() == []
    assert np.isnan(json_numbers(JsonColumn.absent(2), np.arange(2))).all()
