"""The sieve, the checks, writing a stream back, and following one that grows."""

from __future__ import annotations

import json

import numpy as np
import pytest

from opossum.stream.contents import StreamError
from opossum.stream.following import FollowedStream
from opossum.stream.writing import stream_lines
from opossum.take.checks import check_take
from opossum.take.sieve import (
    SieveError,
    Term,
    frame_budget_ns,
    parse_sieve,
    passes_by_name,
    sieve_calls,
    sieve_listeners,
)
from tape import Bound, Tape, read


@pytest.fixture(scope="module")
def kitchen():
    """Return a take with an oven and a cat, and what each of its five calls is."""
    tape = Tape(hz=50, phases=["input", "update"]).frame()
    tape("spawn", o="oven#1", cls="Oven")("spawn", o="cat#1", cls="Cat")
    oven = tape.bind("tick", "oven#1", "Oven.on_tick")
    cat = tape.bind("door_open", "cat#1", "Cat.on_door")
    tape.frame()("phase", name="input").heard("door_open", cat, via="input", key="E", edge="down")
    tape("phase", name="update").heard("tick", oven, eff=0, via="tick")
    tape.frame()("phase", name="update").heard("tick", oven, takes_ms=9, via="tick")
    tape("gone", o="cat#1").heard("door_open", cat)
    tape.frame().heard("tick", oven, eff=None, via="tick")
    return tape.take()


@pytest.mark.parametrize(
    ("text", "calls"),
    [
        ("", [0, 1, 2, 3, 4]),
        ("oven", [1, 2, 4]),
        ("OVEN", [1, 2, 4]),
        ("-oven", [0, 3]),
        ("door", [0, 3]),
        ("ev:tick", [1, 2, 4]),
        ("o:cat", [0, 3]),
        ("cls:Oven", [1, 2, 4]),
        ("fn:on_door", [0, 3]),
        ("via:tick", [1, 2, 4]),
        ("via:input", [0]),
        ("via:direct", [3]),
        ("phase:input", [0]),
        ("phase:update", [1, 2, 3]),
        ("frame:2", [2, 3]),
        ("frame:2-", [2, 3, 4]),
        ("frame:1-2", [0, 1, 2, 3]),
        ("peer:main", [0, 1, 2, 3, 4]),
        ("peer:guest", []),
        ("wasted", [1]),
        ("gone", [3]),
        ("slow", [2]),
        ("doubled", [4]),
        ("oven -wasted", [2, 4]),
        ("cat -gone frame:1", [0]),
        ("nothing-like-this", []),
    ],
)
def test_the_sieve_lets_through(kitchen, text, calls):
    """Words narrow together; a leading minus excludes."""
    doubled = np.array([False] * 4 + [True])
    assert np.flatnonzero(sieve_calls(kitchen, parse_sieve(text), doubled)).tolist() == calls


@pytest.mark.parametrize("word", ["ring", "left", "chime", "belfry", "-cat"])
def test_a_word_is_looked_for_in_every_name(word):
    """In the event's, the owner's, the function's and the class's: one of them is enough."""
    tape = Tape().frame()("spawn", o="left#1", cls="Belfry")("spawn", o="tom#1", cls="Cat")
    tape.heard("purr", tape.bind("purr", "tom#1", "Cat.on_purr"))
    tape.heard("ring", tape.bind("ring", "left#1", "on_chime"))
    take = tape.take()
    assert np.flatnonzero(sieve_calls(take, parse_sieve(word), np.zeros(2, bool))).tolist() == [1]


@pytest.mark.parametrize("texts", range(12))
def test_a_phase_that_does_not_come_lets_nothing_through(texts):
    """Whatever number its name would have; nor does any where none is told."""
    tape = Tape().frame()
    bound = tape.bind("tick", "oven#1", "Oven.on_tick")
    for number in range(texts):
        tape("say", text=f"text {number}")
    for phase in (None, "update"):
        tape("phase", name=phase) if phase else None
        tape.heard("tick", bound, via="tick")
        assert not sieve_calls(tape.take(), parse_sieve("phase:draw"), np.zeros(2, bool)).any()


def test_a_call_of_which_no_send_is_told_came_about_in_no_way():
    """No word for a way lets it through, and a word against one does not keep it out."""
    tape = Tape().frame()
    bound = tape.bind("tick", "oven#1", "Oven.on_tick")
    tape.heard("tick", bound, via="tick")
    tape.call(99, bound)
    take = tape.take()
    for text, calls in (("via:tick", [0]), ("via:direct", []), ("-via:tick", [1])):
        assert np.flatnonzero(sieve_calls(take, parse_sieve(text), np.zeros(2, bool))).tolist() == calls, text


def test_words_that_cannot_be_understood_are_said():
    """With what is known, or an example."""
    with pytest.raises(SieveError, match="`event:` is not known; use one of ev:, o:, cls:"):
        parse_sieve("event:tick")
    with pytest.raises(SieveError, match=r"^`frame:abc` is no frame; write frame:120 or frame:120-180$"):
        parse_sieve("frame:abc")
    assert parse_sieve("-ev:x -") == [Term("ev", "x", True), Term("any", "-", False)]
    assert parse_sieve("ev:door:open") == [Term("ev", "door:open", False)]
    assert parse_sieve("EV:Door") == [Term("ev", "door", False)] and parse_sieve("ev:") == []
    assert parse_sieve("-Gone") == [Term("gone", "", True)]


@pytest.mark.parametrize("word", ["ovens_:1", "ovens:1", "x:", "a_b:c"])
def test_a_short_prefix_that_is_none_is_refused(word):
    """Whoever wrote it meant a field."""
    with pytest.raises(SieveError, match=r"is not known; use one of ev:, o:, cls:, fn:, via:, phase:, peer:, frame:$"):
        parse_sieve(word)


@pytest.mark.parametrize("word", ["kitchen:1", "ovens_1:1", "Oven:1", "ab-c:1", ":1", "4:1"])
def test_a_name_may_have_a_colon(word):
    """It is longer than a field, or written as none is."""
    assert parse_sieve(word) == [Term("any", word.lower(), False)]


@pytest.mark.parametrize("word", ["frame:", "frame:-5", "frame:a-b", "frame:1-b"])
def test_a_frame_is_a_number_or_a_range(word):
    """And nothing else."""
    with pytest.raises(SieveError, match=f"`{word}` is no frame; write frame:120 or frame:120-180"):
        parse_sieve(word)


NAMES = {"event": "Door_open", "owner": "Cat#1", "function": "Cat.on_door", "cls": "Animal"}


@pytest.mark.parametrize(
    ("text", "passes"),
    [
        ("", True),
        ("door_o", True),
        ("cat#", True),
        ("on_door", True),
        ("animal", True),
        ("oven", False),
        ("ev:door", True),
        ("ev:cat", False),
        ("o:cat", True),
        ("o:door", False),
        ("fn:cat.on", True),
        ("fn:open", False),
        ("cls:ani", True),
        ("cls:cat", False),
        ("-cls:cat", True),
        ("-cat", False),
        ("cat oven", False),
        ("cat door", True),
        ("wasted", False),
        ("-wasted", True),
        ("cat -gone", True),
        ("via:tick", False),
        ("frame:1", False),
        ("-peer:main", True),
    ],
)
def test_what_was_never_called_passes_by_its_names(text, passes):
    """What only a call can be, it is not."""
    assert passes_by_name(parse_sieve(text), **NAMES) is passes


def test_what_has_no_names_passes_where_nothing_is_asked():
    """Or only that it be something else."""
    assert passes_by_name(parse_sieve("-cat"), event="door") and not passes_by_name(parse_sieve("cat"), event="door")


def test_what_has_no_name_at_all_holds_no_text():
    """Not even one letter."""
    assert not passes_by_name(parse_sieve("x")) and passes_by_name(parse_sieve("-x"))


def test_a_call_before_the_first_frame_is_in_none_of_them():
    """And the last of a range without an end is the last there is, however high its number."""
    tape = Tape()
    bell = tape.bind("bell", "cat#1", "Cat.on_bell")
    tape.heard("bell", bell)
    for number in (3, 1000):
        tape("frame", n=number).heard("bell", bell)
    take = tape.take()
    for text, calls in (("frame:0-", [1, 2]), ("frame:4-", [2]), ("-frame:3", [0, 2])):
        assert np.flatnonzero(sieve_calls(take, parse_sieve(text), np.zeros(3, bool))).tolist() == calls, text
    frameless = Tape()
    frameless.heard("bell", frameless.bind("bell", "cat#1", "Cat.on_bell"))
    assert sieve_calls(frameless.take(), parse_sieve("frame:0-"), np.zeros(1, bool)).tolist() == [False]


def test_without_frames_a_call_is_slow_beside_a_sixtieth_of_a_second():
    """Neither the head nor a frame tells another."""
    assert frame_budget_ns(Tape().take(), 0) == pytest.approx(1e9 / 60)


def test_the_frame_budget_comes_from_the_head_or_the_usual_frame(kitchen):
    """Fifty a second are twenty milliseconds."""
    assert frame_budget_ns(kitchen, 0) == 20e6
    assert frame_budget_ns(Tape().frames(9).take(), 0) == pytest.approx(16e6, rel=0.01)


# --- checks --------------------------------------------------------------------------------------


def codes(data: bytes) -> dict[str, int]:
    """Return how often each sort of damage is in a stream."""
    found: dict[str, int] = {}
    for item in check_take(read(data)):
        found[item.code] = found.get(item.code, 0) + item.count
    return found


def test_a_sound_take_has_no_damage(kitchen):
    """Nothing to complain of."""
    assert check_take(kitchen) == []


def test_what_does_not_add_up_is_counted():
    """Each sort by itself, with lines."""
    tape = Tape(head=False).frame()
    tape("send", s=1, ev="a")("send", s=1, ev="b")("call", c=1, s=9)("ret", c=7)("unbind", b=3)
    tape("frame", n=0)("lost", n=12)

    assert sorted(item.sentence for item in check_take(tape.take(bye=False))) == [
        "`call` that leaves out `fn`, as its `bind` does; it is shown without it",
        "`call` that leaves out `o`, as its `bind` does; it is shown without it",
        "`call` whose `s` names no `send` of the stream; it stands alone",
        "`ret` whose `c` names no `call` of the stream; it stands alone",
        "`send` whose id `s` was used before; references go to the first",
        "`unbind` whose `b` names no `bind` of the stream; it stands alone",
        "frame whose number came before; each is kept as a frame of its own",
        "peer `main` ends without `bye`: it was cut off, crashed or froze",
        "record that the recorder had to drop",
        "stream without a `head`: game, phases and nominal speed are unknown",
    ]
    assert codes(tape.bytes(bye=False)) == {
        "no-head": 1,
        "duplicate-id": 1,
        "dangling-id": 3,
        "unnamed": 2,
        "frame-repeats": 1,
        "no-bye": 1,
        "lost": 12,
    }


def test_calls_that_leave_out_whose_they_are_are_told_in_the_order_they_came():
    """Whichever listener each is of; not those whose bind tells it."""
    tape = Tape().frame()
    named, other, unnamed = (
        tape.bind(ev, owner, "Cat.on_it") for ev, owner in (("a", "cat#1"), ("b", None), ("c", None))
    )
    nobodys = tape.bind("d", None, "on_it")
    for bound in (unnamed, other, unnamed, named, nobodys):
        tape.heard(bound.event, Bound(bound.number, bound.event, None, bound.function))
    (item,) = check_take(tape.take())
    assert (item.code, item.count, item.lines) == ("unnamed", 3, [8, 11, 14])
    assert item.sentence == "`call` that leaves out `o`, as its `bind` does; it is shown without it"


def test_a_stream_that_ends_without_bye_is_damaged_at_its_last_line():
    """There is where to look."""
    (item,) = check_take(Tape().frame()("say", text="-").take(bye=False))
    assert (item.code, item.count, item.lines) == ("no-bye", 1, [3])


def test_a_stream_without_frames_is_said_to_be_one_stretch():
    """Of one without any record nothing is to be said."""
    (item,) = check_take(Tape()("say", text="-").take())
    assert (item.code, item.count, item.sentence) == (
        "no-frames",
        1,
        "stream without frames: all of it is shown as one stretch",
    )


def test_an_id_that_was_never_given_is_damage_from_the_first_on():
    """The least that an id may be is one."""
    (item,) = check_take(Tape().frame()("ret", c=1).take())
    assert (item.code, item.count, item.lines) == ("dangling-id", 1, [3])


def test_lines_of_damage_are_those_of_the_file():
    """The first lines of each sort are kept."""
    tape = Tape().frame()
    for _ in range(30):
        tape("ret", c=5)
    dangling = next(item for item in check_take(tape.take(bye=False)) if item.code == "dangling-id")

    assert dangling.count == 30
    assert dangling.lines == list(range(3, 23))
    assert "names no `call` of the stream" in dangling.sentence


# --- writing -------------------------------------------------------------------------------------


def test_a_take_becomes_the_same_stream_again(kitchen):
    """Record by record, in order, with nothing made up."""
    text = b"".join(stream_lines(kitchen.tables, kitchen.strings, kitchen.peers))
    again = read(text)

    assert again.records == kitchen.records
    assert list(stream_lines(again.tables, again.strings, again.peers)) == list(
        stream_lines(kitchen.tables, kitchen.strings, kitchen.peers)
    )
    records = [json.loads(line) for line in text.splitlines()]
    assert records[0] == {
        "k": "head",
        "t": 1000,
        "opossum": 1,
        "game": "test",
        "peer": "main",
        "hz": 50.0,
        "phases": ["input", "update"],
    }
    assert all("p" not in record for record in records)


def test_peers_are_named_where_there_are_several():
    """`p` is written only then."""
    tape = Tape(peer="host")("head", opossum=1, peer="guest", p="guest")("frame", n=0, p="guest")("frame", n=0)
    take = tape.take(bye=False)
    lines = [json.loads(line) for line in stream_lines(take.tables, take.strings, take.peers)]

    assert [line["p"] for line in lines] == ["host", "guest", "guest", "host"]


def test_a_take_without_records_is_an_empty_stream():
    """Nothing in, nothing out."""
    assert list(stream_lines(read(b"").tables, [], [])) == []


# --- following -----------------------------------------------------------------------------------


def test_a_growing_stream_is_read_on(tmp_path):
    """Portions may end anywhere; empty lines written ahead are waited through."""
    data = Tape().frame().frame().frame().bytes()
    path = tmp_path / "grow.flow.jsonl"
    followed = FollowedStream(str(path))
    path.write_bytes(data[:50])
    assert followed.read_more()
    path.write_bytes(data[:100] + b"\n" * 500)
    assert followed.read_more()
    path.write_bytes(data[:101])
    path.write_bytes(data + b"\n" * 3000)
    assert followed.read_more()
    assert not followed.read_more()

    assert followed.contents().records == read(data).records
    assert [item.code for item in followed.contents().damage] == []


def test_a_stream_that_became_shorter_is_another_recording(tmp_path):
    """Reading on would mix the two."""
    path = tmp_path / "grow.flow.jsonl"
    path.write_bytes(Tape().frame().bytes())
    followed = FollowedStream(str(path))
    followed.read_more()
    path.write_bytes(b"")
    with pytest.raises(StreamError, match="another recording has begun"):
        followed.read_more()
    with pytest.raises(StreamError, match="cannot be read"):
        FollowedStream(str(tmp_path / "none")).read_more()


@pytest.mark.parametrize(
    "text", ["", "oven", "-OVEN", "ev:tick -o:cat", "cls:cat fn:on_door", "o:oven ev:door_open", "-fn:x"]
)
def test_words_about_names_are_asked_of_listeners_alone(kitchen, text):
    """Which gives what asking every call does."""
    terms = parse_sieve(text)
    passed = sieve_listeners(kitchen, terms)
    calls = sieve_calls(kitchen, terms, np.zeros(len(kitchen.calls), bool))
    assert passed.dtype == bool and len(passed) == 2
    assert passed[kitchen.calls.listener].tolist() == calls.tolist()


@pytest.mark.parametrize(
    "text", ["wasted", "oven -gone", "doubled", "slow", "via:tick", "phase:update", "peer:main", "frame:2"]
)
def test_words_about_calls_cannot_be_asked_of_listeners(kitchen, text):
    """One such word is enough."""
    assert sieve_listeners(kitchen, parse_sieve(text)) is None
