"""Recorders tell what they know: a scene from which an optional field is left out is still judged, in whole sentences."""

from __future__ import annotations

import re

import msgspec
import pytest

from findings.scenes import FAULTS, Fault, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401
from opossum.findings.examine import examine
from opossum.stream.kinds import KINDS
from tape import read

GAPS = re.compile(
    r"^ |``|\bNone\b|\bnan\b|  | [.,:;]|\(\)|\( | \)|[{}]|(?<![\d,.])[01] (times|frames)\b|\b(of|by|and)[.,:;]"
)
"""What a sentence says where a name or a number is missing in it."""

ALWAYS_TOLD = {("wait", "ev"), ("watch", "o")}
"""What the contract asks for, and the reader takes to be empty where it is not there."""
BOTH = ("bind", "call")
"""Of these, either tells whose listener it is, and which function."""


def optional_fields(lines: list[dict]) -> list[tuple[str, str]]:
    """Return (kind, field) of everything in a stream that a recorder may leave out."""
    optional = {(name, field.name) for name, kind in KINDS.items() for field in kind.fields if not field.required}
    return sorted({(line["k"], name) for line in lines for name in line} & optional - ALWAYS_TOLD)


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: scene.build.__name__)
def test_sentences_are_whole_without_a_field(scene: Fault) -> None:
    """Whatever is found then: no name is empty, and no number is told of what is not known."""
    stage, frames = built(scene.build, scene.stage)
    written = stage.run(frames).bytes().splitlines(keepends=True)
    lines = [msgspec.json.decode(line) for line in written]
    fields = optional_fields(lines)
    assert fields
    for kinds, field in [*(((kind,), field) for kind, field in fields), *((BOTH, field) for field in ("o", "fn"))]:
        kept = [
            msgspec.json.encode({name: value for name, value in line.items() if name != field}) + b"\n"
            if line["k"] in kinds and field in line
            else whole
            for line, whole in zip(lines, written, strict=True)
        ]
        for finding in examine(read(b"".join(kept))):
            for text in (finding.summary, finding.advice, *finding.details):
                assert not GAPS.search(text), (kinds, field, text)
