"""Games that nobody here wrote, as far as they need nothing that is not installed: what is seen of them, and what is found."""

from __future__ import annotations

import pytest
from playing_strangers import Stranger, missing, play, strangers, unjudged

from opossum.take.checks import check_take

QUICK = [stranger for stranger in strangers() if stranger.quick]
SECONDS = 4.0


@pytest.mark.flaky(reruns=2, reruns_delay=1)
@pytest.mark.parametrize("stranger", QUICK, ids=[stranger.name for stranger in QUICK])
def test_its_author_would_recognise_it_and_nothing_false_is_said(stranger: Stranger, tmp_path):
    """Without a screen, so without a key pressed."""
    take = play(stranger, tmp_path / "game.take", SECONDS, screen=False)

    assert check_take(take) == []
    assert missing(stranger, take) == []
    # how long a frame took is the machine's as much as the game's, and here other tests run beside it:
    # freezes are judged where games are played by themselves (tools/play_strangers.py)
    assert [finding.summary for finding in unjudged(stranger, take) if finding.kind != "freeze"] == []


def test_the_list_is_long_enough_and_whole():
    """Fifteen games at least, of five engines; each says what must be seen of it."""
    listed = strangers()
    assert len(listed) >= 15 and len({stranger.environment for stranger in listed}) >= 5
    assert all(stranger.functions for stranger in listed)
    assert len({stranger.name for stranger in listed}) == len(listed)
