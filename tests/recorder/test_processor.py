"""What the processor did for a frame, and what the machine did instead."""

from __future__ import annotations

import json
import time

import pytest

from opossum_recorder import processor
from opossum_recorder.processor import FrameProcessor


def measured(monkeypatch, switches: list[int]) -> dict[str, int]:
    """Return what is told of a frame of 30 ms in which the thread slept, its switches given."""
    monkeypatch.setattr(processor, "_given_up", lambda: switches.pop(0))
    measure = FrameProcessor()
    measure.begin()
    time.sleep(0.03)
    told = measure.end()
    measure.close()
    return json.loads("{" + told.lstrip(",") + "}")


def test_a_thread_that_never_gave_the_processor_up_was_kept_from_it(monkeypatch):
    """All it did not run is the machine's."""
    told = measured(monkeypatch, [7, 7])
    assert told["ready"] >= 25_000_000 and told["cpu"] < 20_000_000


@pytest.mark.parametrize("switches", [[7, 8], [-1, -1]])
def test_a_thread_that_waited_did_so_itself(monkeypatch, switches):
    """Also where nothing is told of its switches."""
    assert measured(monkeypatch, switches).get("ready", 0) < 25_000_000
