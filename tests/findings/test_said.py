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

from moonrise_bakery.faults import FAULTS
from moonrise_bakery.night import record_night
from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum.take.take import Take
from tape import Tape

SAID = Path(__file__).parent / "said.json"
SECONDS = 60.0


def mirrored() -> Take:
    """Return two peers whose shared shelf both change for one networked event."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("frame", n=0, p=peer)("idle", p=peer)("frame", n=1, p=peer)
    for number in range(3):
        for peer in ("host", "guest"):
            tape("bind", b=number + 1, ev="stocked", o="shelf#1", fn="Shelf.on_stocked", at="shelf.gd:4", p=peer)
            tape("send", s=number + 1, ev="stocked", via="net", net=f"n{number}", d={"n": number}, p=peer)
            tape("call", c=number + 1, s=number + 1, b=number + 1, o="shelf#1", fn="Shelf.on_stocked", p=peer)
            tape.ms(0.5 + number)("ret", c=number + 1, eff=1, p=peer)
            tape("unbind", b=number + 1, p=peer)("idle", p=peer).ms(10)("frame", n=number + 2, p=peer)
    return tape.take()


def said(take: Take) -> list[dict[str, Any]]:
    """Return a take's findings as plain values; lines of the bakery's own source are left open, for they move."""
    text = json.dumps([finding.as_dict() for finding in examine(take)])
    return json.loads(re.sub(r"(moonrise_bakery/\w+\.py):\d+", r"\1:…", text))


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_of_the_bakery(night, name):
    """Nothing that is told of it may change unseen."""
    assert said(night(name, seconds=SECONDS)) == json.loads(SAID.read_text())[name]


def test_what_several_peers_do_to_one_owner():
    """The one note among the causes."""
    assert said(mirrored()) == json.loads(SAID.read_text())["mirrored"]


def renew() -> None:
    """Write down what is said now."""
    kept = {"mirrored": said(mirrored())}
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
