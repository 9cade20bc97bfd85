"""Frames: where they begin, work and end, and what belongs to them."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.take.indexes.frames import STARTUP
from opossum.take.recording import parsed_list
from tape import Tape, read

MS = 1_000_000


def test_a_frame_works_from_its_beginning_to_idle():
    """The rest up to the next frame is waiting."""
    tape = Tape()("frame", n=0).ms(4)("idle").ms(12)("frame", n=1).ms(6)("idle").ms(10)("frame", n=2)
    frames = tape.take(bye=False).frames

    assert frames.number.tolist() == [0, 1, 2]
    assert (frames.work_ns / MS).round().tolist() == [4, 6, 0]
    assert ((frames.end_ns - frames.start_ns) / MS).round().tolist() == [16, 16, 0]
    assert frames.idle.tolist() == [True, True, False]


def test_without_idle_a_frame_lasts_to_the_next_one():
    """And nothing is loading but start-up."""
    frames = Tape()("frame", n=0).ms(16)("frame", n=1).ms(16)("frame", n=2).take(bye=False).frames

    assert (frames.work_ns / MS).round().tolist() == [16, 16, 0]
    assert not frames.loading.any()
    assert frames.settled.all()


def test_loading_ends_with_the_first_idle():
    """The frame that it ends is loading too; lengths are judged from the frame after it on."""
    frames = Tape()("frame", n=0)("frame", n=1)("idle")("frame", n=2)("idle").take(bye=False).frames

    assert frames.loading.tolist() == [True, True, False]
    assert frames.settled.tolist() == [False, False, True]


def test_what_comes_before_the_first_frame_is_start_up():
    """It is a frame of its own, so that every call has one."""
    tape = Tape()
    bound = tape.bind("open", "door#1", "Door.on_open")
    tape.heard("open", bound)
    tape.frame().heard("open", bound)
    take = tape.take()

    assert take.frames.number.tolist() == [STARTUP, 0]
    assert take.calls.frame.tolist() == [0, 1]


def test_a_stream_without_frames_is_one_stretch():
    """Nothing is lost of it."""
    tape = Tape()
    tape.heard("open", tape.bind("open", "door#1", "Door.on_open"))
    take = tape.take()

    assert take.frames.number.tolist() == [STARTUP]
    assert take.calls.frame.tolist() == [0]


def test_calls_between_idle_and_the_next_frame_belong_to_the_frame_before():
    """As the contract says."""
    tape = Tape().frame()
    bound = tape.bind("key", "till#1", "Till.on_key")
    tape("idle")
    tape.heard("key", bound)
    tape("frame", n=1)

    assert tape.take(bye=False).calls.frame.tolist() == [0]


def test_time_held_is_taken_off():
    """Also when the hold spans frames, or never ends."""
    tape = Tape()("frame", n=0).ms(2)("held").ms(50)("went").ms(1)("idle").ms(13)
    frames = tape("frame", n=1).ms(3)("held").ms(40).take(bye=False).frames

    assert (frames.held_ns / MS).round().tolist()[0] == 50
    assert (frames.work_ns / MS).round().tolist()[0] == 3
    assert (frames.work_ns / MS).round().tolist()[1] == 3


def test_phases_in_which_the_engine_waits_are_no_work():
    """Only those the head names."""
    tape = Tape(phases=["update", "draw"], waits=["draw"])("frame", n=0)("phase", name="update").ms(5)
    tape("phase", name="draw").ms(30)("phase", name="update").ms(2)("idle")

    assert (tape.take(bye=False).frames.work_ns / MS).round().tolist() == [7]


def test_a_frame_number_that_repeats_is_a_frame_of_its_own():
    """Both are kept."""
    assert Tape().frame()("idle")("frame", n=0)("idle")("frame", n=0).take(bye=False).frames.number.tolist() == [
        0,
        0,
        0,
    ]


def test_time_that_runs_backwards_makes_no_frame_of_negative_length():
    """What is drawn must not go backwards."""
    data = b'{"k":"head","opossum":1,"t":0}\n{"k":"frame","n":0,"t":100}\n{"k":"frame","n":1,"t":50}\n{"k":"idle","t":40}\n{"k":"frame","n":2,"t":300}\n'
    frames = read(data).frames

    assert (np.diff(frames.start_ns) >= 0).all()
    assert (frames.work_ns >= 0).all()
    assert (frames.end_ns >= frames.start_ns).all()


def test_each_peer_has_frames_of_its_own():
    """Their rows follow one another, peer by peer."""
    tape = Tape(peer="host")
    tape("head", opossum=1, peer="guest", p="guest")
    for n in range(3):
        tape("frame", n=n)("frame", n=n + 100, p="guest")
    frames = tape.take(bye=False).frames

    assert frames.number[frames.of_peer(0)].tolist() == [0, 1, 2]
    assert frames.number[frames.of_peer(1)].tolist() == [100, 101, 102]
    assert frames.rows_of_lines(np.array([1, 0]), np.array([6, 6])).tolist() == [4, 1]


@pytest.mark.parametrize(
    ("text", "names"), [('["a","b"]', ["a", "b"]), ('["a",1]', ["a"]), ("{}", []), ("", []), ("nonsense", [])]
)
def test_names_of_phases_survive_whatever_the_head_says(text, names):
    """A list of names, or none."""
    assert parsed_list(text) == names
