"""The watchdog: when it says that the game's thread stands still, and how seldom it looks while it does not."""

from __future__ import annotations

import itertools
import time
from collections.abc import Sequence

from opossum_recorder.watchdog import Watchdog

AFTER_S = 0.2


class Game:
    """A recorder as the watchdog sees it."""

    def __init__(self) -> None:
        self.moves_since_s: float | None = None
        self.looks = 0
        self.stuck_for: list[float] = []

    def rest(self) -> None:
        """Count a look."""
        self.looks += 1

    moves = rest

    def main_call(self) -> int | None:
        """Be in no call."""

    def stuck(self, sec: float, stack: Sequence[str], c: int | None = None) -> None:
        """Remember what was said."""
        assert stack and c is None
        self.stuck_for.append(sec)


def test_a_frame_that_goes_on_is_told_and_then_ever_more_seldom():
    """Not before its time is over, and not again at once."""
    game = Game()
    dog = Watchdog(game, AFTER_S)
    time.sleep(AFTER_S / 4)
    game.moves_since_s = time.monotonic()
    time.sleep(AFTER_S * 8)
    dog.stop()
    told = game.stuck_for
    assert told[0] >= AFTER_S and 2 <= len(told) <= 6
    # told to the thousandth of a second
    assert all(after - before >= 1.5 * AFTER_S / 2 - 0.002 for before, after in itertools.pairwise(told))


def test_a_game_that_moves_on_is_looked_at_once_in_the_time_a_frame_may_last():
    """A frame that began since cannot stand still for longer by then."""
    game = Game()
    dog = Watchdog(game, AFTER_S)
    began = game.moves_since_s = time.monotonic()
    while time.monotonic() - began < AFTER_S * 6:
        game.moves_since_s = time.monotonic()
        time.sleep(0.001)
    game.moves_since_s = None
    dog.stop()
    assert 1 <= game.looks <= 2 + (time.monotonic() - began) / (0.9 * AFTER_S)
    looked = game.looks
    time.sleep(AFTER_S)
    assert game.looks == looked
    dog.stop()  # once is enough, twice does no harm


class GameThatMovesOnMeanwhile(Game):
    """Seems to stand still when first looked at, and has moved on by the next look: the watchdog waited in between."""

    def __init__(self) -> None:
        self.asked = 0
        super().__init__()

    @property
    def moves_since_s(self) -> float | None:
        """Long ago and just now, by turns."""
        self.asked += 1
        return time.monotonic() - (2 * AFTER_S if self.asked % 2 else 0)

    @moves_since_s.setter
    def moves_since_s(self, moved_s: float | None) -> None:
        """Let nobody say otherwise."""


def test_a_game_that_moved_on_while_the_watchdog_waited_for_its_turn_is_not_stuck():
    """On a busy machine time passes between two looks; what was true at the first says nothing of the game now."""
    game = GameThatMovesOnMeanwhile()
    dog = Watchdog(game, AFTER_S)
    time.sleep(AFTER_S * 4)
    dog.stop()
    assert game.asked >= 4 and game.stuck_for == []
