"""The flow: which call ran for which send, and what caused what."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.take.chains import chain_of, effects_of, nested_own_time, same_on_other_peers, top_calls
from opossum.take.grouping import Groups, factorised
from opossum.take.ids import IdIndex
from tape import Tape, read


@pytest.fixture
def relay() -> Tape:
    """Return a tape on which a press opens a door, whose opening wakes a cat."""
    tape = Tape().frame()
    door = tape.bind("press", "door#1", "Door.on_press", at="door.gd:3")
    cat = tape.bind("opened", "cat#1", "Cat.on_opened")
    c = tape.open_call(tape.send("press", via="input", key="E", edge="down"), door)
    tape.heard("opened", cat, c=c, o="door#1")
    tape("ret", c=c, eff=2)
    return tape


def test_a_call_is_joined_with_its_send_bind_return_and_cause(relay):
    """Rows point at rows."""
    calls = relay.take().calls

    assert calls.send.tolist() == [0, 1]
    assert calls.bind.tolist() == [0, 1]
    assert calls.parent.tolist() == [-1, 0]
    assert calls.effect.tolist() == [2, 1]
    assert calls.returned.all()
    assert calls.duration_ns.tolist() == [24_000, 21_000]


def test_listeners_are_numbered_by_owner_function_and_event(relay):
    """The same three are the same listener."""
    take = relay.take()

    assert len(take.listeners) == 2
    assert [take.owner_of_call(call) for call in (0, 1)] == ["door#1", "cat#1"]
    assert [take.function_of_call(call) for call in (0, 1)] == ["Door.on_press", "Cat.on_opened"]
    assert [take.event_of_call(call) for call in (0, 1)] == ["press", "opened"]
    assert take.via_of_send(0) == "input"
    assert take.via_of_send(1) == "direct"


def test_a_call_that_never_returned_lasts_to_the_end():
    """It is marked as open."""
    tape = Tape().frame()
    door = tape.bind("open", "door#1", "Door.on_open")
    tape.open_call(tape.send("open"), door)
    tape.ms(5)("say", text="still here")
    calls = tape.take(bye=False).calls

    assert calls.returned.tolist() == [False]
    assert calls.duration_ns[0] == pytest.approx(5e6, rel=0.01)


def test_owner_and_function_come_from_the_bind_where_the_call_is_silent():
    """Some recorders say them once."""
    data = (
        b'{"k":"head","opossum":1,"t":0}\n{"k":"bind","t":1,"b":4,"ev":"open","o":"door#1","fn":"Door.on_open"}\n'
        b'{"k":"send","t":2,"s":9,"ev":"open"}\n{"k":"call","t":3,"c":2,"s":9,"b":4}\n'
    )
    take = read(data)

    assert take.owner_of_call(0) == "door#1"
    assert take.function_of_call(0) == "Door.on_open"


def test_causes_that_make_a_circle_are_broken():
    """A cause that comes after its effect is damage."""
    data = (
        b'{"k":"head","opossum":1,"t":0}\n{"k":"send","t":1,"s":1,"ev":"a","c":2}\n{"k":"call","t":2,"c":1,"s":1,"fn":"A"}\n'
        b'{"k":"send","t":3,"s":2,"ev":"b","c":1}\n{"k":"call","t":4,"c":2,"s":2,"fn":"B"}\n'
    )

    assert read(data).calls.parent.tolist() == [-1, 0]


def test_ids_that_point_nowhere_stand_alone():
    """A call without its send is still shown."""
    take = read(
        b'{"k":"head","opossum":1,"t":0}\n{"k":"call","t":2,"c":1,"s":77,"b":66,"o":"x","fn":"X.f"}\n{"k":"ret","t":3,"c":55}\n'
    )

    assert take.calls.send.tolist() == [-1]
    assert take.calls.bind.tolist() == [-1]
    assert take.calls.returned.tolist() == [False]
    assert take.event_of_call(0) == ""


def test_of_duplicate_ids_the_first_counts():
    """References go to the first record of that id."""
    take = read(
        b'{"k":"head","opossum":1,"t":0}\n{"k":"send","t":1,"s":5,"ev":"a"}\n{"k":"send","t":1,"s":5,"ev":"b"}\n'
        b'{"k":"call","t":2,"c":1,"s":5,"fn":"X"}\n'
    )

    assert take.event_of_call(0) == "a"
    assert take.send_ids.duplicates.tolist() == [1]


def test_of_duplicate_ids_that_lie_far_apart_the_first_counts_too():
    """They are kept in another way, peer by peer."""
    index = IdIndex(np.array([0, 1, 0, 0, 1]), np.array([9, 10**12, 10**12, 9, 10**12]))

    assert index.duplicates.tolist() == [3, 4]
    assert index.rows(np.array([0, 0, 1, 1]), np.array([9, 10**12, 10**12, 9])).tolist() == [0, 2, 1, -1]


# --- chains --------------------------------------------------------------------------------------


def test_causes_and_effects_of_a_call():
    """Outwards to who began it, inwards to all that sprang from it."""
    parent = np.array([-1, 0, 1, 1, -1, 3], np.int32)
    children = Groups(parent, 6)

    assert chain_of(parent, 5) == [5, 3, 1, 0]
    assert effects_of(children, 0) == [1, 2, 3, 5]
    assert effects_of(children, 0, limit=2) == [1, 2]
    assert top_calls(parent).tolist() == [0, 0, 0, 0, 4, 0]


@given(st.lists(st.integers(-1, 30), max_size=60))
def test_the_outermost_call_is_where_the_chain_ends(wanted):
    """Pointer doubling agrees with walking, at any depth."""
    parent = np.array([min(value, row - 1) for row, value in enumerate(wanted)], np.int32)
    assert top_calls(parent).tolist() == [chain_of(parent, row)[-1] for row in range(len(parent))]


def test_own_time_leaves_out_what_ran_inside():
    """A: 0–100 with B: 10–40 (with C: 20–30) and D: 50–60 inside; E after it."""
    starts, ends = np.array([0, 10, 20, 50, 100]), np.array([100, 40, 30, 60, 130])
    own, depth = nested_own_time(starts, ends)

    assert own.tolist() == [60, 20, 10, 10, 30]
    assert depth.tolist() == [0, 1, 2, 1, 0]


# --- ids -----------------------------------------------------------------------------------------


@pytest.mark.parametrize("scale", [1, 10**9], ids=["dense", "sparse"])
def test_rows_of_ids_by_peer(scale):
    """The same id of two peers is two things; absent and unknown ids are found nowhere."""
    peers = np.array([0, 0, 1, 1])
    ids = np.array([1, 3, 1, 2]) * scale
    index = IdIndex(peers, ids)

    asked_peers, asked_ids = np.array([0, 0, 1, 1, 1, 0, 7]), np.array([1, 3, 1, 2, 3, 2, 1]) * scale
    assert index.rows(asked_peers, asked_ids).tolist() == [0, 1, 2, 3, -1, -1, -1]
    assert index.rows(np.array([0]), np.array([0])).tolist() == [-1]


@given(st.lists(st.tuples(st.integers(0, 2), st.integers(0, 40)), max_size=60), st.sampled_from([1, 10**12]))
def test_the_first_of_duplicate_ids_is_found(pairs, scale):
    """Dense or sparse, the index agrees with a dictionary."""
    peers = np.array([peer for peer, _ in pairs], np.int64)
    ids = np.array([number * scale for _, number in pairs], np.int64)
    expected: dict[tuple[int, int], int] = {}
    for row, key in enumerate(zip(peers.tolist(), ids.tolist(), strict=True)):
        if key[1]:
            expected.setdefault(key, row)
    index = IdIndex(peers, ids)
    rows = index.rows(peers, ids).tolist()

    assert rows == [expected.get((peer, number), -1) for peer, number in zip(peers.tolist(), ids.tolist(), strict=True)]


@given(st.lists(st.integers(-1, 5), max_size=50))
def test_groups_hold_each_row_once_in_order(codes):
    """Negative codes are in no group."""
    groups = Groups(np.array(codes, np.int64), 6)
    for code in range(6):
        assert groups.rows(code).tolist() == [row for row, value in enumerate(codes) if value == code]


@given(st.lists(st.tuples(st.integers(-3, 3), st.integers(0, 10**15)), min_size=1, max_size=40))
def test_combinations_are_numbered_without_gaps(pairs):
    """Equal combinations share a number, different ones do not, however far apart the values."""
    columns = [np.array([pair[i] for pair in pairs], np.int64) for i in (0, 1)]
    codes, first = factorised(*columns)
    seen: dict[tuple[int, int], int] = {}
    for pair, code in zip(pairs, codes.tolist(), strict=True):
        assert seen.setdefault(pair, code) == code
    assert sorted(seen.values()) == list(range(len(seen)))
    assert [pairs[row] for row in first.tolist()] == [
        pair for pair, _ in sorted(seen.items(), key=lambda item: item[1])
    ]


def test_what_one_logical_event_called_on_other_peers():
    """By the key that its sends share, in time order; nothing where a call has no send, its send no key, or nobody else has it."""
    tape = Tape(peer="host").frame()
    bell = tape.bind("bell", "door#1", "Door.on_bell")
    tape.heard("bell", bell, net="a1")
    tape.heard("bell", bell)
    tape.heard("bell", bell, net="b2")
    tape.heard("bell", bell, net="a1")
    for peer, calls in (("guest", (2, 3)), ("late", (4,))):
        tape("head", opossum=1, game="test", peer=peer, p=peer)("frame", n=0, p=peer)
        tape("send", s=1, ev="bell", net="a1", p=peer)
        for number in calls:
            tape("call", c=number, s=1, o="door#1", fn="Door.on_bell", p=peer)("ret", c=number, p=peer)
    tape("call", c=9, s=77, o="door#1", fn="Door.on_bell")("ret", c=9)
    take = tape.take(bye=False)
    assert len(take.peers) == 3
    assert [same_on_other_peers(take, call) for call in range(8)] == [
        [4, 5, 6], [], [], [4, 5, 6], [0, 3, 6], [0, 3, 6], [0, 3, 4, 5], [],
    ]  # fmt: skip


def test_the_key_of_a_logical_event_may_be_the_first_text_of_a_stream():
    """Where no head came before it, and its event has the same name."""
    lines = [
        f'{{"k":"send","t":{peer},"p":"{peer}","s":1,"ev":"7","net":"7"}}\n'
        f'{{"k":"call","t":{peer},"p":"{peer}","c":1,"s":1,"o":"door#1","fn":"Door.on_bell"}}\n'
        for peer in (7, 8)
    ]
    take = read("".join(lines).encode())
    assert take.code("7") == 0
    assert [same_on_other_peers(take, call) for call in (0, 1)] == [[1], [0]]
