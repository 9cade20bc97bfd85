"""Examining a take: run every kind, link what belongs to one story, sort worst first."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from opossum.findings import double_fire, stale_listener
from opossum.findings.catalogue import KINDS_OF_FINDINGS
from opossum.findings.finding import Finding
from opossum.findings.scene import Scene
from opossum.findings.thresholds import Thresholds
from opossum.take.take import Take

Progress = Callable[[str], None]
"""Called with the name of the kind that is looked for next; may raise to cancel."""

SHARED_CALLS = 0.5
"""A finding is another's consequence when at least this share of its calls are the other's."""


def examine(
    take: Take,
    thresholds: Thresholds | None = None,
    only: Collection[str] = (),
    progress: Progress | None = None,
) -> list[Finding]:
    """Return all findings of a take, worst first, those of one root after it.

    Args:
        take: the take; it is only read.
        thresholds: when to speak; the catalogue's by default.
        only: kinds to look for (all if empty).
        progress: told which kind comes next.
    """
    scene = Scene(take, thresholds or Thresholds())
    findings: list[Finding] = []
    for kind in KINDS_OF_FINDINGS:
        if only and kind.name not in only:
            continue
        if progress is not None:
            progress(kind.name)
        findings += kind.find(scene)
    findings.sort(key=lambda finding: (finding.severity.rank, -finding.cost_ns, -finding.count))
    return _as_stories(scene, findings)


def _as_stories(scene: Scene, findings: list[Finding]) -> list[Finding]:
    """Link consequences to their roots and put them behind them."""
    roots: dict[str, str] = {}
    stale = [finding for finding in findings if finding.kind == stale_listener.KIND]
    for finding in findings:
        if finding.kind == stale_listener.KIND:
            continue
        for root in stale:
            if _springs_from(scene, finding, root):
                roots[finding.id] = root.id
                break
    told: list[Finding] = []
    for finding in findings:
        if finding.id in roots:
            continue
        following = [other for other in findings if roots.get(other.id) == finding.id]
        told.append(finding.linked(consequences=tuple(other.id for other in following)))
        told += [other.linked(root=finding.id) for other in following]
    return told


def _springs_from(scene: Scene, finding: Finding, stale: Finding) -> bool:
    if finding.kind == double_fire.KIND and finding.cause == "bound-twice":
        stale_binds = {item.row for item in stale.evidence if item.k == "bind"}
        return any(item.k == "bind" and item.row in stale_binds for item in finding.evidence)
    if not len(finding.calls) or not len(stale.calls):
        return False
    return float(np.isin(finding.calls, stale.calls).mean()) >= SHARED_CALLS


def doubled_calls(take: Take, findings: Collection[Finding]) -> np.ndarray:
    """Return a boolean array (calls,): the call is part of a double firing."""
    flags = np.zeros(len(take.calls), bool)
    for finding in findings:
        if finding.kind == double_fire.KIND:
            flags[finding.calls] = True
    return flags
