"""Dispatchers of Python games, unedited: blinker, PyDispatcher, pypubsub, each run with and without the recorder."""

from __future__ import annotations

import subprocess
import sys

import pytest
from playing import causes, recorded

from opossum.take.checks import check_take

COMMON = """
import sys
fault = sys.argv[1]

class Till:
    def __init__(self):
        self.loaves = 0
    def on_bread(self, sender=None, loaf=0, **more):
        self.loaves += 1
        if fault == "error" and self.loaves == 3:
            raise KeyError("drawer")
        return self.loaves

class Guest(Till):
    def leave(self):
        pass

class Oven: pass

till, guest, oven, other = Till(), Guest(), Oven(), Oven()
name = "bread_raedy" if fault == "name" else "bread_ready"
"""

GAMES = {
    "blinker": """
from blinker import signal
bread = signal("bread_ready")
bread.connect(till.on_bread)
for loaf in range(4):
    try: print([back for _, back in signal(name).send(oven, loaf=loaf)])
    except KeyError as error: print(error)
bread.connect(guest.on_bread, sender=oven)
print(len(bread.send(other, loaf=7)), len(bread.send(oven, loaf=8)))
bread.disconnect(guest.on_bread, sender=oven)
del till
print(len(bread.send(oven, loaf=9)), guest.loaves)
""",
    "pydispatch": """
from pydispatch import dispatcher
dispatcher.connect(till.on_bread, signal="bread_ready")
for loaf in range(4):
    try: print([back for _, back in dispatcher.send(name, oven, loaf=loaf)])
    except KeyError as error: print(error)
dispatcher.connect(guest.on_bread, signal="bread_ready", sender=oven)
print(len(dispatcher.send("bread_ready", other, loaf=7)), len(dispatcher.send("bread_ready", oven, loaf=8)))
dispatcher.disconnect(guest.on_bread, signal="bread_ready", sender=oven)
print(len(dispatcher.send("bread_ready", oven, loaf=9)), guest.loaves)
""",
    "pubsub": """
from pubsub import pub
def on_till(loaf): print(till.on_bread(loaf=loaf))
def on_guest(loaf): guest.on_bread(loaf=loaf)
pub.subscribe(on_till, "bread_ready")
for loaf in range(4):
    try: pub.sendMessage(name, loaf=loaf)
    except KeyError as error: print(error)
pub.subscribe(on_guest, "bread_ready")
pub.sendMessage("bread_ready", loaf=8)
pub.unsubscribe(on_guest, "bread_ready")
pub.sendMessage("bread_ready", loaf=9)
print(guest.loaves)
""",
}


@pytest.mark.parametrize("dispatcher", GAMES)
@pytest.mark.parametrize(
    ("fault", "found"), [("none", []), ("name", ["unheard/near-name"]), ("error", ["raised/raised"])]
)
def test_a_game_runs_as_ever_and_is_seen(tmp_path, dispatcher, fault, found):
    """What it prints stays the same; binds, unbinds, sends and calls are told, and what is wrong is found."""
    game = tmp_path / "game.py"
    game.write_text(COMMON + GAMES[dispatcher])
    command = [sys.executable, str(game), fault]
    plain = subprocess.run(command, capture_output=True, text=True, check=True, timeout=60).stdout
    noted = f"import sys; sys.stdout = open({str(tmp_path / 'said')!r}, 'w')\n"
    game.write_text(noted + COMMON + GAMES[dispatcher])
    status, take = recorded(tmp_path, "--", *command)

    assert status == 0 and [damage.code for damage in check_take(take)] == ["no-frames"]
    assert (tmp_path / "said").read_text() == plain
    functions = {take.function_of_call(call) for call in range(len(take.calls))}
    assert functions <= {"Till.on_bread", "on_till", "on_guest"} and functions
    assert len(take.tables["bind"]) == 2 and len(take.tables["unbind"]) >= 1
    assert (take.calls.bind >= 0).all()
    assert [cause for cause in causes(take) if cause not in ("unheard/receiver-gone", "unheard/never-sent")] == found
