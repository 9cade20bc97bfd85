"""Where the stream tells source places, each advice about code names one: what to change, and where."""

from __future__ import annotations

import re

import msgspec
import pytest

from findings.scenes import FAULTS, Fault, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from opossum.findings.examine import examine
from opossum.stream.kinds import KINDS
from tape import read

PLACED = [name for name, kind in KINDS.items() if any(field.name == "at" for field in kind.fields)]
WITHOUT_ONE = {
    "missing-mark/wait-without": "what lacks the mark is a clip",
    "missing-mark/clip-without": "what lacks the mark is a clip",
    "mark-late/burst": "it is meant for listeners, and nobody listens in these scenes",
    "order-broken/phase-order": "phases are the engine's",
    "unheard/queued-never-pulled": "no record tells where somebody pulls; who does is named",
}
"""Causes that name none, and why."""
MADE_IN_A_CALL = ("wait", "play", "stop")
"""Records that tell no place themselves, but the call they were made in."""


def with_places(written: bytes) -> bytes:
    """Return a stream whose records tell where they were made, by their line: themselves, or by the call around them."""
    lines = []
    for number, line in enumerate(map(msgspec.json.decode, written.splitlines()), 1):
        if line["k"] in PLACED:
            line.setdefault("at", f"{line['k']}.gd:{number}")
        if line["k"] in MADE_IN_A_CALL and "c" not in line:
            ids = {"t": line["t"], "s": 10**6 + number, "c": 10**6 + number}
            send = {"k": "send", "t": ids["t"], "s": ids["s"], "ev": "run"}
            call = {"k": "call", **ids, "o": "stage#1", "fn": "Stage.run", "at": f"stage.gd:{number}"}
            lines += [send, call, line | {"c": ids["c"]}, {"k": "ret", "t": ids["t"], "c": ids["c"]}]
        else:
            lines.append(line)
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
        assert bool(places) is not (f"{finding.kind}/{finding.cause}" in WITHOUT_ONE), finding.advice
