"""A receiver for the tests of the link."""

import pytest

from opossum.live.receiver import Receiver


@pytest.fixture
def receiver(tmp_path):
    """Return a receiver on any free port."""
    receiver = Receiver(tmp_path / "live.flow.jsonl", port=0)
    receiver.start()
    yield receiver
    receiver.stop()
