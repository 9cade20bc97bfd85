"""Where the stream tells source places, each advice about code names one: what to change, and where."""

from __future__ import annotations

import re

import msgspec
import pytest

from findings.scenes import FAULTS, Fault, built, clips, hearing, order, timing  # noqa: F401  # they register their scenes
from opossum.findings.examine import examine
from opossum.stream.kinds import KINDS
from tape import read

PLACED = [name for name, kind in KINDS.items() if any(field.name == "at" for field in kind.fields)]
WITHOUT_ONE = {
    "missing-mark/wait-without": "what lacks the mark is a clip",
    "missing-mark/clip-without": "what lacks the mark is a clip",
    "cut-before-mark/cut": "no record tells where a clip is stopped",
    "cut-before-mark/replaced": "no record tells where a clip is begun",
    "wait-never-met/clip-ended": "no record tells where a wait is begun",
    "wait-never-met/owner-gone": "no record tells where a wait is begun",
    "wait-never-met/take-ended": "no record tells where a wait is begun",
    "order-broken/phase-order": "phases are the engine's",
    "unheard/queued-never-pulled": "who should pull it has no place yet; who does is named",
}
"""Causes that may name none, and why."""


def with_places(written: bytes) -> bytes:
    """Return a stream whose records tell where they were made, as far as they may, by their line."""
    lines = [msgspec.json.decode(line) for line in written.splitlines()]
    for number, line in enumerate(lines, 1):
        if line["k"] in PLACED:
            line.setdefault("at", f"{line['k']}.gd:{number}")
    return b"".join(msgspec.json.encode(line) + b"\n" for line in lines)


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: scene.build.__name__)
def test_an_advice_says_where(scene: Fault) -> None:
    """By a place that a record of the stream tells."""
    stage, frames = built(scene.build, scene.stage)
    written = with_places(stage.run(frames).bytes())
    told = {msgspec.json.decode(line).get("at") for line in written.splitlines()}
    for finding in examine(read(written)):
        places = re.findall(r"\w+\.gd:\d+", finding.advice)
        assert set(places) <= told
        assert places or f"{finding.kind}/{finding.cause}" in WITHOUT_ONE, finding.advice
