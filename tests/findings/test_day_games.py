"""Games with clocks and levels: when a time of the day was passed and what came for it, and not a word changes unseen.

No person has read all that is said of these games: whether a thing is true is asked by the scenes alone. After a change that
is meant, see what else became different: `PYTHONPATH=tests python tests/findings/test_day_games.py`, then `git diff`.
"""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from findings.all_told import word_for
from findings.any_game import beside_each_other, written
from findings.day_games import FRAMES, DayGame
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.take.take import Take
from tape import read

SAID = Path(__file__).parent / "day_games.json"
GAMES = 50


def day(seed: int) -> Take:
    """Return the take of a game, or of two at once."""
    game = DayGame(seed).run(FRAMES)
    if seed % 5:
        return game.take()
    records = beside_each_other({"abbey": game, "priory": DayGame(seed + GAMES).run(FRAMES)})
    return read(written(records))


def said(seed: int) -> dict[str, str]:
    """Return for each cause a word for all that is told by it of a game."""
    told: dict[str, list[Finding]] = {}
    for finding in examine(day(seed)):
        told.setdefault(f"{finding.kind}/{finding.cause}", []).append(finding)
    return {cause: word_for(findings) for cause, findings in sorted(told.items())}


@pytest.mark.parametrize("seed", range(GAMES))
def test_what_is_said_of_a_day(seed):
    """Neither a word, nor a number, nor a place, nor the order."""
    assert said(seed) == json.loads(SAID.read_text())[seed]


def test_each_slip_is_told_of_some_day():
    """Else the words above would hold nothing of it."""
    told = {cause for one in json.loads(SAID.read_text()) for cause in one}
    assert told >= {f"threshold-missed/{cause}" for cause in ("jumped", "midnight", "doubled", "late-clock", "level")}


if __name__ == "__main__":
    SAID.write_text(json.dumps([said(seed) for seed in range(GAMES)], indent=1) + "\n")
