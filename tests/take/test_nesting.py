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
    nesting = Nesting(take.recording, take.calls)
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
    assert Nesting(take.recording, take.calls).call_at(spawn["p"], spawn["th"], spawn["line"]).tolist() == [-1, 0]


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
    assert Nesting(take.recording, take.calls).call_at(say["p"], say["th"], say["line"]).tolist() == expected


def test_nothing_asked_and_nothing_called():
    """An answer of the same length."""
    take = Tape().frame()("say", text="x").take()
    say = take.tables["say"]
    assert Nesting(take.recording, take.calls).call_at(say["p"], say["th"], say["line"]).tolist() == [-1]
    assert len(Nesting(take.recording, take.calls).call_at(say["p"][:0], say["th"][:0], say["line"][:0])) == 0


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
