"""What a finding is called on screen: kinds, causes and severities in plain words."""

from __future__ import annotations

from opossum.findings.finding import Finding

KIND_TITLES = {
    "double-fire": "Fires twice",
    "stale-listener": "Listens past its life",
    "polling-waste": "Polls for nothing",
    "freeze": "Froze",
}
"""What went wrong, as a person would say it; groups of the list of findings."""

CAUSE_TITLES = {
    "bound-twice": "bound twice",
    "two-routes": "reached by two routes",
    "queue-kept": "kept on its queue",
    "armed-twice": "armed twice",
    "held-input": "acts while held",
    "no-latch": "acts again and again",
    "mirrored": "acts on several peers",
    "called-after-gone": "called after its owner went",
    "left-bound": "left bound",
    "sender-gone": "listens to one who went",
    "every-frame": "on every frame",
    "short-timer": "by a timer",
    "delay-loop": "by a delay set again",
    "stay-loop": "on every frame of a stay",
    "endless-loop": "a loop without end",
    "slow-call": "one slow call",
    "event-storm": "events in a circle",
    "many-calls": "too many calls",
    "waiting": "the thread stood still",
}

SEVERITY_TITLES = {"fault": "Fault", "waste": "Waste", "risk": "Risk", "note": "Note"}


def finding_title(finding: Finding) -> str:
    """Return a finding as one line of a list."""
    subject = finding.subject
    name = subject.fn or subject.ev or subject.q or subject.at or ""
    return (
        f"{name} – {CAUSE_TITLES.get(finding.cause, finding.cause)}"
        if name
        else CAUSE_TITLES.get(finding.cause, finding.cause)
    )
