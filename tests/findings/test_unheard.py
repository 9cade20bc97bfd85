"""Events that nobody heard: who is named among many that send, and who among many that listen."""

from __future__ import annotations

import msgspec
import pytest

from opossum.findings.examine import examine
from tape import Stage, Tape, only, read


def test_of_many_senders_only_those_are_named_that_nobody_ever_listened_to():
    """One that is listened to and was not heard for once is another matter."""
    stage = Stage()
    for oven in ("oven#1", "oven#2", "oven#3"):
        stage.spawn(oven, "Oven")
    baker = stage.bind("opened", "baker#1", "Baker.on_open", src="oven#1")
    stage.at(60, do=lambda: stage.heard("opened", baker, o="oven#1"))
    for frame, oven in ((100, "oven#1"), (110, "oven#2"), (120, "oven#3"), (130, "oven#2")):
        stage.at(frame, do=lambda oven=oven: stage.send("opened", o=oven))
    finding = only(stage.findings(300), "wrong-object")
    assert finding.frames == [110, 120, 130]
    assert "oven#2 and oven#3 sent `opened` 3 times" in finding.summary
    assert "listens to oven#1 only" in finding.summary


def test_what_the_first_text_of_a_stream_names_listens_as_any_other():
    """A game may bear the name of one of its objects: that one is somebody."""
    stage = Stage(game="door#1")
    for door in ("door#1", "door#2"):
        stage.spawn(door, "Door")
    door = stage.bind("knock", "door#1", "Door.on_knock")
    stage.at(60, do=lambda: stage.heard("knock", door, o="guest#1", to="door#1"))
    stage.at(100, do=lambda: stage.send("knock", o="guest#1", to="door#2"))
    finding = only(stage.findings(300), "wrong-object")
    assert "what listens to it belongs to door#1" in finding.summary


def is_told(stream):
    """Say whether it is told that something was sent before its listener was bound."""
    return any(finding.cause == "sent-before-bind" for finding in examine(read(stream)))


def begun_at(frame, stream):
    """Return a stream whose game had played so many frames when its recording began."""
    lines = [msgspec.json.decode(line) for line in stream.splitlines()]
    shifted = [line | ({"n": line["n"] + frame} if line["k"] == "frame" else {}) for line in lines]
    return b"".join(msgspec.json.encode(line) + b"\n" for line in shifted)


def till_opens_after_its_order(stage):
    stage.spawn("till#1", "Till")
    stage.at(60, do=lambda: stage.send("first_order", o="rules#1"))
    stage.at(75, do=lambda: stage.bind("first_order", "till#1", "Till.on_order"))
    return stage.run(400).bytes()


@pytest.mark.parametrize(("frames", "is_fault"), [(0, True), (230, True), (250, False), (10**15, False)])
def test_a_recording_that_begins_in_the_middle_of_a_game_shows_no_start_up(frames, is_fault):
    """The first five seconds of play are counted from frame 0; the send comes a second after the recording began."""
    stream = till_opens_after_its_order(Stage(hz=60))
    without_birth = b"".join(line for line in begun_at(frames, stream).splitlines(True) if b'"spawn"' not in line)
    assert is_told(without_birth) == is_fault


@pytest.mark.parametrize(
    ("frames", "later", "is_fault"), [(0, 70, True), (290, 70, True), (310, 70, False), (310, 8, True)]
)
def test_who_listened_before_the_recording_began_is_not_known(frames, later, is_fault):
    """Guests may have come and gone: only one that listens at once was meant."""
    stage = Stage(hz=60)

    def come():
        stage.spawn("guest#9", "Guest")
        stage.bind("bell", "guest#9", "Guest.on_bell")

    stage.at(60, do=lambda: stage.send("bell", o="door#1"))
    stage.at(60 + later, do=come)
    assert is_told(begun_at(frames, stage.run(400).bytes())) == is_fault


@pytest.mark.parametrize(("frames", "sent", "is_fault"), [(0, 200, True), (310, 200, False), (-400, 320, False)])
def test_what_is_recorded_before_the_first_frame_has_no_number(frames, sent, is_fault):
    """Nor is a game whose frames count from below 0 younger than its recording."""
    tape = Tape()
    tape.send("boot", o="rules#1")
    tape.frames(sent).send("first_order", o="rules#1")
    tape.frames(2).bind("first_order", "till#1", "Till.on_order")
    assert is_told(begun_at(frames, tape.frames(400).bytes())) == is_fault
