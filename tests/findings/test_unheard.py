"""Events that nobody heard: who is named among many that send, and who among many that listen."""

from __future__ import annotations

from tape import Stage, only


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
