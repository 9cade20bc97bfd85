"""Running an example game of an engine under `opossum record`."""

from __future__ import annotations

import os
import shutil
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.live.receiver import Receiver
from opossum.take.archive import open_take
from opossum.take.opening import open_any
from opossum.take.take import Take
from opossum_process import OpossumProcess

EXAMPLES = Path(__file__).parent.parent.parent / "docs" / "examples"
WITHOUT_A_SCREEN = {"SDL_VIDEODRIVER": "dummy", "SDL_AUDIODRIVER": "dummy", "ALSOFT_DRIVERS": "null"}

_shared: dict[str, Take] = {}


def shared(request: pytest.FixtureRequest, play: Callable[[], Take]) -> Take:
    """Return the take that all tests which use a fixture look at; for a test that is tried again the game is played again."""
    name = f"{request.module.__name__}.{request.fixturename}"
    if name not in _shared or getattr(request.node, "execution_count", 1) > 1:
        _shared[name] = play()
    return _shared[name]


def recorded(folder: Path, *arguments: str) -> tuple[int, Take]:
    """Run `opossum record` with these arguments to its end; return the exit status and the take."""
    target = folder / "game.take"
    target.unlink(missing_ok=True)
    process = begin(target, *arguments)
    _, said = process.communicate(timeout=120)
    assert target.exists(), said
    return process.returncode, open_take(str(target))


def begin(target: Path, *arguments: str) -> OpossumProcess:
    """Begin `opossum record` into a target."""
    return OpossumProcess("record", "--out", target, *arguments, env=os.environ | WITHOUT_A_SCREEN)


def killed(folder: Path, program: str, after_s: float, *arguments: str) -> Take:
    """Record a game, kill its process (the first whose command line names `program`) and return the take."""
    target = folder / "game.take"
    process = begin(target, *arguments)
    time.sleep(after_s)
    children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
    mine = [child for child in children if program in Path(f"/proc/{child}/cmdline").read_text()]
    os.kill(int(mine[0]), signal.SIGKILL)
    _, said = process.communicate(timeout=60)
    assert target.exists(), said
    return open_any(str(target))


def played(folder: Path, game: Path, *arguments: str) -> Take:
    """Record a Python game that ends well and return its take."""
    status, take = recorded(folder, "--", sys.executable, str(game), *arguments)
    assert status == 0
    return take


def write_godot_game(game: Path, script: str, name: str = "game") -> None:
    """Write a Godot project of one scene with one node, whose script this is, into a new folder."""
    game.mkdir()
    (game / "project.godot").write_text(
        f'config_version=4\n\n[application]\n\nconfig/name="{name}"\nrun/main_scene="res://main.tscn"\n'
    )
    (game / "main.tscn").write_text(
        '[gd_scene load_steps=2 format=2]\n\n[ext_resource path="res://main.gd" type="Script" id=1]\n\n'
        '[node name="Main" type="Node"]\nscript = ExtResource( 1 )\n'
    )
    (game / "main.gd").write_text(script, encoding="utf-8")


def found_in_the_game(take: Take) -> list[Finding]:
    """Return what is found in a take, but that the machine was taken away: that is true, and says nothing of the game."""
    return [finding for finding in examine(take) if finding.cause != "machine-busy"]


def causes(take: Take) -> list[str]:
    """Return what is found in a take, each as kind/cause, but what waiting for the machine looks like."""
    found = [f"{finding.kind}/{finding.cause}" for finding in found_in_the_game(take)]
    return [cause for cause in found if cause != "freeze/waiting"]


def needs(program: str, package: str) -> pytest.MarkDecorator:
    """Return the mark of tests that need an engine which pip cannot install."""
    missing = shutil.which(program) is None
    return pytest.mark.skipif(missing, reason=f"{program} is not installed: apt-get install {package}")


def held_at(listener: Receiver) -> tuple[int, Take]:
    """Wait until a game is held; return the tripwire's number and what has come."""
    end = time.monotonic() + 30
    while not any(peer.held for peer in listener.peers) and time.monotonic() < end:
        time.sleep(0.01)
    held = listener.peers[0].held
    assert held is not None
    time.sleep(0.05)
    return held.trip, open_any(str(listener.out))


def ended(listener: Receiver) -> Take:
    """Wait until the last lines of a game have come; stop listening and return the take."""
    end = time.monotonic() + 20
    while any(peer.connected for peer in listener.peers) and time.monotonic() < end:
        time.sleep(0.01)
    listener.stop()
    return open_any(str(listener.out))


def step(listener: Receiver, by: str) -> None:
    """Let a held game go one step on, and wait until it is held again."""
    before = len(open_any(str(listener.out)).tables["held"])
    listener.step(by)
    end = time.monotonic() + 20
    while len(open_any(str(listener.out)).tables["held"]) == before and time.monotonic() < end:
        time.sleep(0.05)
