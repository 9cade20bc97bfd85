"""What is said of each of the bakery's faults, word for word and number for number: sentences, costs, frames, evidence.

`said.json` was read by a person, entry by entry, before it was kept. After a change that is meant:
`PYTHONPATH=tests python tests/findings/test_said.py`, and read what changed.
"""

from __future__ import annotations

import json
import re
import tempfile
from pathlib import Path
from typing import Any

import pytest

from findings import scenes
from findings.scenes import clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from findings.scenes.by_hand import TAPES
from moonrise_bakery.faults import FAULTS
from moonrise_bakery.night import record_night
from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum.take.take import Take

SAID = Path(__file__).parent / "said.json"
SECONDS = 60.0


def played(scene: scenes.Fault) -> Take:
    """Return a scene's take."""
    stage, frames = scenes.built(scene.build, scene.stage)
    return stage.run(frames).take()


SCENES = {scene.build.__name__: scene for scene in scenes.FAULTS}


def said(take: Take) -> list[dict[str, Any]]:
    """Return a take's findings as plain values; lines of the bakery's own source are left open, for they move."""
    text = json.dumps([finding.as_dict() for finding in examine(take)])
    return json.loads(re.sub(r"(moonrise_bakery/\w+\.py):\d+", r"\1:…", text))


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_of_the_bakery(night, name):
    """Nothing that is told of it may change unseen."""
    assert said(night(name, seconds=SECONDS)) == json.loads(SAID.read_text())[name]


@pytest.mark.parametrize("name", TAPES)
def test_a_stream_by_hand(name):
    """The same for what the bakery does not do."""
    assert said(TAPES[name]().take(bye=name != "cut off")) == json.loads(SAID.read_text())[name]


@pytest.mark.parametrize("name", SCENES)
def test_a_scene(name):
    """The same for each of the small games with one fault."""
    assert said(played(SCENES[name])) == json.loads(SAID.read_text())[name]


def renew() -> None:
    """Write down what is said now."""
    kept = {name: said(tape().take(bye=name != "cut off")) for name, tape in TAPES.items()}
    kept |= {name: said(played(scene)) for name, scene in SCENES.items()}
    with tempfile.TemporaryDirectory() as folder:
        for name in FAULTS:
            path = Path(folder) / f"{name}.flow.jsonl"
            record_night(path, (name,), seconds=SECONDS)
            kept[name] = said(open_any(str(path)))
    text = json.dumps(kept, indent=1, ensure_ascii=False)
    in_a_line = re.sub(r"\[([\d,\s]+)\]", lambda found: "[" + " ".join(found[1].split()) + "]", text)
    SAID.write_text(in_a_line + "\n", encoding="utf-8")


if __name__ == "__main__":
    renew()
