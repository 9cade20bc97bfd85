"""`no faults but …` and `no finding … of …`: what is found in the take must not be."""

from __future__ import annotations

import numpy as np

from opossum.findings.examine import examine
from opossum.findings.finding import Finding, Severity
from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground, means
from opossum.rules.sentence import Form


def found_of(ground: Ground) -> list[Finding]:
    """Return what is found in the take, looked for once."""
    return examine(ground.take, ground.settings)


def no_findings(ground: Ground, form: Form) -> Occasions:
    """Judge the take: nothing that bad or worse is found, but for kinds or causes that are named."""
    word, spared = form.children
    limit = Severity(str(word).rstrip("s")).rank
    wrong = [
        finding
        for finding in ground.once(found_of)
        if finding.severity.rank <= limit and not _named(finding, spared or ())
    ]
    return _occasions(ground, wrong)


def no_finding(ground: Ground, form: Form) -> Occasions:
    """Judge the take: no finding of a kind or cause, of a class, object, function or event where one is named."""
    names, of = form.children
    wrong = [
        finding
        for finding in ground.once(found_of)
        if _named(finding, names) and (of is None or any(means(of, part) for part in finding.subject))
    ]
    return _occasions(ground, wrong)


def _named(finding: Finding, names: tuple[str, ...]) -> bool:
    return any(means(names, text) for text in (finding.kind, f"{finding.kind}/{finding.cause}", finding.id))


def _occasions(ground: Ground, wrong: list[Finding]) -> Occasions:
    """Return one occasion for each finding that must not be, or one that held."""
    if not wrong:
        any_ = min(1, len(ground.take.frames))
        return occasions(np.zeros(any_), np.zeros(any_), np.ones(any_, bool), lambda place: "")
    rows = [int(finding.frame_rows[0]) if len(finding.frame_rows) else -1 for finding in wrong]
    lines = [finding.evidence[0].line if finding.evidence else 0 for finding in wrong]
    return occasions(
        np.array(lines),
        np.array(rows),
        np.zeros(len(wrong), bool),
        lambda place: f"{wrong[place].id}: {wrong[place].summary}",
    )
