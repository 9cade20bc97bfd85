"""Which call ran innermost on a thread when a line was written."""

from __future__ import annotations

import random

import numpy as np
import pytest

from opossum.take.indexes.nesting import Nesting
from opossum.take.moment import call_around
from tape import Tape


def test_the_call_around_a_line_is_found_for_many_at_once(night):
    """The same as asking for one after another."""
    take = night()
    nesting = Nesting(take.recording, take.calls.ret)
    table = take.tables["arm"]
    peers, threads, lines = (np.asarray(table[name]) for name in ("p", "th", "line"))
    asked = [call_around(take, *where) for where in zip(peers.tolist(), threads.tolist(), lines.tolist(), strict=True)]
    assert nesting.call_at(peers, threads, lines).tolist() == asked
    assert max(asked) > 0


def test_calls_of_another_thread_enclose_nothing():
    """And a call that never returned goes on to the end."""
    tape = Tape().frame()
    one = tape.bind("a", "x#1", "X.on_a")
    tape.open_call(tape.send("a"), one)
    tape("spawn", o="y#1", cls="Y", th="other")
    tape("spawn", o="z#1", cls="Z")
    take = tape.take()
    spawn = take.tables["spawn"]
    assert Nesting(take.recording, take.calls.ret).call_at(spawn["p"], spawn["th"], spawn["line"]).tolist() == [-1, 0]


@pytest.mark.parametrize("seed", range(12))
def test_calls_that_enclose_each_other_on_three_threads(seed):
    """As a stack for each thread would tell it, whatever overlaps between threads and whatever never returns."""
    chance = random.Random(seed)
    tape = Tape().frame()
    bound = tape.bind("a", "x#1", "X.on_a")
    stacks: dict[str, list[int]] = {"main": [], "left": [], "right": []}
    expected = []
    calls = 0
    for _ in range(200):
        thread = chance.choice(list(stacks))
        stack, told = stacks[thread], None if thread == "main" else thread
        step = chance.random()
        if step < 0.3:
            tape.call(tape.send("a", th=told), bound, returns=False, th=told)
            calls += 1
            stack.append(calls)
        elif step < 0.55 and stack:
            tape("ret", c=stack.pop(), th=told)
        else:
            tape("say", text="here", th=told)
            expected.append(stack[-1] - 1 if stack else -1)
    take = tape.take()
    say = take.tables["say"]
    assert Nesting(take.recording, take.calls.ret).call_at(say["p"], say["th"], say["line"]).tolist() == expected


def test_nothing_asked_and_nothing_called():
    """An answer of the same length."""
    take = Tape().frame()("say", text="x").take()
    say = take.tables["say"]
    assert Nesting(take.recording, take.calls.ret).call_at(say["p"], say["th"], say["line"]).tolist() == [-1]
    assert len(Nesting(take.recording, take.calls.ret).call_at(say["p"][:0], say["th"][:0], say["line"][:0])) == 0


def test_in_which_call_a_timer_was_set_is_read_by_nesting_where_it_is_not_told():
    """The innermost call of the same frame and thread; a call that was suspended in an earlier frame does not count."""
    tape = Tape().frame()
    outer, inner = tape.bind("a", "x#1", "X.on_a"), tape.bind("b", "x#1", "X.on_b")
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True)
    tape.open_call(tape.send("a"), outer)
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True)
    last = tape.open_call(tape.send("b"), inner)
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True)
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True, th="other")
    tape("ret", c=last, eff=1)("play", y=1, o="x#1", clip="walk", len=1.0, marks=[])
    tape.frame()
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True)
    take = tape.take()
    assert take.arms.cause.tolist() == [-1, 0, 1, -1, -1]
    assert take.plays.cause.tolist() == [0]


def test_each_peer_is_asked_for_itself():
    """What tells its call is believed; what does not is looked for among its own peer's calls."""
    tape = Tape().frame()("head", opossum=1, peer="guest", p="guest")("frame", n=0, p="guest")
    bound = tape.bind("a", "x#1", "X.on_a")
    first = tape.open_call(tape.send("a"), bound)
    tape("send", s=1, ev="a", p="guest")("call", c=1, s=1, o="y#1", fn="Y.on_a", p="guest")
    tape.open_call(tape.send("a"), bound)
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True, c=first)
    tape.arm("timer", "x#1", "tick", sec=1.0, loop=True)
    tape("arm", a=1, what="timer", o="y#1", sec=1.0, loop=True, p="guest")
    take = tape.take()
    assert take.arms.cause.tolist() == [0, 2, 1]


def test_sends_of_a_peer_that_tells_no_call_are_read_by_nesting():
    """One that tells some of its sends is believed of all; another peer is asked for itself."""
    tape = Tape().frame()
    bound = tape.bind("a", "x#1", "X.on_a")
    tape("send", s=90, ev="a")
    tape.open_call(90, bound)
    tape("send", s=91, ev="a")
    tape("send", s=92, ev="a", th="other")
    lines = list(tape.lines)
    assert tape.take().sends.cause.tolist() == [-1, 0, -1]
    assert tape.take().calls.parent.tolist() == [-1]

    tape.lines = [*lines]
    tape.open_call(91, bound)
    assert tape.take().calls.parent.tolist() == [-1, 0]
    tape("send", s=93, ev="b", c=1)("send", s=94, ev="b")
    assert tape.take().sends.cause.tolist() == [-1, -1, -1, 0, -1]


def test_a_call_that_comes_after_a_send_is_not_its_cause():
    """Whatever the send says: kept, it could close a circle."""
    tape = Tape().frame()
    bound = tape.bind("a", "x#1", "X.on_a")
    first = tape.open_call(tape.send("a"), bound)
    tape("send", s=80, ev="b", c=first)("send", s=81, ev="b", c=first + 1)
    assert tape.open_call(80, bound) == first + 1
    assert tape.take().sends.cause.tolist() == [-1, 0, -1]


def test_an_event_storm_is_seen_though_no_send_tells_its_call():
    """The cycle is named as if they told."""
    tape = Tape().frames(30)
    one, two = tape.bind("a", "x#1", "X.on_a"), tape.bind("b", "y#1", "Y.on_b")
    tape("frame", n=31)
    open_calls = []
    for number in range(40):
        bound = (one, two)[number % 2]
        s = tape.number("s")
        tape("send", s=s, ev=bound.event)
        open_calls.append(tape.open_call(s, bound))
        tape.ms(10)
    for c in reversed(open_calls):
        tape("ret", c=c, eff=1)
    tape("idle")
    assert "event-storm" in [finding.cause for finding in tape.found("freeze")]


def test_a_clip_beyond_all_calls_is_within_none_of_them():
    """However many lines come between: lines are kept as small as they are."""
    tape = Tape().frame()
    tape.call(tape.send("a"), tape.bind("a", "x#1", "X.on_a"))
    for number in range(40_000):
        tape("say", text=str(number))
    tape("play", y=1, o="x#1", clip="walk", len=1.0, marks=[])
    take = tape.take()
    assert take.tables["call"]["line"].dtype.itemsize < take.tables["play"]["line"].dtype.itemsize
    assert take.plays.cause.tolist() == [-1]
