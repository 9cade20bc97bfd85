"""Each scene with one record left out, told twice or changed: what is said of it then may not change unseen either.

What lies just beside a fault is where a rule ends: a listener more, another owner, a clip that ended otherwise. No person has
read all of it. After a change that is meant: `PYTHONPATH=tests python tests/findings/test_one_record_changed.py`, then `git diff`.
"""

from __future__ import annotations

import json
from pathlib import Path
from random import Random
from typing import Any

import pytest

from findings.all_told import word_for
from findings.scenes import FAULTS, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from opossum.findings.examine import examine
from tape import read

SAID = Path(__file__).parent / "one_record_changed.json"
SCENES = {scene.build.__name__: scene for scene in FAULTS}
CHANGES = 6
LONGEST = 4_000
"""Records of a scene that is changed so often; a longer one, which takes its time, is changed once."""
WORDS = {
    "via": ("direct", "tick", "input", "zone", "timer", "delay", "clip", "queue", "net", "life", "clock"),
    "how": ("cleared", "done", "owner", "end", "cut", "blend"),
    "edge": ("enter", "stay", "leave", "down", "held", "up"),
    "route": ("all", "first", "one"),
    "what": ("timer", "delay", "anim", "track"),
}
LEFT_ALONE = ("k", "t", "p", "n")


def changed(lines: list[str], dice: Random) -> bytes:
    """Return a stream in which something is otherwise with one of its records."""
    records: list[dict[str, Any]] = [json.loads(line) for line in lines]
    # any kind as often as another, however many records it has
    kind = dice.choice(sorted({record["k"] for record in records} - {"head", "phase"}))
    at = dice.choice([place for place, record in enumerate(records) if record["k"] == kind])
    record = records[at]
    way = dice.randrange(5)
    if way == 0:
        del records[at]
    elif way == 1:
        records.insert(at, dict(record))
    else:
        fields = [name for name in record if name not in LEFT_ALONE] or ["t"]
        field = dice.choice(fields)
        known = [other[field] for other in records if field in other]
        record[field] = dice.choice((*WORDS.get(field, ()), *known, 0, 1)) if way < 4 else None
        if record[field] is None:
            del record[field]
    return "".join(json.dumps(one) + "\n" for one in records).encode()


def said(name: str) -> list[str]:
    """Return for each change of a scene a word for all that is told of it."""
    scene = SCENES[name]
    stage, frames = built(scene.build, scene.stage)
    lines = stage.run(frames).lines
    told = []
    for number in range(CHANGES if len(lines) <= LONGEST else 1):
        findings = examine(read(changed(lines, Random(f"{name} {number}"))))
        told.append(word_for(findings))
    return told


@pytest.mark.parametrize("name", SCENES)
def test_what_is_said_where_one_record_is_changed(name):
    """Neither a word, nor a number, nor a place."""
    assert said(name) == json.loads(SAID.read_text())[name]


if __name__ == "__main__":
    SAID.write_text(json.dumps({name: said(name) for name in SCENES}, indent=1) + "\n")
