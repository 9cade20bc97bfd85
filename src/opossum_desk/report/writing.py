"""Writing the report: what a template needs of a take, and the page it makes of that."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from typing import Any

import jinja2
from markupsafe import Markup, escape

from opossum.findings.blind_spots import blind_spots
from opossum.findings.finding import Finding
from opossum.foreign_text import shown
from opossum.stream.damage import Damage
from opossum.take.checks import check_take
from opossum.take.take import Take
from opossum.version import __version__
from opossum.whole_file import whole_file
from opossum.words import counted, language, tr
from opossum.words import number as spelt
from opossum_desk.layout.colours import DAY, NIGHT, Colours
from opossum_desk.layout.describing import record_text
from opossum_desk.layout.wording import SEVERITY_TITLES, cause_title, finding_name, kind_title, severity_title
from opossum_desk.report.pictures import Pictures
from opossum_desk.state.session import Session

MOST_FINDINGS = 400
"""Findings that are told; of more, the worst."""
MOST_PICTURES = 120
MOST_FRAMES = 24


def write_report(
    take: Take,
    findings: Iterable[Finding],
    damage: list[Damage],
    path: str | os.PathLike[str],
    tell: Callable[[str, float], None] = lambda text, share: None,
) -> None:
    """Write a page that a colleague reads without Opossum, whole or not at all.

    Raises:
        OSError: it cannot be written there.
    """
    text = report_html(take, list(findings), damage, tell)
    with whole_file(path) as file:
        file.write(text.encode("utf-8", "replace"))


def reporting_task(take: Take, findings: list[Finding], path: str) -> Callable[[Callable[[str, float], None]], str]:
    """Return the task of writing a take's report; it answers with the path."""

    def task(tell: Callable[[str, float], None]) -> str:
        try:
            write_report(take, findings, check_take(take), path, tell)
        except OSError as error:
            raise OSError(
                tr("{path}: cannot be written ({strerror}).", path=path, strerror=error.strerror or error)
            ) from None
        return path

    return task


def report_html(
    take: Take,
    findings: list[Finding],
    damage: list[Damage],
    tell: Callable[[str, float], None] = lambda text, share: None,
) -> str:
    """Return the page; names in it are foreign text, and are written as such."""
    session = Session(take)
    session.set_findings(findings)
    pictures = Pictures(session)
    told = findings[:MOST_FINDINGS]
    entries = []
    for number, finding in enumerate(told):
        tell(tr("Drawing"), number / max(1, len(told)))
        entries.append(_entry(session, pictures if number < MOST_PICTURES else None, finding))
    environment = jinja2.Environment(loader=jinja2.PackageLoader("opossum_desk.report", "."), autoescape=True)
    environment.filters["prose"] = _prose
    return environment.get_template("report.html.j2").render(
        tr=tr,
        counted=counted,
        number=spelt,
        language=language(),
        about=_about(take),
        counts=_counts(findings),
        entries=entries,
        left_out=len(findings) - len(told),
        spots=[shown(spot) for spot in blind_spots(take)],
        damage=[shown(item.told()) for item in damage],
        day=_style(DAY),
        night=_style(NIGHT),
        vias=sorted(DAY.via),
        version=__version__,
    )


def _counts(findings: list[Finding]) -> list[str]:
    """Return how many there are of each severity, worst first."""
    of = {name: sum(finding.severity.value == name for finding in findings) for name in SEVERITY_TITLES}
    told = (
        counted(of["fault"], "fault") if of["fault"] else "",
        tr("{count:,} waste", count=of["waste"]) if of["waste"] else "",
        counted(of["risk"], "risk") if of["risk"] else "",
        counted(of["note"], "note") if of["note"] else "",
    )
    return [text for text in told if text]


def _about(take: Take) -> dict[str, str | int]:
    head = take.recording.head_text
    peers = len(take.peers)
    return {
        "game": shown(take.game),
        "take": shown(take.name),
        "engine": shown(head(0, "engine")) if peers else "",
        "build": shown(head(0, "build")) if peers else "",
        "started": shown(head(0, "started")) if peers else "",
        "length": f"{spelt(take.duration_ns / 1e9, ',.1f')} s",
        "frames": take.game_frames,
        "records": take.records,
        "peers": ", ".join(shown(span.name) for span in take.peers) if peers > 1 else "",
    }


def _entry(session: Session, pictures: Pictures | None, finding: Finding) -> dict[str, Any]:
    take = session.take
    frames = finding.frames[:MOST_FRAMES]
    more = (
        tr(" and {frames:,} more", frames=len(finding.frames) - len(frames))
        if len(finding.frames) > len(frames)
        else ""
    )
    evidence = []
    for item in finding.evidence:
        source, line = take.line_in_source(item.line)
        where = tr("line {line:,}", line=line)
        if len(take.sources) > 1:
            where = tr("line {line:,} of {source}", line=line, source=shown(source))
        evidence.append({"what": shown(record_text(session, item)), "note": shown(item.note), "where": where})
    return {
        "id": finding.id,
        "severity": finding.severity.value,
        "severity_title": severity_title(finding.severity.value),
        "kind": kind_title(finding.kind),
        "name": shown(finding_name(finding)),
        "cause": cause_title(finding),
        "summary": shown(finding.summary),
        "advice": shown(finding.advice),
        "details": [shown(detail) for detail in finding.details],
        "frames": ", ".join(str(frame) for frame in frames) + more,
        "count": finding.count,
        "evidence": evidence,
        "root": finding.root,
        "consequences": list(finding.consequences),
        "picture": Markup(pictures.of(finding)) if pictures is not None else "",
    }


def _prose(text: str) -> Markup:
    """Return text as HTML; what stands in backticks becomes a name."""
    pieces = [escape(piece) for piece in text.split("`")]
    return Markup("").join(
        Markup("<b>{}</b>").format(piece) if place % 2 else piece for place, piece in enumerate(pieces)
    )


def _style(colours: Colours) -> list[tuple[str, str]]:
    """Return (name, value) of the page's colours."""
    plain = [(name, value) for name, value in colours._asdict().items() if isinstance(value, str)]
    return [*plain, *((f"via-{name}", value) for name, value in colours.via.items())]
