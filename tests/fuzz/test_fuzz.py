"""A short run of every attack (`make fuzz` is the long one), and all that ever failed."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from fuzz.attacks import ATTACKS, opened_and_shown, read_and_shown

CORPUS = Path(__file__).parent / "corpus"
SHARE = 200
"""One in so many of the inputs of the long run."""


@pytest.mark.parametrize("name", ATTACKS)
def test_an_attack_is_handled_well(name):
    """Read, refused or told of: never a traceback, never a loss."""
    attack, inputs = ATTACKS[name]

    @settings(
        max_examples=max(8, inputs // SHARE),
        deadline=None,
        derandomize=True,
        database=None,
        phases=[Phase.generate],  # what a seed makes cannot be made smaller
        suppress_health_check=list(HealthCheck),
    )
    @given(st.randoms(use_true_random=True))
    def attacked(random):
        assert attack(random)

    attacked()


@pytest.mark.parametrize("path", sorted(CORPUS.iterdir()), ids=lambda path: path.name)
def test_what_failed_once_does_not_fail_again(path):
    """Streams and saved takes that some version of Opossum could not live with."""
    handle = opened_and_shown if path.name.endswith(".take") else read_and_shown
    assert handle(path.read_bytes())
