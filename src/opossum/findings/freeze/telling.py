"""How causes of freezes are told: each judges the frames that no surer cause explains; frames of one cause are one finding."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from opossum.findings.finding import Evidence, Found, Subject
from opossum.findings.freeze.frozen import frozen
from opossum.findings.scene import Scene
from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import counted, tr


@dataclass(eq=False, repr=False, kw_only=True)
class Verdict:
    """What held one frame: told apart by `key`, so that frames of one cause become one finding.

    `ending`: how the sentence about the frame begins where it never ended; empty where it did.
    """

    key: tuple[object, ...]
    subject: Subject
    reason: str
    advice: str
    evidence: list[Evidence]
    calls: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    details: list[str] = field(default_factory=list)
    ending: str = ""


Judge = Callable[[Scene, int, int], Verdict | None]
"""Says of a frame (row, length in ns) whether its cause held it."""

Verdicts = Callable[[Scene], dict[int, Verdict]]


def verdicts_of(judge: Judge, *surer: Verdicts) -> Verdicts:
    """Return a question for `Scene.once`: the verdicts of one judge on the frozen frames that no surer one explains."""

    def ask(scene: Scene) -> dict[int, Verdict]:
        explained = {row for other in surer for row in scene.once(other)}
        found: dict[int, Verdict] = {}
        rows, lengths = scene.once(frozen)
        for row in rows:
            if row not in explained and (verdict := judge(scene, row, int(lengths[row]))) is not None:
                found[row] = verdict
        return found

    return ask


def told(verdicts: Verdicts) -> Callable[[Scene], Iterator[Found]]:
    """Return a cause's finder: it yields one finding for all frames that have one key."""

    def find(scene: Scene) -> Iterator[Found]:
        by_key: dict[Any, list[tuple[int, Verdict]]] = {}
        for row, verdict in scene.once(verdicts).items():
            peer = int(scene.take.frames.peer[row])
            by_key.setdefault((peer, *verdict.key), []).append((row, verdict))
        for frames in by_key.values():
            yield _tell(scene, frames)

    return find


def _tell(scene: Scene, frames: list[tuple[int, Verdict]]) -> Found:
    take, lengths = scene.take, scene.once(frozen).lengths
    rows = np.array([row for row, _ in frames], np.int64)
    worst_row, verdict = max(frames, key=lambda item: lengths[item[0]])
    longest = int(lengths[worst_row])
    name = (
        tr("Frame {number}", number=take.frames.number[worst_row])
        if take.frames.number[worst_row] >= 0
        else tr("Start-up")
    )
    length = milliseconds(longest)
    verb = tr("took {length}", length=length) if not verdict.ending else verdict.ending.format(length=length)
    more = tr(" It happened in {frames}.", frames=counted(len(rows), "frame")) if len(rows) > 1 else ""
    return Found(
        subject=verdict.subject,
        frame_rows=rows,
        count=len(rows),
        cost_ns=int(lengths[rows].sum()),
        summary=f"{name} {verb}: {verdict.reason}.{more}",
        advice=verdict.advice,
        evidence=tuple(verdict.evidence),
        calls=distinct(np.concatenate([item.calls for _, item in frames])),
        details=tuple(detail for detail in verdict.details if detail),
        told_apart=(verdict.subject.at,) if not (verdict.subject.fn or verdict.subject.ev) else (),
    )
