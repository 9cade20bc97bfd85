"""Which call ran innermost on a thread when a line was written."""

from __future__ import annotations

import random

import numpy as np
import pytest

from opossum.take.moment import call_around
from opossum.take.nesting import Nesting
from tape import Tape


def test_the_call_around_a_line_is_found_for_many_at_once(night):
    """The same as asking for one after another."""
    take = night()
    nesting = Nesting(take)
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
    assert Nesting(take).call_at(spawn["p"], spawn["th"], spawn["line"]).tolist() == [-1, 0]


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
    assert Nesting(take).call_at(say["p"], say["th"], say["line"]).tolist() == expected


def test_nothing_asked_and_nothing_called():
    """An answer of the same length."""
    take = Tape().frame()("say", text="x").take()
    say = take.tables["say"]
    assert Nesting(take).call_at(say["p"], say["th"], say["line"]).tolist() == [-1]
    assert len(Nesting(take).call_at(say["p"][:0], say["th"][:0], say["line"][:0])) == 0
