"""The take as a whole: what is computed once, and what it weighs."""

from __future__ import annotations

import json

import numpy as np
import pytest

from opossum.stream.limits import LARGEST_NUMBER, MOST_PEERS, WRITTEN_TIME
from opossum.stream.reading import read_streams
from opossum.stream.tables import held_at
from opossum.stream.writing import stream_lines
from opossum.take.archive import open_take, save_take
from opossum.take.sameness import first_difference
from opossum.take.take import Take
from tape import Tape, read


def written(take: Take) -> list[bytes]:
    """Return the lines of a take's stream."""
    return list(stream_lines(take.tables, take.strings, take.peers))


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


def test_data_is_weighed_with_the_rest():
    """Of every table that has some."""
    weights = []
    for size in (1, 1001):
        tape = Tape().frame()
        tape.send("bell", d="x" * size)
        weights.append(tape("watch", o="oven#1", name="heat", v="x" * size).take().nbytes)
    assert weights[1] - weights[0] == 2000
    weights = []
    for data in (None, "x"):  # and where each row's begins, eight bytes a row
        tape = Tape().frame()
        tape.send("bell", d=data)
        for _ in range(99):
            tape.send("bell")
        weights.append(tape.take().nbytes)
    assert weights[1] - weights[0] == len('"x"') + 8 * 101


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
        ('"o":"oven#1","name"', '"o":"oven#2","name"', "`o` of `watch` records"),
        ('"v":1.5', '"v":1.25', "`v` of `watch` records"),
        ('"cät"', '"cat"', "`d` of `send` records"),
        ('"sec":0.1', '"sec":0.2', "`sec` of `arm` records"),
        ('"n":1', '"n":7', "`n` of `frame` records"),
        ('"name":"heat"', '"name":"warmth"', "`name` of `watch` records"),
        ('"k":"watch","t":', '"k":"watch","t":1', "`t` of `watch` records"),
    ],
)
def test_a_changed_field_is_a_difference(old, new, where):
    """Texts, JSON, numbers, counts and times alike."""
    tape = small()
    one = tape.bytes().decode()
    assert old in one
    assert first_difference(read(one.encode()), read(one.replace(old, new).encode())) == where


def test_the_same_text_cut_elsewhere_is_a_difference():
    """12 and 3 are not 1 and 23."""
    one, other = (
        Tape().frame()("watch", o="oven#1", name="heat", v=first)("watch", o="oven#1", name="heat", v=second).take()
        for first, second in ((12, 3), (1, 23))
    )
    assert first_difference(one, other) == "`v` of `watch` records"


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


def test_times_are_compared_as_the_games_wrote_them():
    """One recording is set against another clock than the same one beside it."""
    one, other = small().take(), small().take()
    other.peers[0].shift_ns = 5_000
    assert first_difference(one, other).startswith("`t` of `")
    for table in other.tables.values():
        table.columns["t"] = np.asarray(table["t"], np.int64) + 5_000
    assert first_difference(one, other) == ""


# --- limits --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("time", [WRITTEN_TIME.greatest, WRITTEN_TIME.least, 0])
def test_what_the_reader_takes_the_archive_takes(tmp_path, time):
    """A time at the very limit is read, saved and opened again as it is."""
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"frame","n":0,"t":0}\n{"k":"idle","t":%d}\n' % time)
    assert not [item for item in take.damage if item.code == "wrong-field"]
    save_take(take, tmp_path / "a.take")
    again = open_take(tmp_path / "a.take")
    assert first_difference(take, again) == "" and int(again.tables["idle"]["t"][0]) == time


@pytest.mark.parametrize("time", [WRITTEN_TIME.greatest + 1, WRITTEN_TIME.least - 1])
def test_what_is_beyond_the_limit_is_damage_on_reading(time):
    """Counted, with its line."""
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"idle","t":%d}\n' % time)
    assert [(item.code, item.lines) for item in take.damage] == [("wrong-field", [2])]
    assert len(take.tables["idle"]) == 0


@pytest.mark.parametrize(
    ("field", "value"), [("eff", 2**62), ("eff", -(2**62)), ("eff", -1), ("eff", -2), ("eff", 0), ("c", 2**62)]
)
def test_counts_and_ids_at_their_limits_come_back(tmp_path, field, value):
    """Whatever the table of limits allows."""
    record = {"c": 1} | {field: value}
    text = ",".join(f'"{name}":{number}' for name, number in record.items())
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"ret","t":5,%s}\n' % text.encode())
    assert len(take.tables["ret"]) == 1
    save_take(take, tmp_path / "a.take")
    assert json.loads(written(open_take(tmp_path / "a.take"))[1])[field] == value


def test_a_frame_may_have_any_number(tmp_path):
    """Also those that stand for nothing where a count may be absent."""
    for number in (-2, -1, 0):
        take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"frame","n":%d,"t":5}\n' % number)
        save_take(take, tmp_path / "a.take")
        assert json.loads(written(open_take(tmp_path / "a.take"))[1]) == {"k": "frame", "n": number, "t": 5}


@pytest.mark.parametrize("number", [LARGEST_NUMBER, -LARGEST_NUMBER, 1.01 * LARGEST_NUMBER, -1.01 * LARGEST_NUMBER])
def test_numbers_beyond_all_bounds_are_damage(number):
    """No sum of those that are taken runs over."""
    take = read(b'{"k":"head","opossum":1,"t":0}\n{"k":"clock","v":%a,"t":5}\n' % number)
    assert len(take.tables["clock"]) == (abs(number) <= LARGEST_NUMBER)
    assert [item.code for item in take.damage] == ([] if abs(number) <= LARGEST_NUMBER else ["wrong-field"])


def test_a_value_that_was_cut_is_not_cut_again():
    """However much of it must be escaped."""
    for text in ("x" * 9000, '\\"' * 9000, "é\x01" * 3000):
        take = read(
            b'{"k":"head","opossum":1,"t":0}\n' + json.dumps({"k": "watch", "t": 1, "name": "n", "v": text}).encode()
        )
        again = read(b"".join(written(take)))
        assert [item.code for item in take.damage] == ["data-cut"]
        assert not again.damage and written(again) == written(take)
        assert len(json.loads(written(take)[1])["v"]) > 600


def test_peers_beyond_the_most_are_left_out():
    """And told of, with their lines."""
    lines = [b'{"k":"head","opossum":1,"t":0,"peer":"p0"}']
    lines += [b'{"k":"frame","t":1,"n":0,"p":"p%d"}' % number for number in range(MOST_PEERS + 2)]
    take = read(b"\n".join(lines) + b"\n")
    assert len(take.peers) == MOST_PEERS and len(take.tables["frame"]) == MOST_PEERS
    assert [(item.code, item.count, item.lines) for item in take.damage] == [
        ("too-many-peers", 2, [MOST_PEERS + 2, MOST_PEERS + 3])
    ]


@pytest.mark.parametrize("limit", [WRITTEN_TIME.least, WRITTEN_TIME.greatest])
def test_a_clock_that_lies_shifts_nothing(tmp_path, limit):
    """A shift beyond all times is none; the largest that is one comes back exactly, with the largest of times."""
    path = tmp_path / "a.flow.jsonl"
    line = b'{"k":"frame","t":%d,"n":0}\n' % limit
    path.write_bytes(b'{"k":"head","t":0,"opossum":1,"peer":"main"}\n' + line)
    for shift in (2**63 - 1, limit - 1 if limit < 0 else limit + 1):
        lying = Take.from_contents(read_streams([str(path)], shifts={"main": (shift, 5)}), "a")
        assert int(lying.tables["frame"]["t"][0]) == limit and lying.peers[0].shift_ns == 0
    far = Take.from_contents(read_streams([str(path)], shifts={"main": (limit, 5)}), "a")
    save_take(far, tmp_path / "a.take")
    opened = open_take(tmp_path / "a.take")
    assert int(opened.tables["frame"]["t"][0]) == 2 * limit
    assert written(opened)[1] == line


def test_what_a_column_holds_at_rows_of_which_some_are_none():
    """Also where nothing is in the column; nothing but the rows asked for is looked at."""
    rows = np.array([2, -1, 0])
    assert held_at(np.array([5, 6, 7], np.int8), rows, -1).tolist() == [7, -1, 5]
    assert held_at(np.zeros(0, np.int8), np.array([-1, -1]), 4).tolist() == [4, 4]


def test_a_line_of_a_take_is_one_of_the_files_it_was_read_from(tmp_path):
    """Each file counts its own from one; a take that was read from none has its own lines."""
    first, second = str(tmp_path / "a"), str(tmp_path / "b")
    (tmp_path / "a").write_bytes(Tape(peer="a").frame().bytes(bye=False))
    (tmp_path / "b").write_bytes(Tape(peer="b").frame()("say", text="-").bytes(bye=False))
    take = Take.from_contents(read_streams([first, second]), "night")
    told = [take.line_in_source(line) for line in range(1, 6)]
    assert told == [(first, 1), (first, 2), (second, 1), (second, 2), (second, 3)]
    take.sources.clear()
    assert take.line_in_source(4) == ("night", 4)
