"""What is told of a game does not hang on which of its names or records came first: both are numbered from 0 inside."""

from __future__ import annotations

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


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: scene.build.__name__)
def test_a_game_may_be_called_as_what_it_is_about(scene: Fault) -> None:
    """Its name is the first text of all."""
    head, *records = records_of(scene)
    found = found_in([head, *records])
    about = {name for finding in found for name in finding.subject.as_dict().values() if isinstance(name, str)}
    for name in sorted(about):
        assert told(found_in([{**head, "game": name}, *records])) == told(found)


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: scene.build.__name__)
def test_others_may_have_come_and_gone_before(scene: Fault) -> None:
    """Nothing is the first of its kind any more."""
    head, *records = records_of(scene)
    before = [{**record, "t": head["t"]} for record in FIRST]
    assert told(found_in([head, *before, *records]), len(FIRST)) == told(found_in([head, *records]))
