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
    """A first frame loads, though nothing tells when that is over; the only one may be what it froze in."""
    frames = Tape()("frame", n=0).ms(16)("frame", n=1).ms(16)("frame", n=2).take(bye=False).frames

    assert (frames.work_ns / MS).round().tolist() == [16, 16, 0]
    assert frames.loading.tolist() == [True, False, False]
    assert frames.settled.tolist() == [False, True, True]
    assert Tape()("frame", n=0).ms(16).take(bye=False).frames.settled.all()


def last_frame(close, bye=True):
    """Return the length in ms of a last frame that works for 3 ms; `close` does what comes after."""
    tape = Tape()("frame", n=0)("idle").ms(16)("frame", n=1).ms(3)("watch", o="lamp", name="lit", v=1)
    close(tape)
    return round(int(tape.take(bye=bye).frames.work_ns[-1]) / MS)


def test_what_a_game_takes_to_close_in_the_middle_of_a_frame_is_no_work():
    """Two seconds at most: whoever takes longer hangs."""
    assert last_frame(lambda tape: tape.ms(400)) == 3
    assert last_frame(lambda tape: tape.ms(1999)) == 3
    assert last_frame(lambda tape: tape.ms(2000)) == 2003


def test_a_last_frame_ends_with_its_stream_where_the_game_did_not_close_itself_outside_calls():
    """Without `bye` it was killed, with `idle` it was over, and time in an open call is that call's."""
    assert last_frame(lambda tape: tape.ms(400)("watch", o="lamp", name="lit", v=0).ms(100), bye=False) == 403
    assert last_frame(lambda tape: tape.ms(400)("idle").ms(400)) == 403
    assert last_frame(lambda tape: tape("call", c=9, s=1, o="lamp", fn="Lamp.on").ms(400)) == 403
    assert last_frame(lambda tape: tape("call", c=9, s=1, o="lamp", fn="Lamp.on").ms(400)("ret", c=9).ms(50)) == 403


def test_a_last_frame_that_ends_before_it_began_did_no_work():
    """A stream may go backwards in time; what is drawn must not."""
    assert last_frame(lambda tape: tape.ms(-30)("watch", o="lamp", name="lit", v=0)) == 0
    assert last_frame(lambda tape: tape.ms(-30)("watch", o="lamp", name="lit", v=0).ms(500)) == 0


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


# --- what is work --------------------------------------------------------------------------------


def test_a_peers_idle_does_not_end_another_peers_waiting():
    """Each peer waits by its own head's `waits`, up to its own next phase or idle."""
    tape = Tape(peer="host", phases=["update", "draw"], waits=["draw"])
    tape("head", opossum=1, peer="guest", p="guest")
    tape("frame", n=0)("idle")("frame", n=1)("phase", name="update").ms(3)("phase", name="draw").ms(5)
    tape("frame", n=0, p="guest").ms(2)("idle", p="guest").ms(290)("idle")
    frames = tape.take(bye=False).frames
    assert (frames.work_ns[frames.of_peer(0)] / MS).round().tolist() == [0, 3]


def test_a_phase_is_waiting_only_for_the_peer_whose_head_says_so():
    """The guest draws in a phase of the same name, and that is its work."""
    tape = Tape(peer="host", phases=["draw"], waits=["draw"])
    tape("head", opossum=1, peer="guest", p="guest", phases=["draw"])
    for peer in ("host", "guest"):
        tape("frame", n=0, p=peer)("phase", name="draw", p=peer).ms(40)("idle", p=peer)
    frames = tape.take(bye=False).frames
    assert (frames.work_ns / MS).round().tolist() == [0, 40]


@pytest.mark.parametrize(
    ("told", "work_ms"),
    [
        ({}, 50),
        ({"cpu": 4 * MS}, 4),
        ({"cpu": 90 * MS}, 50),
        ({"cpu": 4 * MS, "ready": 30 * MS}, 20),
        ({"ready": 0}, 50),
        ({"ready": 90 * MS}, 0),
    ],
    ids=[
        "nothing is told",
        "ran for less",
        "never more than the clock",
        "was ready for the rest",
        "never ready",
        "all",
    ],
)
def test_time_in_which_the_machine_did_not_run_the_thread_is_no_work(told, work_ms):
    """As far as `idle` tells: what the thread used, or, better, how long it could have run and was not run."""
    tape = Tape()("frame", n=0)("idle")("frame", n=1).ms(50)("idle", **told)
    assert (tape.take(bye=False).frames.work_ns / MS).round().tolist()[1] == work_ms


@pytest.mark.parametrize(("name", "pictures"), [("draw", [3, 4, 5]), ("Render.world", [3, 4, 5]), ("think", [])])
def test_the_first_three_pictures_are_loading_where_they_come_after_the_first_idle(name, pictures):
    """What a picture needs is made when it is first drawn."""
    tape = Tape()
    for n in range(8):
        tape("frame", n=n)
        if n >= 3:
            tape("phase", name=name)
        tape("idle")
    frames = tape.take(bye=False).frames
    assert np.flatnonzero(frames.loading).tolist() == [0, *pictures]
    assert (frames.loading ^ frames.settled).all()


def test_pictures_from_the_first_frame_on_make_no_more_of_it_loading():
    """The first picture is part of what comes before the first idle."""
    tape = Tape()
    for n in range(5):
        tape("frame", n=n)("phase", name="draw")("idle")
    assert np.flatnonzero(tape.take(bye=False).frames.loading).tolist() == [0]


def test_a_line_before_a_peers_first_frame_falls_into_none_of_it():
    """With several peers, rows of one are never given to lines of another."""
    tape = Tape(peer="host")
    tape("head", opossum=1, peer="guest", p="guest")("frame", n=0)("frame", n=0, p="guest")
    frames = tape.take(bye=False).frames
    assert frames.rows_of_lines(np.array([1, 1, 0]), np.array([3, 4, 3])).tolist() == [-1, 1, 0]


@pytest.mark.parametrize(("hz", "told"), [(0.001, 0.001), (0.000999, None), (0.0, None), (60.0, 60.0)])
def test_a_head_that_means_no_frames_a_second_says_nothing(hz, told):
    """Fewer than one in a quarter of an hour is no game's."""
    assert Tape(hz=hz).frame().take().recording.head_hz(0) == told


def test_a_call_runs_in_the_phase_that_began_last_in_its_frame_before_idle():
    """Before a frame's first phase, after its idle, and in a frame without phases it runs in none."""
    tape = Tape()
    bound = tape.bind("a", "x#1", "X.on_a")
    for number, name in enumerate(("move", "draw")):
        tape("frame", n=number)
        tape.heard("a", bound)
        tape("phase", name=name).heard("a", bound)
        tape("phase", name="late").heard("a", bound)
        tape("idle").heard("a", bound)
    tape("frame", n=2).heard("a", bound)
    tape("idle")("frame", n=3)("idle")("phase", name="after").heard("a", bound)
    take = tape.take(bye=False)
    told = [take.text(int(code)) for code in take.phase_of_call]
    assert told == ["", "move", "late", "", "", "draw", "late", "", "", "after"]


def test_a_stream_that_ends_while_its_game_is_held_says_so():
    """By its last hold, whatever went on before."""
    tape = Tape().frame()
    said = [tape.take().recording.held_at_end(0)]
    for kind in ("held", "went", "held"):
        said.append(tape(kind).take().recording.held_at_end(0))
    assert said == [False, True, False, True]
