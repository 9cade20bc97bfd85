"""The Story's text: a finding told with its proof, as a small page of HTML. No Qt: it is only text."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from urllib.parse import quote

from opossum.findings.finding import Evidence, Finding
from opossum.foreign_text import shown_html
from opossum.words import tr
from opossum_desk.layout.describing import record_text
from opossum_desk.layout.wording import cause_title, finding_name, kind_title, severity_title
from opossum_desk.state.session import Session
from opossum_desk.state.source_places import find_source, lines_around, places_in
from opossum_desk.state.uncounting import LEFT_OUT_BY

MOST_FRAME_LINKS = 12
MOST_SOURCES = 3
"""Places whose lines are shown."""


def story_html(
    session: Session,
    finding: Finding,
    ink: str,
    quiet: str,
    accent: str,
    offer: tuple[str, str] | None = None,
    roots: Sequence[Path] = (),
) -> str:
    """Return the page of one finding in the given colours.

    Links are `frame:COLUMN`, `call:ROW`, `finding:ID`; `offer`: (name, words) of a weave that proves it better, `weave:NAME`; `rehearse:`, `rule:`.
    Places in the source are `place:FILE:LINE`; where their files lie below one of `roots`, their lines are shown.
    """
    from opossum.rehearse.fixes import can_be_rehearsed  # not needed before something was found

    parts = [
        f'<p style="margin:0;color:{accent if finding.severity.value == "fault" else quiet}">'
        f"{severity_title(finding.severity.value)} · {shown_html(kind_title(finding.kind))}</p>",
        f'<p style="margin:2px 0 8px 0;font-size:large"><b>{shown_html(finding_name(finding))}</b> – '
        f"{shown_html(cause_title(finding))}</p>",
        f"<p>{_prose(finding.summary)}</p>",
        f'<p style="color:{quiet};margin-bottom:0">{tr("What to change")}</p><p style="margin-top:0">{_prose(finding.advice)}</p>',
    ]
    parts += [f"<p>{_prose(detail)}</p>" for detail in finding.details]
    parts += _source(finding, roots, quiet)
    if offer:
        parts.append(f'<p><a href="weave:{offer[0]}">{shown_html(offer[1])}</a></p>')
    rehearse = f'<a href="rehearse:">{tr("Rehearse this fix")}</a> · ' if can_be_rehearsed(finding) else ""
    parts.append(f'<p>{rehearse}<a href="rule:">{tr("Write a rule against it")}</a></p>')
    parts.append(_frames(session, finding, quiet))
    parts.append(f'<p style="color:{quiet};margin-bottom:0">{tr("Proof")}</p>')
    parts += [_evidence(session, item, quiet) for item in finding.evidence]
    for title, ids in (
        (tr("Follows from"), [finding.root] if finding.root else []),
        (tr("What follows from it"), finding.consequences),
    ):
        links = [_finding_link(session, other) for other in ids]
        if links:
            parts.append(f'<p style="color:{quiet};margin-bottom:0">{title}</p>' + "".join(links))
    parts.append(_leaving_out(finding, quiet))
    return f'<div style="color:{ink}">' + "".join(parts) + "</div>"


def _leaving_out(finding: Finding, quiet: str) -> str:
    """Return links that leave such findings out from now on: for this object, class or place."""
    subject = finding.subject.as_dict()
    links = [
        f'<a href="uncount:{name}">{word} {shown_html(subject[name])}</a>'
        for name, word in LEFT_OUT_BY
        if name in subject
    ]
    if not links:
        return ""
    return f'<p style="color:{quiet};margin-bottom:0">{tr("Do not count this for")}</p><p style="margin-top:0">{" · ".join(links)}</p>'


def _source(finding: Finding, roots: Sequence[Path], quiet: str) -> list[str]:
    """Return the lines around the places that a finding names, those that are on this machine."""
    named = [finding.advice, finding.summary, finding.subject.at]
    places = dict.fromkeys(place for text in named for _, _, place in places_in(text))
    parts = []
    for place in list(places)[:MOST_SOURCES]:
        path = find_source(place, roots)
        lines = lines_around(path, place.line) if path is not None else []
        if not lines:
            continue
        # what all lines lean in is left out: the panel is narrow
        lean = min((len(text) - len(text.lstrip()) for _, text in lines if text.strip()), default=0)
        rows = "".join(_source_line(number, text[lean:], number == place.line, quiet) for number, text in lines)
        link = f'<a href="place:{quote(str(place))}">{shown_html(str(place))}</a>'
        parts.append(f'<p style="margin-bottom:2px">{link}</p>{rows}')
    return parts


def _source_line(number: int, text: str, meant: bool, quiet: str) -> str:
    text = text.expandtabs(4)
    bare = text.lstrip()
    indented = "&nbsp;" * (len(text) - len(bare)) + shown_html(bare)
    told = f"<b>{indented}</b>" if meant else indented
    return f'<p style="margin:0"><tt><span style="color:{quiet}">{number}&nbsp;</span>{told}</tt></p>'


def _prose(text: str) -> str:
    """Return text as HTML; what stands in backticks becomes a name, a place in the source a link."""
    pieces, at = [], 0
    for start, stop, place in places_in(text):
        pieces.append(shown_html(text[at:start]))
        pieces.append(f'<a href="place:{quote(str(place))}">{shown_html(text[start:stop])}</a>')
        at = stop
    pieces = "".join([*pieces, shown_html(text[at:])]).split("`")
    return "".join(f"<b>{piece}</b>" if index % 2 else piece for index, piece in enumerate(pieces))


def _frames(session: Session, finding: Finding, quiet: str) -> str:
    columns = session.columns_of(finding)
    if not len(columns):
        return ""
    step = max(1, len(columns) // MOST_FRAME_LINKS)
    shown = columns[::step][:MOST_FRAME_LINKS]
    links = " ".join(f'<a href="frame:{column}">{_number(session, column)}</a>' for column in shown)
    more = tr(" … of {columns:,}", columns=len(columns)) if len(columns) > len(shown) else ""
    return f'<p style="color:{quiet};margin-bottom:0">{tr("Frames where it shows")}</p><p style="margin-top:0">{links}{more}</p>'


def _number(session: Session, column: int) -> str:
    number = int(session.axis.numbers[column])
    return str(number) if number >= 0 else tr("start-up")


def _evidence(session: Session, item: Evidence, quiet: str) -> str:
    take = session.take
    source, line = take.line_in_source(item.line)
    where = tr("line {line:,}", line=line)
    if len(take.sources) > 1:
        where = tr("line {line:,} of {source}", line=line, source=source)
    href = ""
    if item.k == "call":
        href = f"call:{item.row}"
    else:
        table = take.tables[item.k]
        columns = session.axis_columns(
            take.frames.rows_of_lines(table["p"][item.row : item.row + 1], table["line"][item.row : item.row + 1])
        )
        href = f"frame:{columns[0]}" if columns else ""
    what = shown_html(record_text(session, item))
    linked = f'<a href="{href}">{what}</a>' if href else what
    return (
        f'<p style="margin:1px 0">{linked} – {shown_html(item.note)} <span style="color:{quiet}">({where})</span></p>'
    )


def _finding_link(session: Session, finding_id: str) -> str:
    other = session.finding_named(finding_id)
    if other is None:
        return ""
    return f'<p style="margin-top:0"><a href="finding:{quote(other.id)}">{_prose(other.summary)}</a></p>'
