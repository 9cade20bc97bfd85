"""Takes and streams of version 1 that earlier Opossums wrote are opened by this one, and say what they said."""

from pathlib import Path

import pytest

from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum.take.sameness import first_difference

FOLDER = Path(__file__).parent / "version_1"
BREAD = "double-fire/bound-twice/Counter/Counter.on_bread_ready/bread_ready"

WRITTEN = {
    "2026-11-25.take": (9_965, [BREAD]),
    "2026-11-25.flow.jsonl.gz": (9_965, [BREAD]),
    "2026-11-29.take": (9_821, ["double-fire/queue-kept/Baker/Baker.on_knead_job/knead_job/bench", BREAD]),
}
"""By when they were written: their records, and what was found in them."""


@pytest.mark.parametrize("name", WRITTEN)
def test_what_was_written_is_read(name):
    """With all its records, and the same findings by the same names."""
    take = open_any(str(FOLDER / name))
    assert (take.records, [finding.id for finding in examine(take)]) == WRITTEN[name]


def test_every_file_that_is_kept_is_read():
    """Whoever adds one says what is in it."""
    assert {path.name for path in FOLDER.iterdir()} == set(WRITTEN)


def test_a_take_and_its_stream_are_the_same():
    """Both were written of one night."""
    both = [open_any(str(FOLDER / f"2026-11-25.{ending}")) for ending in ("take", "flow.jsonl.gz")]
    assert first_difference(*both) == ""
