"""Attributes that Opossum asks for while a game plays: read without running any of the game's code."""

from __future__ import annotations

import threading
import time
import weakref
from typing import Any, ClassVar

from opossum.live.receiver import Receiver
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.asked_attributes import MISSING, MOST_ASKED, AskedAttributes, attribute_of, told_value
from opossum_recorder.engines.names import ObjectNames


class Oven:
    """Has an attribute of each sort."""

    shelves = 3
    things: ClassVar[list[int]] = [1, 2]

    def __init__(self) -> None:
        self.heat = 20

    @property
    def danger(self) -> int:
        """Be code that would run."""
        raise AssertionError("a property ran")

    def __getattr__(self, name: str) -> Any:
        raise AssertionError(f"__getattr__ ran for {name}")


class Slotted:
    """Keeps its attributes in slots."""

    __slots__ = ("__weakref__", "heat", "unset")

    def __init__(self) -> None:
        self.heat = 7


class Sly:
    """Would run code for whatever is looked at."""

    def __getattribute__(self, name: str) -> Any:
        raise AssertionError(f"__getattribute__ ran for {name}")

    def __repr__(self) -> str:
        raise AssertionError("__repr__ ran")

    def __eq__(self, other: object) -> bool:
        raise AssertionError("__eq__ ran")

    __hash__ = object.__hash__


class Told:
    """Takes down what a recorder would."""

    def __init__(self) -> None:
        self.values: list[tuple[str, str, Any]] = []
        self.said: list[str] = []

    def watch(self, o: str, name: str, v: Any) -> None:
        """Take a value down."""
        self.values.append((o, name, v))

    def say(self, text: str, level: str = "", o: str = "") -> None:
        """Take a line down."""
        self.said.append(text)


def test_only_what_lies_there_is_read():
    """The object's own dictionary, its slots, and plain values of its class; never a property or a method of its own."""
    oven = Oven()
    assert attribute_of(oven, "heat") == 20 and attribute_of(oven, "shelves") == 3
    assert attribute_of(oven, "danger") is attribute_of(oven, "nothing") is attribute_of(oven, "things") is MISSING
    assert attribute_of(Slotted(), "heat") == 7 and attribute_of(Slotted(), "unset") is MISSING
    assert attribute_of(Sly(), "heat") is MISSING
    assert attribute_of(3, "real") is MISSING


def test_what_is_no_plain_value_is_told_by_its_sort():
    """Without asking it anything."""
    assert [told_value(value) for value in (3, 0.5, True, None)] == [3, 0.5, True, "none"]
    assert told_value("x" * 500) == "x" * 400
    assert [told_value(value) for value in ([1, 2], {"a": 1}, Oven)] == ["list of 2", "dict of 1", "a type"]
    assert told_value(Sly()) == "a Sly"


def test_changes_are_told_and_nothing_else():
    """A value once, and again when it is another; one that comes to be of another sort too."""
    told = Told()
    asked = AskedAttributes(told)
    oven = Oven()
    asked.know("oven#1", oven)
    asked.ask({"k": "watch", "id": 4, "o": "oven#1", "name": "heat"})
    for heat in (20, 20, 21, True, 1, Sly(), Sly()):
        oven.heat = heat
        asked.read()
    assert [value for _, _, value in told.values] == [20, 21, True, 1, "a Sly"]
    for heat in (float("nan"), float("nan")):
        oven.heat = heat
        asked.read()
    assert [str(value) for _, _, value in told.values[5:]] == ["nan"], "what stays no number is no change"
    asked.forget(4)
    asked.read()
    assert len(told.values) == 6 and asked.asked == {} and told.said == []


def test_what_cannot_be_read_is_said_once():
    """An object that is not known, and an attribute that only code could tell."""
    told = Told()
    asked = AskedAttributes(told)
    oven = Oven()
    asked.know("oven#1", oven)
    asked.ask({"id": 1, "o": "oven#2", "name": "heat"})
    asked.ask({"id": 2, "o": "oven#1", "name": "danger"})
    for _ in range(3):
        asked.read()
    assert told.said == [
        "Opossum: oven#2 is not known, or gone",
        "Opossum: oven#1 has no `danger` that can be read without running code",
    ]
    assert told.values == []


def test_nothing_lives_longer_for_being_known():
    """And a new object of the same name is found in its place."""
    asked = AskedAttributes(Told())
    oven = Oven()
    alive = weakref.ref(oven)
    asked.know("oven#1", oven)
    asked.know("number", 3)
    del oven
    assert alive() is None
    asked.ask({"id": 1, "o": "oven#1", "name": "heat"})
    asked.read()


def test_rubbish_is_ignored_and_the_number_is_bounded():
    """Whatever a rogue receiver asks for, the game plays on."""
    told = Told()
    asked = AskedAttributes(told)
    for line in (
        {},
        {"id": "x", "o": "a", "name": "b"},
        {"id": 1, "o": 3, "name": "b"},
        {"id": 1, "o": "a", "name": None},
    ):
        asked.ask(line)
    assert asked.asked == {}
    for number in range(MOST_ASKED + 3):
        asked.ask({"id": number, "o": "a", "name": "b"})
    assert len(asked.asked) == MOST_ASKED and len(told.said) == 3
    asked.forget()
    assert asked.asked == {}


def test_engines_objects_are_found_by_the_names_they_were_given(tmp_path):
    """Until the interpreter has freed them."""
    with Recorder(tmp_path / "a.flow.jsonl", "g", watch_after=0) as recorder:
        names = ObjectNames(recorder)
        oven = Oven()
        name = names.of(oven)
        assert names.thing_of(name) is oven and names.thing_of("oven#9") is None
        del oven
        assert names.thing_of(name) is None


def test_a_game_that_plays_tells_what_is_asked_for(tmp_path):
    """Over the link: at the end of each frame while it is asked, and where it is held."""
    receiver = Receiver(tmp_path / "live.flow.jsonl", port=0)
    receiver.start()
    number = receiver.watch("oven#1", "heat")
    recorder = Recorder(None, "Kitchen", link=f"127.0.0.1:{receiver.port}", watch_after=0)
    oven, playing, frames = Oven(), threading.Event(), []
    recorder.know("oven#1", oven)

    def play() -> None:
        while not playing.is_set():
            with recorder.frame(len(frames)), recorder.call(recorder.send("tick"), None, "oven#1", "Oven.on_tick"):
                oven.heat = len(frames)
            frames.append(1)
            time.sleep(0.004)

    thread = threading.Thread(target=play)
    thread.start()
    try:
        _until(lambda: len(frames) > 60)
        assert receiver.watched == {number: ("oven#1", "heat")}
        receiver.unwatch(number)
        _until(lambda: recorder.attributes.asked == {})
        told = len(frames)
        _until(lambda: len(frames) > told + 30)
        receiver.watch("oven#1", "heat")
        _until(lambda: recorder.attributes.asked != {})
        receiver.hold()
        _until(lambda: receiver.peers[0].held is not None)
    finally:
        playing.set()
        receiver.go()
        thread.join(10)
        recorder.close()
        receiver.stop()
    take = open_any(str(receiver.out))
    table = take.tables["watch"]
    values = [int(table.json("v")[row]) for row in range(len(table))]
    assert len(values) > 30 and values == sorted(set(values))
    assert not any(told + 5 < value < told + 25 for value in values)
    held = int(take.tables["held"]["line"][0])
    before = [int(line) for line in table["line"] if line < held]
    assert before and held - before[-1] <= 3 * 6


def _until(condition: Any, seconds: float = 15.0) -> None:
    end = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < end, "it did not come to be"
        time.sleep(0.005)
