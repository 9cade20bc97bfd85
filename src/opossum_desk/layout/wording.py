"""What a finding is called on screen, as the catalogue declares it."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum.words import number, tr

SEVERITY_TITLES = {"fault": "Fault", "waste": "Waste", "risk": "Risk", "note": "Note"}


def severity_title(severity: str) -> str:
    """Return how bad something is, in a word."""
    return tr(SEVERITY_TITLES[severity])


def kind_title(name: str) -> str:
    """Return what went wrong, as a person would say it."""
    from opossum.findings.catalogue import kind_named  # not needed before something was found

    kind = kind_named(name)
    return tr(kind.title) if kind else name


def group_title(finding: Finding) -> str:
    """Return under which symptom a finding is listed."""
    from opossum.findings.catalogue import cause_named, kind_named

    kind, cause = kind_named(finding.kind), cause_named(finding.kind, finding.cause)
    group = cause.group if cause is not None and cause.group is not None else kind.group if kind is not None else None
    return tr(group.title) if group is not None else finding.kind


def cause_title(finding: Finding) -> str:
    """Return why, in a few words."""
    from opossum.findings.catalogue import cause_named

    cause = cause_named(finding.kind, finding.cause)
    return tr(cause.title) if cause else finding.cause


def finding_name(finding: Finding) -> str:
    """Return what a finding is about, as it stands above why; where nothing is named it is the game's own thread.

    Of several peers the one that it is about is named.
    """
    peer = finding.subject.peer
    name = finding.name or tr("the game's thread")
    return f"{peer}: {name}" if peer else name


def finding_title(finding: Finding) -> str:
    """Return a finding as one line of a list."""
    title = cause_title(finding)
    return f"{finding_name(finding)} – {title}" if finding.name or finding.subject.peer else title


def short_time(ns: float) -> str:
    """Return a time in at most six characters or so."""
    if ns >= 1e9:
        return f"{number(ns / 1e9, '.2f')} s"
    return f"{number(ns / 1e6, '.1f')} ms" if ns >= 1e6 else f"{number(ns / 1e3, '.0f')} µs"


LETTER_PX = 6.6
"""About how wide a letter is."""


def wrapped(text: str, width: float, letter_px: float = LETTER_PX) -> list[str]:
    """Return a sentence as lines that fit a width in pixels, where a letter takes so many."""
    room = max(20, int(width / letter_px))
    lines: list[str] = []
    for word in text.split():
        if lines and len(lines[-1]) + 1 + len(word) <= room:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines
