"""Properties of reading and saving that hold for any bytes."""

from __future__ import annotations

import json

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from opossum.findings.examine import examine
from opossum.stream.kinds import KINDS, FieldType
from opossum.stream.tables import JsonColumn
from opossum.take.archive import open_take, save_take
from opossum.take.checks import check_take
from opossum.take.take import Take
from tape import read

_SMALL_IDS = st.integers(1, 6)
_VALUES = {
    FieldType.ID: _SMALL_IDS,
    FieldType.COUNT: st.integers(-2, 9),
    FieldType.NUMBER: st.floats(allow_nan=False, allow_infinity=False),
    FieldType.FLAG: st.booleans(),
    FieldType.TEXT: st.sampled_from(
        ["tick", "zone", "timer", "delay", "stay", "held", "down", "input", "oven#1", "cat#1", "", "é"]
    ),
    FieldType.JSON: st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=5),
        lambda inner: st.lists(inner, max_size=3),
        max_leaves=5,
    ),
}


@st.composite
def records(draw):
    """Return one record of any kind, with ids that often collide and fields that often miss."""
    kind = KINDS[draw(st.sampled_from(sorted(KINDS)))]
    record = {"k": kind.name, "t": draw(st.integers(-5, 10_000_000_000))}
    for field in kind.fields:
        if field.required or draw(st.booleans()):
            record[field.name] = draw(_VALUES[field.type])
    if draw(st.integers(0, 9)) == 0:
        record["p"] = draw(st.sampled_from(["host", "guest"]))
    return record


streams = st.lists(records(), max_size=40).map(
    lambda items: "".join(json.dumps(item) + "\n" for item in items).encode()
)


def same(one: Take, other: Take) -> bool:
    """Say whether two takes hold the same, column for column."""
    assert one.strings == other.strings
    for kind, table in one.tables.items():
        twin = other.tables[kind]
        assert len(table) == len(twin)
        for name, column in table.columns.items():
            if isinstance(column, JsonColumn):
                mate = twin.json(name)
                assert [column[row] for row in range(len(column))] == [mate[row] for row in range(len(mate))]
            else:
                assert np.array_equal(column, twin[name], equal_nan=column.dtype.kind == "f"), (kind, name)
    return True


@given(st.binary(max_size=400))
def test_any_bytes_are_read_without_a_crash(data):
    """Whatever comes is records or damage, never an exception."""
    take = read(data)
    check_take(take)
    examine(take)


@given(streams)
def test_any_records_are_examined_without_a_crash(data):
    """Ids that collide, dangle and circle, times that jump: all are lived with."""
    take = read(data)
    check_take(take)
    for finding in examine(take):
        assert finding.summary


@given(streams, st.integers(0, 4000))
def test_a_stream_cut_anywhere_is_read_up_to_there(data, cut):
    """What came before the cut is the same as in the whole."""
    whole, part = read(data), read(data[:cut])
    assert part.records <= whole.records
    for kind, table in part.tables.items():
        assert table["line"].tolist() == whole.tables[kind]["line"].tolist()[: len(table)]


@given(streams)
def test_saving_and_opening_loses_nothing(tmp_path_factory, data):
    """A round trip is exact."""
    take = read(data)
    path = tmp_path_factory.mktemp("saved") / "x.take"
    save_take(take, path)
    opened = open_take(path)

    assert same(take, opened)
    assert [span.name for span in opened.peers] == [span.name for span in take.peers]
    assert [(item.code, item.count, item.lines) for item in opened.damage] == [
        (item.code, item.count, item.lines) for item in take.damage
    ]
