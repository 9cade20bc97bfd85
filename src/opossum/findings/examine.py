"""Examining a take: run every kind, link what belongs to one story, sort worst first."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from opossum.findings import catalogue
from opossum.findings.consequences import as_stories, first_shown, unique
from opossum.findings.declaring import Cause, Kind
from opossum.findings.finding import Finding, Found
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.take import Take

Progress = Callable[[str], None]
"""Called with the name of the kind that is looked for next; may raise to cancel."""

DOUBLED_BY = "double-fire"
"""The kind whose calls views mark as doubled."""


def examine(
    take: Take,
    settings: Settings | None = None,
    only: Collection[str] = (),
    progress: Progress | None = None,
    *,
    playing: bool = False,
) -> list[Finding]:
    """Return all findings of a take, worst first, those of one root after it.

    Args:
        take: the take; it is only read.
        settings: the thresholds; the catalogue's by default.
        only: kinds to look for (all if empty).
        progress: told which kind comes next.
        playing: the game still plays, so that the take's end is not judged.
    """
    scene = Scene(take, settings or Settings(), playing)
    findings: list[Finding] = []
    for kind in catalogue.KINDS:
        if only and kind.name not in only:
            continue
        if progress is not None:
            progress(kind.name)
        for cause in kind.causes:
            findings += [_finding(scene, kind, cause, found) for found in cause.find(scene)]
    # of equal ids the one that shows first has no number: so it keeps its id from take to take
    findings.sort(key=lambda finding: (finding.id, first_shown(finding), finding.subject.o))
    for finding, name in zip(findings, unique([finding.id for finding in findings]), strict=True):
        finding.id = name
    findings.sort(key=lambda finding: (finding.severity.rank, -finding.cost_ns, -finding.count, finding.id))
    return as_stories(scene, findings)


def _finding(scene: Scene, kind: Kind, cause: Cause, found: Found) -> Finding:
    rows = distinct(np.asarray(found.frame_rows, np.int64))
    subject = found.subject
    about = (subject.peer, subject.cls or subject.o, subject.fn, subject.ev, subject.clip, subject.mark, subject.q)
    return Finding.of(
        found,
        kind=kind.name,
        cause=cause.name,
        id="/".join(part for part in (kind.name, cause.name, *about, *found.told_apart) if part),
        severity=found.rated or cause.severity,
        frame_rows=rows,
        frames=_frame_numbers(scene, rows),
    )


def _frame_numbers(scene: Scene, rows: Array) -> list[int]:
    """Return the game's numbers of frames (rows); what shows at start-up only, shows in the first frame."""
    numbers = scene.take.frame_numbers(rows)
    known = rows[rows >= 0]
    if numbers or not len(known):
        return numbers
    # a row of start-up stands right before its peer's first frame
    return scene.take.frame_numbers(np.minimum(known + 1, len(scene.take.frames) - 1))


def doubled_calls(take: Take, findings: Collection[Finding]) -> Array:
    """Return a boolean array (calls,): the call is part of a double firing."""
    flags = np.zeros(len(take.calls), bool)
    for finding in findings:
        if finding.kind == DOUBLED_BY:
            flags[finding.calls] = True
    return flags
