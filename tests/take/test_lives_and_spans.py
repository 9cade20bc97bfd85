"""Lives of objects and listeners, and things that last: timers, clips, waits, queues."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.take.indexes.marks import SAME_PLACE_S
from opossum.take.indexes.objects import ALIVE, GONE, NEVER, UNKNOWN
from opossum.take.lives import Lives
from opossum.take.pauses import paused_stretches
from tape import Tape


def state(take, name: str, line: int) -> int:
    """Return what is known of an object at a line."""
    return int(take.objects.state_at(np.array([0]), np.array([take.code(name)]), np.array([line]))[0])


def test_an_object_is_alive_between_spawn_and_gone():
    """And again after it was born again; what was never spawned is unknown."""
    tape = Tape()("spawn", o="cat#1", cls="Cat")("gone", o="cat#1")("say", text="-")("spawn", o="cat#1", cls="Cat")
    take = tape("gone", o="ghost#1").take(bye=False)

    assert [state(take, "cat#1", line) for line in (1, 2, 3, 4, 5, 9)] == [ALIVE, ALIVE, GONE, GONE, ALIVE, ALIVE]
    assert state(take, "ghost#1", 9) == UNKNOWN
    assert take.objects.spans(0, take.code("cat#1")) == [(2, 3), (5, NEVER)]
    assert take.class_of(take.code("cat#1")) == "Cat"


def test_an_object_that_goes_twice_went_the_first_time():
    """And one that went before it came had no life before."""
    tape = Tape()("gone", o="cat#1")("spawn", o="cat#1", cls="Cat")("gone", o="cat#1")("say", text="-")(
        "gone", o="cat#1"
    )
    take = tape.take(bye=False)
    assert take.objects.spans(0, take.code("cat#1")) == [(3, 4)]
    assert take.objects.lives(0, take.code("cat#1")) == [(3000, 4000)]


def test_the_class_of_an_object_without_spawn_is_read_from_its_name():
    """`oven#2` is an oven until told otherwise."""
    take = Tape()("say", text="-", o="oven#2").take(bye=False)

    assert take.class_of(take.code("oven#2")) == "oven"
    assert take.class_of(-1) == ""


def test_the_next_end_of_an_object():
    """From a line on, by name and peer."""
    take = Tape()("spawn", o="a#1")("gone", o="a#1")("spawn", o="a#1")("gone", o="a#1").take(bye=False)
    name = np.array([take.code("a#1")] * 3)
    lines, times = take.objects.next_gone(np.zeros(3, int), name, np.array([1, 3, 5]))

    assert lines.tolist() == [3, 5, NEVER]
    assert times.tolist() == [3000, 5000, NEVER]


def test_binds_know_their_own_end_and_their_owners():
    """Never, where it does not come."""
    tape = Tape()("spawn", o="cat#1", cls="Cat")
    first = tape.bind("open", "cat#1", "Cat.on_open")
    tape.bind("open", "dog#1", "Dog.on_open", src="cat#1")
    tape("unbind", b=first.number)("gone", o="cat#1")
    binds = tape.take(bye=False).binds

    assert binds.unbind_line.tolist() == [5, NEVER]
    assert binds.owner_gone_line.tolist() == [6, NEVER]
    assert binds.source_gone_line.tolist() == [NEVER, 6]
    assert binds.same[0] != binds.same[1]


def test_timers_and_delays_know_their_firings_and_ends():
    """A delay ends when it fires, even if it is disarmed after the calls it made."""
    tape = Tape().frame()
    look = tape.bind("look", "cat#1", "Cat.on_look")
    timer = tape.arm("timer", "cat#1", "look")
    delay = tape.arm("delay", "cat#1", "look")
    for a, via in ((timer, "timer"), (delay, "delay"), (timer, "timer")):
        tape.heard("look", look, via=via, a=a)
    tape("disarm", a=delay, how="done")
    take = tape.take(bye=False)
    sends = take.tables["send"]

    assert take.arms.firings.sizes().tolist() == [2, 1]
    assert take.arms.end_ns[0] == NEVER
    assert take.arms.end_ns[1] == sends["t"][1]


def test_an_arm_without_an_event_takes_that_of_its_first_firing():
    """Some engines name only the function."""
    tape = Tape().frame()("arm", a=1, what="timer", o="cat#1", loop=True, sec=1)
    tape.send("meow", via="timer", a=1)
    take = tape.take(bye=False)

    assert take.text(int(take.arms.event[0])) == "meow"


def test_pauses_of_a_timer():
    """Held and released, or held to the end."""
    tape = Tape()("arm", a=1, what="timer", o="x", ev="e", loop=True, sec=1)
    tape.ms(1)("pause", a=1).ms(2)("resume", a=1).ms(1)("pause", a=1).ms(3)
    spans = paused_stretches(tape("say", text="end").take(bye=False), 0)

    assert [round((end - begin) / 1e6) for begin, end in spans] == [2, 3]


def test_a_timer_may_be_armed_paused():
    """Until it is resumed; what happens to another timer is not its own."""
    tape = Tape()("arm", a=1, what="timer", o="x", ev="e", loop=True, sec=1, paused=True)
    tape("arm", a=2, what="timer", o="x", ev="e", loop=True, sec=1)("pause", a=2)
    tape.ms(5)("resume", a=1).ms(1)("resume", a=1).ms(1)
    take = tape("say", text="end").take(bye=False)

    assert [round((end - begin) / 1e6) for begin, end in paused_stretches(take, 0)] == [5]
    assert [round((end - begin) / 1e6) for begin, end in paused_stretches(take, 1)] == [7]


def test_clips_know_their_marks_firings_and_how_they_stopped():
    """Ill-formed marks are left out."""
    tape = Tape().frame()
    tape("play", y=1, o="baker#1", clip="knead", len=2.0, marks=[["press", 0.4], ["fold", 1.2], ["bad"], 7])
    s = tape.send("press", via="clip", y=1, mark="press", pos=0.41)
    take = tape.ms(500)("stop", y=1, how="cut", pos=0.5).take(bye=False)

    marks = take.marks
    assert list(zip(map(marks.text_of, marks.name), marks.seconds, strict=True)) == [("press", 0.4), ("fold", 1.2)]
    assert take.plays.fired.rows(0).tolist() == [take.send_ids.rows(np.array([0]), np.array([s]))[0]]
    assert take.text(int(take.tables["stop"]["how"][take.plays.stop[0]])) == "cut"
    assert take.plays.end_ns[0] == take.tables["stop"]["t"][0]


def test_waits_end_in_what_met_them_or_in_nothing():
    """Met, given up, or still open at the end."""
    tape = Tape().frame()
    for w in (1, 2, 3):
        tape("wait", w=w, o="customer#1", ev="served")
    s = tape.send("served")
    take = tape("met", w=1, s=s)("quit", w=2).take(bye=False)

    assert (take.waits.met >= 0).tolist() == [True, False, False]
    assert take.waits.quit.tolist() == [False, True, False]
    assert take.waits.end_ns[2] == take.peers[0].last_t


def test_a_queue_grows_by_puts_and_shrinks_by_pulls():
    """Each queue by itself, never below nothing."""
    tape = Tape().frame()
    for q, k in (("a", "put"), ("b", "put"), ("a", "put"), ("a", "pull"), ("b", "pull"), ("b", "pull")):
        tape(k, q=q, s=1)
    take = tape.take(bye=False)
    queues = take.queues
    lengths = {take.text(int(name)): queues.length[queues.name == name].tolist() for name in np.unique(queues.name)}

    assert lengths == {"a": [1, 2, 1], "b": [1, 0, 0]}


def test_which_life_of_an_object_is_meant():
    """The last that began; the first that will where it is used while it is being made; none where none is told."""
    tape = Tape()("say", text="-", o="cat#1")("spawn", o="cat#1", cls="Cat")("say", text="-", o="cat#1")
    tape("gone", o="cat#1")("spawn", o="dog#1", cls="Dog")("spawn", o="cat#1", cls="Cat")("say", text="-", o="dog#1")
    take = tape.take(bye=False)
    cat, dog, zero = take.code("cat#1"), take.code("dog#1"), np.zeros(6, np.int64)
    lives = Lives(take)

    assert lives.at(zero, np.full(6, cat), np.array([1, 2, 3, 4, 6, 7])).tolist() == [0, 0, 0, 0, 0, 2]
    assert lives.at(zero, np.array([cat, dog, dog, dog, -1, take.code("-")]), np.array([8, 2, 5, 9, 4, 4])).tolist() == [
        2, 1, 1, 1, -1, -1,
    ]  # fmt: skip
    assert lives.at(zero[:1] + 1, np.array([cat]), np.array([4])).tolist() == [-1]
    assert take.objects.lives(0, cat) == [(3000, 5000), (7000, NEVER)]
    assert take.objects.lives(0, dog) == [(6000, NEVER)] and take.objects.lives(1, cat) == []


def test_the_first_arm_and_the_first_event_count_like_any_other():
    """An arm's first end is its end; the event of one that told none is that of its first firing, of one that did its own."""
    tape = Tape()("say", text="drip").frame()
    tape("arm", a=1, what="timer", o="tap#1", loop=True, sec=0.1, ev="drip")
    tape("arm", a=2, what="timer", o="tap#1", loop=True, sec=0.1)
    tape("arm", a=3, what="delay", o="tap#1", loop=False, sec=0.1)
    tape("send", s=1, ev="drop", via="timer", a=1)("send", s=2, ev="drop", via="timer", a=2)
    tape("send", s=3, ev="drip", via="delay", a=3)("send", s=4, ev="drop", via="delay", a=3)
    tape("disarm", a=1, how="cleared")("disarm", a=1, how="done")("disarm", a=3, how="done")("disarm", a=9, how="done")
    take = tape.take(bye=False)

    assert [take.text(int(code)) for code in take.arms.event] == ["drip", "drop", "drip"]
    assert take.arms.end_line.tolist() == [11, NEVER, 10]
    assert take.arms.end_ns.tolist() == [11_000, NEVER, 10_000]
    assert [take.arms.firings.rows(arm).tolist() for arm in range(3)] == [[0], [1], [2, 3]]


@pytest.mark.parametrize(
    ("told", "paired"),
    [
        ((1.0, 2.0), [0, 1]),
        ((1.0 - SAME_PLACE_S, 2.0 + SAME_PLACE_S), [0, 1]),
        ((1.0 - 1.01 * SAME_PLACE_S, 2.0 + 1.01 * SAME_PLACE_S), [-1, 0]),
        ((1.0, 1.0), [-1, 0]),
        ((None, None), [-1, 0]),
    ],
    ids=["both", "nearly", "not quite", "one for both", "none"],
)
def test_a_send_that_tells_a_marks_place_is_that_marks(told, paired):
    """However late; one that tells none, or the same as others, is the nearest's, and of several the first counts."""
    tape = Tape()
    tape.frame()("play", y=1, o="cook#1", clip="stir", len=9.0, marks=[["turn", 1.0], ["turn", 2.0]])
    for place in told:
        tape.ms(3000).send("turn", via="clip", y=1, mark="turn", pos=place)
    assert tape.take().marks.send.tolist() == paired


def test_marks_of_some_plays_are_those_of_their_first_round():
    """Each once, in their own order; a clip that loops has its marks again in each round."""
    tape = Tape(hz=60).frame()
    for number, loop in ((1, True), (2, None), (3, None)):
        tape("play", y=number, o=f"cook#{number}", clip="stir", len=1.0, loop=loop, marks=[["turn", 0.2], ["tap", 0.6]])
    for _ in range(3):
        tape.ms(200).send("turn", via="clip", y=1, mark="turn", pos=0.2)
        tape.ms(800).frame()
    take = tape.take()
    marks = take.marks
    assert len(marks.play) > 6  # rounds of the first
    for plays in ([0], [0, 2], [2, 0], [], [1]):
        found = marks.of_plays(np.array(plays, np.int64))
        assert marks.play[found].tolist() == [play for play in sorted(plays) for _ in range(2)]
        assert [marks.text_of(int(marks.name[row])) for row in found] == ["turn", "tap"] * len(plays)
