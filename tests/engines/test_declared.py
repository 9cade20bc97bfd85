"""Dispatchers and functions that the user declares: recorded in games that know nothing of the recorder."""

from __future__ import annotations

import glob
import inspect
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from playing import causes

from opossum.take.archive import open_take
from opossum.take.checks import check_take
from opossum.take.take import Take
from opossum_process import run
from opossum_recorder.engines.declared.trampoline import divert

BUS = '''
class Bus:
    """A dispatcher that keeps its listeners weakly, and compares them."""

    def __init__(self):
        self.listeners = {}

    def subscribe(self, event, listener=None):
        if listener is None:
            def decorate(function):
                self.subscribe(event, function)
                return function
            return decorate
        import weakref
        made = weakref.WeakMethod(listener) if hasattr(listener, "__self__") else weakref.ref(listener)
        self.listeners.setdefault(event, []).append(made)

    def unsubscribe(self, event, listener):
        kept = [ref for ref in self.listeners[event] if ref() != listener]
        assert len(kept) < len(self.listeners[event])
        self.listeners[event] = kept

    def publish(self, event, *data):
        key = event if isinstance(event, str) else type(event)
        for ref in list(self.listeners.get(key, ())):
            listener = ref()
            if listener is not None:
                listener(event, *data)
'''
GAME = """
import sys
{bus}

class Paid:
    pass


class Ledger:
    def __init__(self, bus, name="ledger"):
        self.coins = 0
        bus.subscribe("paid", self.on_paid)
        bus.subscribe(Paid, self.on_object)

    def on_paid(self, event, coins=1):
        self.coins += coins
        self.booked()

    def on_object(self, event):
        bus.publish("booked", self.coins)

    def booked(self):
        pass


bus = Bus()
ledger = Ledger(bus)

@bus.subscribe("booked")
def on_booked(event, coins):
    pass

def price(loaf, *, half=False):
    return 1 if half else 2

def play():
    bus.publish("paid", price("rye", half=True))
    bus.publish(Paid())
    bus.publish("nobody hears")
    if "twice" in sys.argv:
        bus.subscribe("paid", ledger.on_paid)
    bus.publish("paid", 2)
    if "twice" not in sys.argv:
        bus.unsubscribe("paid", ledger.on_paid)
        bus.publish("paid", 3)
        assert ledger.coins == 3

play()
play()
if "twice" in sys.argv:
    play()
    play()
"""
TOML = """
watch = ["game:price", "game:Ledger.booked"]

[[dispatcher]]
class = "{place}"
bind = "subscribe"
send = ["publish"]
"""


def record(folder: Path, *options: str, interpreter: str = sys.executable, arguments: tuple[str, ...] = ()) -> Take:
    """Record the game that lies in a folder."""
    command = ["record", "--force", "--out", "game.take", *options, "--", interpreter, "game.py", *arguments]
    result = run(*command, cwd=folder)
    assert result.returncode == 0, result.stderr
    return open_take(str(folder / "game.take"))


def called(take: Take) -> list[tuple[str, str, str]]:
    """Return (event, owner, function) of each call."""
    return [(take.event_of_call(c), take.owner_of_call(c), take.function_of_call(c)) for c in range(len(take.calls))]


@pytest.mark.parametrize("place", ["game:Bus", "town.events:Bus"])
def test_a_dispatcher_of_the_games_own_is_recorded_as_declared(tmp_path, place):
    """Binds, sends and calls with their causes; weak references, comparisons and what decorates stay the game's own."""
    bus = BUS
    if place != "game:Bus":
        (tmp_path / "town").mkdir()
        (tmp_path / "town" / "events.py").write_text(BUS)
        bus = "from town.events import Bus"
    (tmp_path / "game.py").write_text(GAME.format(bus=bus).replace("play()\nplay()", "play()\nprice(1)"))
    (tmp_path / "opossum.toml").write_text(TOML.format(place=place))
    take = record(tmp_path)

    assert [damage.code for damage in check_take(take)] == ["no-frames"]
    booked = ("Ledger.booked", "ledger#1", "Ledger.booked")
    assert called(take) == [
        ("paid", "ledger#1", "Ledger.on_paid"),
        booked,
        ("Paid", "ledger#1", "Ledger.on_object"),
        ("booked", "game", "on_booked"),
        ("paid", "ledger#1", "Ledger.on_paid"),
        booked,
        ("price", "game", "price"),  # of the main script: known from its first call on
    ]
    binds = [
        (take.text(int(ev)), take.text(int(fn)))
        for ev, fn in zip(*(take.tables["bind"][n] for n in ("ev", "fn")), strict=True)
    ]
    assert binds == [("paid", "Ledger.on_paid"), ("Paid", "Ledger.on_object"), ("booked", "on_booked")]
    assert len(take.tables["unbind"]) == 1 and int(take.tables["unbind"]["b"][0]) == 1
    assert take.function_of_call(int(take.calls.parent[3])) == "Ledger.on_object"


def test_what_is_bound_twice_in_it_is_found(tmp_path):
    """As in any game; the options say what the file would."""
    (tmp_path / "game.py").write_text(GAME.format(bus=BUS))
    take = record(
        tmp_path,
        "--dispatcher",
        "game:Bus",
        "--watch",
        "game:Ledger.booked",
        "--frame",
        "game:play",
        arguments=("twice",),
    )

    assert "double-fire/bound-twice" in causes(take)
    assert len(take.tables["bind"]) == 7 and take.game_frames == 3


@pytest.mark.parametrize(
    ("toml", "said"),
    [
        ("[[dispatcher]]\nbind = 'on'\n", "entry 1 of `dispatcher`: needs `class`"),
        ("[[dispatcher]]\nclass = 'game'\n", "'game' is no place in a game"),
        ("[[dispatcher]]\nclass = 'game:Bus'\nhears = 'on'\n", "`hears` is not known; there are: class, bind"),
        ("[[dispatcher]]\nclass = 'game:Bus'\nbind = 7\n", "`bind` must be the name of a method"),
        ("dispatcher = 1\n", "`dispatcher` must be a list"),
        ("watch = 'game:f'\n", "`watch` must be a list of texts"),
        ("watch = [", "is no TOML"),
    ],
)
def test_what_is_declared_wrongly_is_said_before_the_game_starts(tmp_path, toml, said):
    """In one sentence, with the file."""
    (tmp_path / "game.py").write_text("open('ran', 'w')\n")
    (tmp_path / "opossum.toml").write_text(toml)
    result = run("record", "game.py", cwd=tmp_path)

    assert result.returncode == 2 and said in result.stderr and "opossum.toml" in result.stderr
    assert not (tmp_path / "ran").exists()


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--dispatcher", "game:Bus hears=on"], "`hears=on` is not understood"),
        (["--watch", "price"], "'price' is no place in a game"),
        (["--watch", "a:b", "--love", "."], "are for Python games"),
    ],
)
def test_options_that_declare_wrongly_are_said(tmp_path, options, said):
    """And status 2."""
    (tmp_path / "game.py").write_text("pass\n")
    result = run("record", *options, "game.py", cwd=tmp_path)
    assert result.returncode == 2 and said in result.stderr and result.stderr.count("\n") == 1


def test_what_is_declared_and_not_there_is_in_the_take(tmp_path):
    """A warning each; the game plays on."""
    (tmp_path / "game.py").write_text("class Bus:\n    def subscribe(self, event, f): ...\n\nclass Plain: ...\n")
    take = record(
        tmp_path, "--dispatcher", "game:Bus send=shout", "--watch", "game:Bus.nothing", "--watch", "game:nowhere"
    )
    said = " ".join(take.strings)
    assert "has no shout" in said and "Bus.nothing was declared" in said


def test_a_diverted_function_is_the_same_object_to_everybody():
    """Its name, defaults, keywords and signature too; what encloses variables is left as it is."""
    seen = []

    def plain(a, b=2, *, c=3):
        """Say what was given."""
        return a, b, c

    enclosed = 5

    def encloses():
        return enclosed

    before, signature = plain, inspect.signature(plain)
    assert divert(plain, lambda function, args, given: seen.append(args) or function(*args, **given))
    assert plain is before and plain(1, c=4) == (1, 2, 4) and seen == [(1,)]
    assert inspect.signature(plain) == signature and plain.__name__ == "plain" and plain.__doc__
    assert not divert(plain, lambda *_: None), "once"
    assert not divert(encloses, lambda *_: None) and encloses() == 5
    assert not divert(len, lambda *_: None)


POLLING = """
import time

class Bus:
    def __init__(self):
        self.listeners = []

    def on(self, event, listener):
        self.listeners.append(listener)

    def emit(self, event):
        for listener in self.listeners:
            listener()


class Shelf:
    def __init__(self):
        self.loaves = []
        self.heat = 0

    def look(self):
        for loaf in self.loaves:
            return loaf
        with open(__file__) as _:
            pass

    def warm(self):
        self.heat += 1

    def peep(self):
        return self.heat > 10 ** 9 and len(self.loaves) > 0


bus, shelf = Bus(), Shelf()
for listener in (shelf.warm, shelf.peep):
    bus.on("tick", listener)
for turn in range(300):
    bus.emit("tick")
    time.sleep(0.001)
"""


def other_pythons() -> list[str]:
    """Return interpreters of other versions than ours that seem to be installed here, one for each version."""
    places = [shutil.which(f"python3.{minor}") for minor in range(10, 20)]
    places += glob.glob(os.path.expanduser("~/.pyenv/versions/3.1*/bin/python"))
    # the last of a version counts: what stands in the path may be a shim that begins nothing
    found = {told[-1]: place for place in filter(None, places) if (told := re.findall(r"3\.(1\d)", place))}
    return [place for minor, place in sorted(found.items()) if int(minor) != sys.version_info.minor]


@pytest.mark.parametrize("interpreter", [sys.executable, *other_pythons()])
def test_what_calls_changed_is_seen_under_each_python_that_is_installed(tmp_path, interpreter):
    """The first calls of each function, then fewer."""
    if subprocess.run([interpreter, "-c", ""], capture_output=True).returncode:
        pytest.skip(f"{interpreter} begins nothing here")
    (tmp_path / "game.py").write_text(POLLING)
    take = record(tmp_path, "--dispatcher", "game:Bus", interpreter=interpreter)
    effects: dict[str, list[int]] = {}
    for call in range(len(take.calls)):
        effects.setdefault(take.function_of_call(call), []).append(int(take.calls.effect[call]))

    assert set(effects) == {"Shelf.warm", "Shelf.peep"}
    assert set(effects["Shelf.warm"]) == {1, -1} and set(effects["Shelf.peep"]) == {0, -1}
    assert effects["Shelf.peep"].count(0) > 30  # the first ones, as far as they take no tenth of the time
    assert causes(take) == []
