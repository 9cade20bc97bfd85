"""The rows of Clips: the clips of each class, and below them which clip has which mark."""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

from opossum.findings.catalogue import weave_of
from opossum.findings.finding import Finding
from opossum.take.sieve import passes_by_name
from opossum_desk.clips.layout.plays import Overlaid, OverlaidClip, marks_of_class
from opossum_desk.state.session import Session

MOST_DETAILS = 3


class Sort(Enum):
    """What a row is."""

    CLASS = "class"
    CLIP = "clip"
    GRID_HEAD = "grid head"
    GRID = "grid"


class ClipRow(NamedTuple):
    """One row: a class, one clip of it, or the line of a clip in the grid of marks (`marks`: its columns)."""

    sort: Sort
    clip: OverlaidClip
    findings: tuple[Finding, ...] = ()
    marks: tuple[int, ...] = ()
    faded: bool = False


def clip_rows(known: Overlaid, session: Session) -> list[ClipRow]:
    """Return the rows: classes in order of their worst finding, in each its clips, then the grid of its marks."""
    hides = session.sieve.hides and session.sieve.active
    classes: dict[tuple[int, str], list[ClipRow]] = {}
    for clip in known.clips:
        faded = session.sieve.active and not passes(known, session, clip)
        if not (faded and hides):
            mine = tuple(finding for finding in session.findings if tells_of(known, finding, clip))
            classes.setdefault((clip.peer, clip.cls), []).append(ClipRow(Sort.CLIP, clip, mine, (), faded))
    rows: list[ClipRow] = []
    for own in sorted(classes.values(), key=lambda own: min(_rank(row) for row in own)):
        own.sort(key=_rank)
        rows.append(ClipRow(Sort.CLASS, own[0].clip, faded=all(row.faded for row in own)))
        rows += own
        columns = tuple(marks_of_class(known, [row.clip for row in own]))
        if columns and len(own) > 1:
            rows.append(ClipRow(Sort.GRID_HEAD, own[0].clip, marks=columns))
            rows += [row._replace(sort=Sort.GRID, marks=columns) for row in own]
    return rows


def _rank(row: ClipRow) -> int:
    return min((finding.severity.rank for finding in row.findings), default=9)


def passes(known: Overlaid, session: Session, clip: OverlaidClip) -> bool:
    """Say whether a clip passes the sieve: by its class, its own name, or the name of a mark."""
    names = [clip.clip, *(known.name_of(number) for number, _ in clip.planned)]
    return any(passes_by_name(session.sieve.terms, event=name, owner=clip.cls, cls=clip.cls) for name in names)


def tells_of(known: Overlaid, finding: Finding, clip: OverlaidClip) -> bool:
    """Say whether a finding is about a clip."""
    subject = finding.subject
    if not subject.clip or subject.clip != clip.clip or (subject.cls and subject.cls != clip.cls):
        return False
    peer = known.take.peers[clip.peer].name
    return subject.peer in ("", peer) and weave_of(finding.kind, finding.cause) in ("clips", "pacing")
