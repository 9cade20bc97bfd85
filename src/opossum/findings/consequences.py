"""One story, told once: which finding springs from which, as their causes declare it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from opossum.findings.catalogue import cause_named
from opossum.findings.finding import Finding
from opossum.findings.scene import Scene


def as_stories(scene: Scene, findings: Sequence[Finding]) -> list[Finding]:
    """Return the findings in their order, each with its root and its consequences, which stand right behind it."""
    roots: dict[str, str] = {}
    of_kind: dict[str, list[Finding]] = {}
    for finding in findings:
        of_kind.setdefault(finding.kind, []).append(finding)
    for finding in findings:
        root = _root_of(scene, finding, of_kind, roots)
        if root is not None:
            roots[finding.id] = root.id
    following: dict[str, list[Finding]] = {}
    for finding in findings:
        following.setdefault(roots.get(finding.id, ""), []).append(finding)

    def told(root: str) -> list[Finding]:
        lines: list[Finding] = []
        for finding in following.get(root, ()):
            consequences = tuple(other.id for other in following.get(finding.id, ()))
            lines += [finding.changed(root=root, consequences=consequences), *told(finding.id)]
        return lines

    return told("")


def _root_of(
    scene: Scene, finding: Finding, of_kind: dict[str, list[Finding]], roots: dict[str, str]
) -> Finding | None:
    """Return the first finding that this one springs from, or None."""
    cause = cause_named(finding.kind, finding.cause)
    for spring in cause.springs_from if cause else ():
        kind, _, wanted = spring.root.partition("/")
        for root in of_kind.get(kind, ()):
            if (wanted and root.cause != wanted) or _leads_back(root, finding, roots):
                continue
            if spring.follows(scene, finding, root):
                return root
    return None


def _leads_back(root: Finding, finding: Finding, roots: dict[str, str]) -> bool:
    """Say whether `root` is the finding itself or springs from it: stories do not go round in circles."""
    at = root.id
    while at:
        if at == finding.id:
            return True
        at = roots.get(at, "")
    return False


def unique(ids: Sequence[str]) -> list[str]:
    """Return ids with a number behind every repetition, so that no two are the same."""
    taken: set[str] = set()
    told = []
    for name in ids:
        candidate, number = name, 1
        while candidate in taken:
            number += 1
            candidate = f"{name}/{number}"
        taken.add(candidate)
        told.append(candidate)
    return told


def first_shown(finding: Finding) -> int:
    """Return the row of the first frame in which a finding shows, -1 where none is known."""
    return int(np.min(finding.frame_rows, initial=np.iinfo(np.int64).max)) if len(finding.frame_rows) else -1
