"""A listener for the tests of the link."""

import pytest

from opossum.live.listener import Listener


@pytest.fixture
def listener(tmp_path):
    """Return a listener on any free port."""
    listener = Listener(tmp_path / "live.flow.jsonl", port=0)
    listener.start()
    yield listener
    listener.stop()
