"""What is told of a game is told of it beside others that play at the same time, and beside a thread of its own that loads:
whose records, frames and ids are whose."""

from __future__ import annotations

import re
from typing import Any

import msgspec
import pytest

from findings.scenes import FAULTS, QUIET, Fault, Quiet, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401  # they register their scenes
from findings.scenes.by_hand import TAPES
from moonrise_bakery import demo_take_path
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.stream.writing import stream_lines
from opossum.take.opening import open_any
from tape import read


def _at_work(peer: str, hz: float, end: int) -> list[dict[str, Any]]:
    """Return the records of a peer whose one listener has work each frame, with ids that count from 1."""
    made: list[dict[str, Any]] = [
        {"k": "head", "t": 0, "opossum": 1, "game": "test", "peer": peer, "hz": hz},
        {"k": "bind", "t": 0, "b": 1, "ev": f"{peer}_works", "o": "desk#1", "fn": "Desk.on_work"},
    ]
    for number, t in enumerate(range(0, end, round(1e9 / hz))):
        ids = {"s": number + 1, "c": number + 1}
        made.append({"k": "frame", "t": t, "n": number})
        made.append({"k": "send", "t": t, "ev": f"{peer}_works", "s": ids["s"], "o": "desk#1"})
        made.append({"k": "call", "t": t, **ids, "b": 1, "o": "desk#1", "fn": "Desk.on_work"})
        made.append({"k": "ret", "t": t + 1000, "c": ids["c"], "eff": 1})
        made.append({"k": "idle", "t": t + 2000})
    return [{**line, "p": peer} for line in [*made, {"k": "bye", "t": end}]]


def _beside_a_loader(lines: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return a game's records with those of a thread whose one call begins in every third frame and ends in the next."""
    made: list[dict[str, Any]] = []
    frames = 0
    for line in lines:
        made.append(line)
        frames += line["k"] == "frame"
        said = {"t": line.get("t", 0), "th": "loader", "c": 10**7 + frames // 3}
        if line["k"] == "frame" and frames % 3 == 0:
            made.append({"k": "send", "s": said["c"], "ev": "chunk", "o": "loader#1", **said, "c": None})
            made.append({"k": "call", "s": said["c"], "o": "loader#1", "fn": "Loader.on_chunk", **said})
        elif line["k"] == "frame" and frames > 3 and frames % 3 == 1:
            made.append({"k": "ret", "eff": 1, **said})
    return [{name: value for name, value in line.items() if value is not None} for line in made]


def between_others(lines: list[dict[str, Any]]) -> bytes:
    """Return a game's records as a guest's, between those of two others with the same ids, one in another rhythm, and beside
    those of a thread of its own that loads."""
    end = max(line["t"] for line in lines)
    loading = _beside_a_loader(lines)
    guest = [{**line, "p": "guest"} | ({"peer": "guest"} if line["k"] == "head" else {}) for line in loading]
    told = sorted([*_at_work("host", 60, end), *guest, *_at_work("clerk", 25, end)], key=lambda line: line["t"])
    return b"".join(msgspec.json.encode(line) + b"\n" for line in told)


def told_of(finding: Finding) -> dict[str, Any]:
    """Return all that is told but whose peer it is, in ids too, and by which lines it is proved."""
    told = finding.as_dict()
    del told["id"], told["evidence"]
    told["subject"].pop("peer", None)
    told["root"] = re.sub("/guest\\b", "", told["root"] or "")
    told["consequences"] = [re.sub("/guest\\b", "", consequence) for consequence in told["consequences"]]
    return told


def see_that_it_is_told_of_the_guest(written: bytes) -> None:
    """See that what is found in a game is found in the guest, to the frame, number and word, by records of the guest's."""
    stream = between_others([msgspec.json.decode(line) for line in written.splitlines()])
    alone, found = examine(read(written)), examine(read(stream))
    lines = stream.splitlines()

    assert [told_of(finding) for finding in found] == [told_of(finding) for finding in alone]
    for finding in found:
        proofs = [msgspec.json.decode(lines[proof.line - 1]) for proof in finding.evidence]
        assert finding.subject.peer == "guest"
        assert {proof["p"] for proof in proofs} == {"guest"}
        assert [proof["k"] for proof in proofs] == [proof.k for proof in finding.evidence]


@pytest.mark.parametrize("scene", [*FAULTS, *QUIET], ids=lambda scene: scene.build.__name__)
def test_a_scene(scene: Fault | Quiet) -> None:
    """With a fault, or with none."""
    stage, frames = built(scene.build, scene.stage)
    see_that_it_is_told_of_the_guest(stage.run(frames).bytes())


@pytest.mark.parametrize("name", sorted(TAPES.keys() - {"mirrored"}))
def test_a_stream_by_hand(name: str) -> None:
    """The same for what no scene does."""
    see_that_it_is_told_of_the_guest(TAPES[name]().bytes(bye=name != "cut off"))


def test_the_night_at_the_bakery() -> None:
    """The same for all that befalls it in the demo."""
    take = open_any(str(demo_take_path()))
    see_that_it_is_told_of_the_guest(b"".join(stream_lines(take.tables, take.strings, take.peers)))
