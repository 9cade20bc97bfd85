"""Real engines play in real time, on machines that others share: what fails is played again before it counts."""

from __future__ import annotations

import pytest

PLAYED_AGAIN = 2


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark the tests of this folder."""
    for item in items:
        if "engines" in item.path.parts:
            item.add_marker(pytest.mark.flaky(reruns=PLAYED_AGAIN, reruns_delay=1))
