"""A rule that keeps a finding from coming back: the sentence that it breaks, or that it is not found again."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum.rules.writing import written


def rule_against(finding: Finding) -> str:
    """Return a sentence that breaks where the finding shows, with its severity."""
    specific = _SENTENCES.get(f"{finding.kind}/{finding.cause}", _not_again)(finding)
    return f"{finding.severity.value}: {specific or _not_again(finding)}"


def _not_again(finding: Finding) -> str:
    subject = finding.subject
    about = subject.fn or subject.ev or subject.q or subject.clip or subject.cls
    cause = f"{finding.kind}/{finding.cause}"
    return f"no finding {cause}" + (f" of {written(about)}" if about else "")


def _once_a_send(finding: Finding) -> str:
    subject = finding.subject
    if not (subject.ev and subject.fn):
        return ""
    return f"every send of {written(subject.ev)} causes at most 1 call of {written(subject.fn)}"


def _one_timer(finding: Finding) -> str:
    return f"never more than 1 timer {written(finding.subject.ev)} at once for each owner" if finding.subject.ev else ""


def _bind_ends(finding: Finding) -> str:
    return f"every bind by {written(finding.subject.cls)} ends with its owner" if finding.subject.cls else ""


def _not_after_gone(finding: Finding) -> str:
    return f"no call of {written(finding.subject.fn)} comes after its owner is gone" if finding.subject.fn else ""


def _is_heard(finding: Finding) -> str:
    return f"every send of {written(finding.subject.ev)} is heard" if finding.subject.ev else ""


def _of_use(finding: Finding) -> str:
    fn = finding.subject.fn
    return f"every call of {written(fn)} changes something in at least 10 %" if fn else ""


def _has_mark(finding: Finding) -> str:
    subject = finding.subject
    return (
        f"every play of {written(subject.clip)} has mark {written(subject.mark)}"
        if subject.clip and subject.mark
        else ""
    )


def _no_error(finding: Finding) -> str:
    return f"no error in {written(finding.subject.fn)} comes" if finding.subject.fn else ""


_SENTENCES = {
    "double-fire/bound-twice": _once_a_send,
    "double-fire/armed-twice": _one_timer,
    "stale-listener/called-after-gone": _not_after_gone,
    "stale-listener/left-bound": _bind_ends,
    "unheard/sent-before-bind": _is_heard,
    "unheard/near-name": _is_heard,
    "polling-waste/every-frame": _of_use,
    "polling-waste/short-timer": _of_use,
    "polling-waste/delay-loop": _of_use,
    "polling-waste/stay-loop": _of_use,
    "missing-mark/clip-without": _has_mark,
    "raised/raised": _no_error,
}
"""Causes whose finding says the same as a sentence of the language."""
