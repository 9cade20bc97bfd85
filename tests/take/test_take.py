"""The take as a whole: what is computed once, and what it weighs."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.stream.limits import ANY_INTEGER
from opossum.take.archive import open_take, save_take
from opossum.take.sameness import first_difference
from opossum.take.take import Take
from tape import Tape, read


def small() -> Tape:
    """Return a tape with a call, a timer, a value and data."""
    tape = Tape().frame().frame()
    bell = tape.bind("bell", "oven#1", "Oven.on_bell")
    tape.heard("bell", bell, d={"by": "cät"})
    tape.arm("timer", "oven#1", "steam")
    return tape("watch", o="oven#1", name="heat", v=1.5)


def test_an_array_that_two_indexes_share_is_weighed_once():
    """`listeners` is part of `calls`; without a hold, game time is the clock's."""
    take = small().take()
    weight = take.nbytes
    take.__dict__["again"] = take.calls  # not registered: it weighs nothing
    assert take.nbytes == weight
    assert take.calls.game_start_ns is take.calls.start_ns
    calls, start = take.calls, take.calls.start_ns.nbytes
    take.__dict__["calls"] = type(calls)(**{**vars(calls), "game_start_ns": calls.start_ns.copy()})
    assert take.nbytes == weight + start


def test_every_index_that_was_built_is_weighed():
    """Also those that were not there from the beginning."""
    take = small().take()
    for name in ("arms", "owner_gone", "phase_of_call", "visitor_of_send"):
        before = take.nbytes
        getattr(take, name)
        assert take.nbytes > before, name


def test_durations_phases_and_classes_are_reckoned_once():
    """Views ask for them at every painting."""
    take = small().take()
    assert take.calls.duration_ns is take.calls.duration_ns
    assert take.phase_of_call is take.phase_of_call


def test_indexes_need_only_what_stands_before_them():
    """So that there is an order in which to build them."""
    seen = []
    for index in Take.indexes():
        assert all(need in seen for need in index.needs), index.name
        seen.append(index)


# --- sameness ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("change", "where"),
    [
        (lambda tape: tape, ""),
        (lambda tape: tape("say", text="more"), "0 `say` records against 1"),
        (lambda tape: tape("watch", o="oven#1", name="heat", v=1), "1 `watch` records against 2"),
    ],
)
def test_two_takes_are_compared_record_by_record(change, where):
    """And the first difference is named."""
    assert first_difference(small().take(), change(small()).take()) == where


@pytest.mark.parametrize(
    ("old", "new", "where"),
    [
        ('"o": "oven#1", "name"', '"o": "oven#2", "name"', "`o` of `watch` records"),
        ('"v": 1.5', '"v": 1.25', "`v` of `watch` records"),
        ('"cät"', '"cat"', "`d` of `send` records"),
        ('"sec": 0.1', '"sec": 0.2', "`sec` of `arm` records"),
        ('"n": 1', '"n": 7', "`n` of `frame` records"),
        ('"k": "watch", "t": ', '"k": "watch", "t": 1', "`t` of `watch` records"),
    ],
)
def test_a_changed_field_is_a_difference(old, new, where):
    """Texts, JSON, numbers, counts and times alike."""
    tape = small()
    one = tape.bytes().decode()
    old = old.encode("ascii", "backslashreplace").decode().replace("\\xe4", "\\u00e4")
    assert old in one
    assert first_difference(read(one.encode()), read(one.replace(old, new).encode())) == where


def test_strings_may_be_numbered_differently(tmp_path):
    """The same records in the order of another recording's texts."""
    take = small().take()
    save_take(take, tmp_path / "a.take")
    other = open_take(tmp_path / "a.take")
    other.strings.reverse()
    last = len(other.strings) - 1
    for table in other.tables.values():
        for field, column in list(table.fields()):
            if field.type.value == "text":
                codes = np.asarray(column, np.int64)
                table.columns[field.name] = np.where(codes >= 0, last - codes, codes)
    assert take.strings != other.strings and first_difference(take, other) == ""


# --- limits --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("time", [ANY_INTEGER.greatest, ANY_INTEGER.least, 0])
def test_what_the_reader_takes_the_archive_takes(tmp_path, time):
    """A time at the very limit is read, saved and opened again as it is."""
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"frame","n":0,"t":0}\n{"k":"idle","t":%d}\n' % time)
    assert not [item for item in take.damage if item.code == "wrong-field"]
    save_take(take, tmp_path / "a.take")
    again = open_take(tmp_path / "a.take")
    assert first_difference(take, again) == "" and int(again.tables["idle"]["t"][0]) == time


@pytest.mark.parametrize("time", [ANY_INTEGER.greatest + 1, ANY_INTEGER.least - 1])
def test_what_is_beyond_the_limit_is_damage_on_reading(time):
    """Counted, with its line."""
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"idle","t":%d}\n' % time)
    assert [(item.code, item.lines) for item in take.damage] == [("wrong-field", [2])]
    assert len(take.tables["idle"]) == 0


@pytest.mark.parametrize(("field", "value"), [("eff", 2**62), ("eff", -(2**62)), ("c", 2**62)])
def test_counts_and_ids_at_their_limits_come_back(tmp_path, field, value):
    """Whatever the table of limits allows."""
    record = {"c": 1} | {field: value}
    text = ",".join(f'"{name}":{number}' for name, number in record.items())
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"ret","t":5,%s}\n' % text.encode())
    assert len(take.tables["ret"]) == 1
    save_take(take, tmp_path / "a.take")
    assert int(np.asarray(open_take(tmp_path / "a.take").tables["ret"][field])[0]) == value


def test_a_clock_that_lies_shifts_nothing(tmp_path):
    """A shift beyond all times is none; one that would carry times beyond the limit is cut there."""
    from opossum.stream.reading import read_streams

    path = tmp_path / "a.flow.jsonl"
    path.write_bytes(b'{"k":"head","opossum":1,"t":0,"peer":"main"}\n{"k":"frame","n":0,"t":5}\n')
    lying = Take.from_contents(read_streams([str(path)], shifts={"main": (2**63 - 1, 5)}), "a")
    assert int(lying.tables["frame"]["t"][0]) == 5 and lying.peers[0].shift_ns == 0
    far = Take.from_contents(read_streams([str(path)], shifts={"main": (2**62, 5)}), "a")
    save_take(far, tmp_path / "a.take")
    assert int(open_take(tmp_path / "a.take").tables["frame"]["t"][0]) == ANY_INTEGER.greatest
