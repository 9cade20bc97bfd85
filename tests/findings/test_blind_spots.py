"""Finding nothing is no all-clear: what a take does not tell is said, with what to do about it."""

from __future__ import annotations

import pytest

from opossum.findings.blind_spots import blind_spots, error_that_ended, heard_by_nobody
from tape import Bound, Stage, Tape


def full() -> Stage:
    """Return a game that tells everything."""
    stage = Stage(engine="bakery loop")
    stage.spawn("cat#1", "Cat")
    bound = stage.bind("tick", "cat#1", "Cat.on_tick")
    other = stage.bind("purr", "cat#1", "Cat.on_purr")
    stage.each(lambda number: stage.heard("tick", bound, via="tick"))
    stage.at(5, do=lambda: stage.heard("purr", other))
    return stage


def test_a_game_that_tells_everything_has_none(night):
    """Nor has the bakery."""
    assert blind_spots(full().run(20).take()) == []
    assert blind_spots(night(seconds=10.0)) == []


@pytest.mark.parametrize(
    ("kind", "said"),
    [
        (
            "frame",
            "No frames were recorded, so all of it counts as loading, which is not judged: let the game's loop tell "
            "`frame` and `idle`, or name the function of each turn (`opossum record --frame MODULE:FUNCTION`).",
        ),
        (
            "call",
            "No call of a listener was recorded: who heard what is not known; let the dispatcher tell its calls, or "
            "decorate listeners with `@recorder.listener`.",
        ),
        (
            "bind",
            "Nothing is known to be bound, so what is bound twice, past its owner's life or too late cannot be found: "
            "let whoever binds tell `bind` and `unbind`.",
        ),
        (
            "spawn",
            "No lives of objects were recorded, so what outlives its owner cannot be found: let `spawn` and `gone` be told.",
        ),
    ],
)
def test_what_is_missing_is_said(kind, said):
    """One sentence each, and what to do."""
    stage = full().run(20)
    gone = {"call": ("call", "ret")}.get(kind, (kind,))
    stage.lines = [line for line in stage.lines if not any(f'"k":"{name}"' in line for name in gone)]
    (spot,) = blind_spots(stage.take())
    assert spot == said


def test_calls_that_do_not_tell_whose_they_are_are_counted():
    """Neither they nor their binds; a function that is nobody's has nothing to tell."""
    stage = full()
    mop, bell = stage.bind("tick", None, "Mop.on_tick"), stage.bind("tick", None, "on_tick")
    stage.at(3, do=lambda: stage.heard("tick", mop, bell, via="tick"))
    (spot,) = blind_spots(stage.run(20).take())
    assert spot == (
        "Whose function ran, or which, is not told for 1 call of 23: what of them belongs together is not known, so what "
        "is bound twice or runs in a wrong phase may not be found; let `call` or its `bind` tell `o` and `fn`."
    )


def test_effects_and_single_functions_and_plain_engines():
    """The rest of them."""
    stage = Stage(engine="bakery loop")
    stage.spawn("cat#1", "Cat")
    bound = Bound(0, "tick", "cat#1", "Cat.on_tick")
    stage.each(lambda number: stage.heard("tick", bound, eff=None, via="tick"))
    spots = blind_spots(stage.run(20).take())
    assert [spot.partition(" ")[0] for spot in spots] == ["Only", "Nothing", "What"]
    assert spots[0] == (
        "Only one function was ever seen to run (Cat.on_tick): the game's own ones are not seen; let its dispatcher tell "
        "them, or decorate them with `@recorder.listener`."
    )
    assert spots[2] == (
        "What calls changed is not known, so polling for nothing cannot be told from work: let `ret` tell `eff`."
    )

    plain = Tape(engine="Python").frame().frame()
    plain.send("bell")
    assert blind_spots(plain.take())[0].startswith(
        "No call of a listener was recorded and no engine was recognised: who heard what"
    )
    assert heard_by_nobody(plain.take()) == [("bell", 1)]


def test_what_nobody_heard_is_counted_by_its_name():
    """The most frequent first; what somebody heard is not counted."""
    tape = Tape().frame()
    bell = tape.bind("bell", "cat#1", "Cat.on_bell")
    for event in ("rain", "bell", "wind", "rain"):
        tape.send(event)
    tape.heard("bell", bell)
    assert heard_by_nobody(tape.take()) == [("rain", 2), ("bell", 1), ("wind", 1)]


@pytest.mark.parametrize(("told", "missing"), [({"eff": 0}, False), ({"own": 0}, False), ({}, True)])
def test_that_something_changed_nothing_is_known_too(told, missing):
    """A game in which no call ever changed anything tells what calls change."""
    tape = Tape().frame()
    bell = tape.bind("bell", "cat#1", "Cat.on_bell")
    tape("ret", c=tape.open_call(tape.send("bell"), bell), **told)
    assert any(spot.startswith("What calls changed is not known") for spot in blind_spots(tape.take())) is missing


def test_an_empty_stream_says_so():
    """Before anything else."""
    assert blind_spots(Tape(head=False).take(bye=False)) == [
        "Nothing was recorded: see that the game runs under the recorder and reaches its loop."
    ]


@pytest.mark.parametrize(
    ("lost", "said"), [([], ""), ([0], ""), ([1], "1 record was"), ([70_000, 2], "70,002 records were")]
)
def test_what_was_lost_is_said(lost, said):
    """With how much it was, first of all."""
    stage = full()
    for number in lost:
        stage.at(7, do=lambda number=number: stage("lost", n=number))
    spots = blind_spots(stage.run(20).take())
    rest = (
        " lost while it was recorded: the frames they are missing from are not judged, and what is told of what did not "
        "come may be wrong there; free some space, or record less."
    )
    assert spots == ([said + rest] if said else [])


def test_the_error_that_ended_a_game_is_its_last_line():
    """Of the last error logged; a game that was closed on purpose, or that only warned, died of none."""
    tape = Tape().frame()("say", text="KeyError: 'tin'", level="error")(
        "say", text="  Traceback …\nZeroDivisionError: x\n ", level="error"
    )
    tape("say", text="late", level="warning")
    assert error_that_ended(tape.take(bye=False)) == "ZeroDivisionError: x"
    assert error_that_ended(tape.take()) == ""
    assert error_that_ended(Tape().frame()("say", text="x", level="warning").take(bye=False)) == ""
    assert error_that_ended(Tape().frame()("say", text=" ", level="error").take(bye=False)) == ""
    assert error_that_ended(Tape().frame()("send", s=1, ev="error").take(bye=False)) == ""
    assert error_that_ended(Tape(head=False)("say", text="error", level="error").take(bye=False)) == "error"
    for text, error in (("nan along X", "nan along X"), ("boom\n \nstack traceback:\n\tmain.lua:3", "boom")):
        assert error_that_ended(Tape().frame()("say", text=text, level="error").take(bye=False)) == error


@pytest.mark.parametrize(
    ("text", "error"),
    [
        (
            "Traceback (most recent call last):\n  File 'a.py', line 3, in <module>\n    x()\n    ~^^\n"
            "AttributeError: no `int` here.\nUse `int` by itself.\n\nMore is told at:\n    https://example.org/notes",
            "AttributeError: no `int` here.",
        ),
        (
            "Traceback (most recent call last):\n  File 'a.py', line 3, in f\nKeyError: 'oven'\n\nDuring handling of the above "
            "exception, another exception occurred:\n\nTraceback (most recent call last):\n  File 'a.py', line 5, in g\n"
            "bakery.Burnt: the bread\nis black",
            "bakery.Burnt: the bread",
        ),
        ("main.lua:3: attempt to index nil\nstack traceback:\n  main.lua:9", "main.lua:3: attempt to index nil"),
        ("stopped\nstack traceback:\n  a.lua:1\nstack traceback:\n  b.lua:2", "stopped"),
        ("Traceback (most recent call last):\n  File 'a.py', line 3", "  File 'a.py', line 3"),
        ("Traceback (most recent call last):\n  File 'a.py', line 3, in f\nE", "E"),
    ],
)
def test_what_was_raised_is_told_in_a_line(text, error):
    """Of an error that says more, its first line; of several, the last."""
    assert error_that_ended(Tape().frame()("say", text=text, level="error").take(bye=False)) == error
