"""Each fault of the catalogue amid a game in which everything else happens: it is found there, too, and not a word changes unseen.

No person has read all that is said of these games: whether a thing is true is asked by the scenes alone. After a change that
is meant, see what else became different: `PYTHONPATH=tests python tests/findings/test_any_game.py`, then `git diff`.
"""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from findings.all_told import word_for
from findings.any_game import FRAMES, AnyGame, beside_each_other, written
from findings.scenes import FAULTS, clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from tape import read

SAID = Path(__file__).parent / "any_game.json"
SAID_OF_SHORT = Path(__file__).parent / "short_games.json"
SHORT = 48
"""So many games are short."""
SCENES = {scene.build.__name__: scene for scene in FAULTS if not scene.stage}
NAMES = sorted(SCENES)
"""In an order that is the same whoever registered them first."""


@pytest.mark.parametrize("name", NAMES)
def test_a_fault_is_found_amid_anything(name):
    """Objects come and go beside it, timers fire, clips play, keys are pressed: none of it is its own."""
    scene = SCENES[name]
    game = AnyGame(name, scene.build, calm=True)
    found = [
        finding
        for finding in game.findings(game.frames_asked)
        if (finding.kind, finding.cause) == (scene.kind, scene.cause)
    ]
    subjects = [{field: finding.subject.as_dict().get(field) for field in scene.subject} for finding in found]
    assert scene.subject in subjects


def said(name: str) -> dict[str, str]:
    """Return for each cause a word for all that is told by it of a game in which two scenes and anything else happen."""
    place = NAMES.index(name)
    game = AnyGame(name, *(SCENES[other].build for other in NAMES[place : place + 2]))
    told: dict[str, list[Finding]] = {}
    for finding in examine(game.run(game.frames_asked).take(bye=place % 4 == 0)):
        told.setdefault(f"{finding.kind}/{finding.cause}", []).append(finding)
    return {cause: word_for(findings) for cause, findings in sorted(told.items())}


@pytest.mark.parametrize("name", NAMES[::2])
def test_what_is_said_of_any_game(name):
    """Neither a word, nor a number, nor a place, nor the order."""
    assert said(name) == json.loads(SAID.read_text())[name]


def said_of_short(seed: int) -> str:
    """Return a word for all that is told of a game in which nothing comes to pass but what the dice say, and two of a few at once."""
    game = AnyGame(f"short {seed}").run(FRAMES)
    if seed % 8:
        return word_for(examine(game.take(bye=seed % 4 > 0)))
    records = beside_each_other({"main": game, "guest": AnyGame(f"beside {seed}").run(FRAMES)})
    return word_for(examine(read(written(records))))


@pytest.mark.parametrize("seed", range(SHORT))
def test_what_is_said_of_any_short_game(seed):
    """Many of them, for they take little time."""
    assert said_of_short(seed) == json.loads(SAID_OF_SHORT.read_text())[seed]


if __name__ == "__main__":
    SAID.write_text(json.dumps({name: said(name) for name in NAMES[::2]}, indent=1) + "\n")
    SAID_OF_SHORT.write_text(json.dumps([said_of_short(seed) for seed in range(SHORT)], indent=1) + "\n")
