"""Where a loop's source handles events: found in the source, and followed while it runs."""

from __future__ import annotations

import importlib.util
import sys
from types import ModuleType
from typing import Any

import pytest

from opossum_recorder.engines.pygame_ce.handled_places import places_of_function, places_of_loop
from opossum_recorder.engines.pygame_ce.handling import HandledLines

SOURCE = '''
class Shop:
    def __init__(self, scene):
        self.scene = scene
        self.log = []

    def loop(self, events):
        for event in events:
            now = len(self.log)
            if event == "quit":
                self.log.append("quit")           # quit
            elif event in ("key", "button"):
                if event == "key":
                    self.log.append("key")        # key
                else:
                    pass
            if event == "twice":
                self.log.append("twice")          # twice
            if self.scene.handle(event):
                self.log.append("taken")

    def plain(self, events):
        for event in events:
            self.log.append(event)                # plain

    def matched(self, events):
        for event in events:
            match event:
                case "a":
                    self.log.append("a")          # matched a
                case _:
                    pass


class Scene:
    def handle(self, what):
        """Say whether it is ours."""
        if what == "bell":
            return True                           # bell
        return self.deeper(what)

    def deeper(self, what):
        if what == "deep":
            return [what]                         # deep
'''


@pytest.fixture
def shop(tmp_path) -> ModuleType:
    """Return the source as a module of the game's."""
    path = tmp_path / "shop.py"
    path.write_text(SOURCE)
    spec = importlib.util.spec_from_file_location("shop", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def line_of(mark: str) -> int:
    return next(number for number, line in enumerate(SOURCE.splitlines(), 1) if line.endswith(f"# {mark}"))


def loop_line(function: Any) -> int:
    first = function.__code__.co_firstlineno
    return next(n for n, line in enumerate(SOURCE.splitlines(), 1) if n > first and line.strip().startswith("for "))


def test_the_tests_that_choose_are_no_places(shop):
    """Nor what does nothing; a call that is given the event passes it on."""
    places = places_of_loop(shop.Shop.loop.__code__, loop_line(shop.Shop.loop))

    assert places is not None
    assert {line_of("quit"), line_of("key"), line_of("twice")} < places.begins
    assert len(places.begins) == 4  # and what follows the scene's answer
    assert list(places.passed_on.values()) == [("self", "scene", "handle")]


def test_a_function_that_is_given_an_event_is_read_alike(shop):
    """By the name it gives it."""
    places = places_of_function(shop.Scene.handle.__code__, "what")

    assert places is not None
    assert places.begins == {line_of("bell")}
    assert list(places.passed_on.values()) == [("self", "deeper")]


def test_source_that_is_not_there_tells_nothing():
    """As of what was made from text."""
    names: dict[str, Any] = {}
    exec("def loop(events):\n    for event in events:\n        pass", names)
    assert places_of_loop(names["loop"].__code__, 2) is None


def followed(shop: ModuleType, function: str, events: list[str]) -> list[tuple[str, str, int]]:
    """Return (event, function, line) of each event that a loop handles."""
    lines, told = HandledLines(), []

    class Taken(list):
        def __iter__(self) -> Any:
            handler = sys._getframe(1)
            for event in list.__iter__(self):

                def begin(frame: Any, line: int, event: str = event) -> None:
                    told.append((event, frame.f_code.co_name, line))

                lines.follow(handler, event, begin)
                yield event
                lines.ended()

    getattr(shop.Shop(shop.Scene()), function)(Taken(events))
    assert sys.gettrace() is None
    return told


def test_each_event_is_followed_to_the_line_that_handles_it(shop):
    """Through functions that pass it on; what nobody handles is told of by nobody."""
    told = followed(shop, "loop", ["quit", "none", "key", "button", "bell", "deep", "quit", "twice"])

    assert told == [
        ("quit", "loop", line_of("quit")),
        ("key", "loop", line_of("key")),
        ("bell", "handle", line_of("bell")),
        ("deep", "deeper", line_of("deep")),
        ("quit", "loop", line_of("quit")),
        ("twice", "loop", line_of("twice")),
    ]


@pytest.mark.parametrize(("function", "event", "mark"), [("plain", "x", "plain"), ("matched", "a", "matched a")])
def test_loops_without_tests_and_with_matching(shop, function, event, mark):
    """Their statements, and their cases'."""
    assert followed(shop, function, [event]) == [(event, function, line_of(mark))]
    assert followed(shop, "matched", ["b"]) == []


def test_a_debugger_is_left_alone(shop):
    """The call then begins where the event is taken."""
    mine = lambda *_: None  # noqa: E731 - a trace function
    sys.settrace(mine)
    try:
        lines, told = HandledLines(), []
        if hasattr(sys, "monitoring"):
            pytest.skip("lines are monitored beside a debugger")
        frame = sys._getframe()
        lines.follow(frame, "x", lambda frame, line: told.append(line))
        assert len(told) == 1 and sys.gettrace() is mine
    finally:
        sys.settrace(None)
