"""What is told of a game does not hang on which of its names or records came first, nor on another that has the same: all are numbers inside."""

from __future__ import annotations

import json
import re
from typing import Any

import msgspec
import pytest

from findings.scenes import FAULTS, Fault, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from tape import read

FIRST = [
    {"k": "spawn", "o": "mop#1", "cls": "Mop"},
    {"k": "play", "y": 900_001, "o": "mop#1", "clip": "drip", "len": 0.01},
    {"k": "stop", "y": 900_001, "how": "end"},
    {"k": "arm", "a": 900_001, "what": "timer", "loop": True, "o": "mop#1", "ev": "mop_dries", "sec": 9},
    {"k": "disarm", "a": 900_001},
    {"k": "wait", "w": 900_001, "o": "mop#1", "ev": "mop_dries"},
    {"k": "quit", "w": 900_001},
    {"k": "bind", "b": 900_001, "ev": "mop_dries", "o": "mop#1", "fn": "Mop.on_dries"},
    {"k": "unbind", "b": 900_001},
    {"k": "gone", "o": "mop#1"},
]
"""One of everything, that comes and goes in order before anything else does."""


SELDOM_FIRST = ("src", "to", "err", "edge", "how", "key", "mark", "q", "net")
"""Fields of which few records tell, and the first of a stream never."""


def records_of(scene: Fault) -> list[dict[str, Any]]:
    stage, frames = built(scene.build, scene.stage)
    return [msgspec.json.decode(line) for line in stage.run(frames).bytes().splitlines()]


def found_in(records: list[dict[str, Any]]) -> list[Finding]:
    return examine(read(b"".join(msgspec.json.encode(record) + b"\n" for record in records)))


def told(findings: list[Finding], first: int = 0) -> list[dict[str, Any]]:
    """Return all that is told; lines as if `first` of them had not been there."""
    found = [finding.as_dict() for finding in findings]
    for finding in found:
        for proof in finding["evidence"]:
            proof["line"] -= first
    return found


@pytest.mark.parametrize("place", range(len(FAULTS)), ids=lambda place: FAULTS[place].build.__name__)
def test_others_may_have_come_first(place: int) -> None:
    """Nothing is the first of its kind, and the first text of all, the game's name, is that of an object, an event, a
    function or of how something comes about: each scene has one of its own, others have the others.
    """
    head, *records = records_of(FAULTS[place])
    found = found_in([head, *records])
    about = {name for finding in found for name in finding.subject.as_dict().values() if isinstance(name, str)}
    about |= {record[field] for record in records for field in SELDOM_FIRST if isinstance(record.get(field), str)}
    name = sorted(about or {"game"})[place % max(1, len(about))]
    before = [{**record, "t": head["t"]} for record in FIRST]
    assert told(found_in([{**head, "game": name}, *before, *records]), len(FIRST)) == told(found)


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: scene.build.__name__)
def test_two_that_play_the_same_are_told_of_one_by_one(scene: Fault) -> None:
    """Whatever has the same name, number and time on both: each is told of what is its own."""
    records = records_of(scene)
    both = [
        {**record, "p": peer} | ({"peer": peer} if record["k"] == "head" else {})
        for record in records
        for peer in ("one", "other")
    ]
    alone = [_of_no_peer(finding) for finding in found_in(records)]
    found = found_in(both)
    for peer in ("one", "other"):
        assert [_of_no_peer(finding) for finding in found if finding.subject.peer == peer] == alone
    assert len(found) == 2 * len(alone)


def _of_no_peer(finding: Finding) -> dict[str, Any]:
    """Return all that is told but whose peer it is, in ids too, and by which lines it is proved."""
    told_of = finding.as_dict()
    told_of["evidence"] = [(proof["k"], proof["note"]) for proof in told_of["evidence"]]
    told_of["subject"].pop("peer", None)
    text = json.dumps(told_of)
    return json.loads(re.sub("/(one|other)\\b", "", text))
