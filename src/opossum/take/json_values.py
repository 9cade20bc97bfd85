"""JSON columns compared and looked into many rows at a time: equal texts get equal numbers, each text is parsed once."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import TypeVar

import numpy as np

from opossum.stream.tables import Array, JsonColumn
from opossum.take.grouping import distinct, factorised

WORD_BYTES = 8

Value = TypeVar("Value")

NUMBER_BEGINS = np.frombuffer(b"-0123456789tf", np.uint8)
"""A number's first byte, or that of true and false, which count as 1 and 0."""
LONGEST_NUMBER = 400
"""Bytes; a float holds no whole number that is longer."""


def json_codes(column: JsonColumn, rows: Array) -> Array:
    """Return int64 (n,): a number for the text of each row (n,), equal for equal texts; absent ones are alike.

    Texts of one length are compared as words of eight bytes, all at once: linear in the bytes, and exact.
    """
    rows = np.asarray(rows, np.int64)
    codes = np.zeros(len(rows), np.int64)
    if not len(rows) or not len(column.data):
        return codes
    data = np.frombuffer(column.data, np.uint8)
    offsets = np.asarray(column.offsets, np.int64)
    starts, lengths = offsets[rows], offsets[rows + 1] - offsets[rows]
    given = 1  # 0 is the text of no length
    for length in distinct(lengths[lengths > 0]).tolist():
        mine = np.flatnonzero(lengths == length)
        words = -(-length // WORD_BYTES)
        padded = np.zeros((len(mine), words * WORD_BYTES), np.uint8)
        padded[:, :length] = np.lib.stride_tricks.sliding_window_view(data, length)[starts[mine]]
        columns = padded.view(np.int64)
        numbers = np.zeros(len(mine), np.int32)
        for word in range(words):
            values = np.ascontiguousarray(columns[:, word])
            # texts repeat: looking each up among the few there are is faster than sorting them all
            numbers, _ = factorised(numbers, np.searchsorted(np.unique(values), values))
        codes[mine] = numbers.astype(np.int64) + given
        given += int(numbers.max()) + 1
    return codes


def json_values(column: JsonColumn, rows: Array, read: Callable[[object], Value]) -> list[Value]:
    """Return what `read` makes of each row's value (n,), called once for each distinct text; None where it is no JSON."""
    codes = json_codes(column, rows)
    _, first, inverse = np.unique(codes, return_index=True, return_inverse=True)
    values = [read(_parsed(column[int(rows[place])])) for place in first.tolist()]
    return [values[number] for number in inverse.tolist()]


def json_numbers(column: JsonColumn, rows: Array) -> Array:
    """Return float64 (n,): the value of each row (n,) where it is a finite number (true is 1), else NaN.

    What begins as no number does, or is longer than any, is not parsed; the others are parsed at once, as one list, one by one
    only where that fails. Linear in their bytes, of which some twenty times as much is taken meanwhile: ask for thousands.
    """
    rows = np.asarray(rows, np.int64)
    numbers = np.full(len(rows), np.nan)
    offsets = np.asarray(column.offsets, np.int64)
    lengths = offsets[rows + 1] - offsets[rows]
    if not len(column.data):
        return numbers
    data = np.frombuffer(column.data, np.uint8)
    begins = np.isin(data[np.minimum(offsets[rows], len(data) - 1)], NUMBER_BEGINS)
    told = np.flatnonzero((lengths > 0) & (lengths <= LONGEST_NUMBER) & begins)
    if not len(told):
        return numbers
    import msgspec  # loaded once a number is asked for: a desk that opens shows none yet

    starts, lengths = offsets[rows[told]], lengths[told]
    ends = np.cumsum(lengths)
    rank, place = np.repeat(np.arange(len(told)), lengths), np.arange(ends[-1])
    listed = np.full(len(place) + len(told), ord(","), np.uint8)
    listed[place + rank] = data[place + (starts - ends + lengths)[rank]]
    try:
        values = msgspec.json.decode(b"[" + listed[:-1].tobytes() + b"]")
    except (msgspec.DecodeError, RecursionError):
        values = []
    if len(values) != len(told):
        values = [_parsed(column[row]) for row in rows[told].tolist()]
    numbers[told] = [_finite(value) for value in values]
    return numbers


def as_number(value: object) -> float:
    """Return a value as a float: true is 1, a whole number beyond all floats is infinite, what is no number NaN."""
    if not isinstance(value, int | float):
        return math.nan
    try:
        return float(value)
    except OverflowError:
        return math.inf if value > 0 else -math.inf


def _finite(value: object) -> float:
    number = as_number(value)
    return number if math.isfinite(number) else math.nan


def _parsed(text: str) -> object:
    try:
        return json.loads(text) if text else None
    except (ValueError, RecursionError):
        return None
