"""Sender gone: the only sender it listens to is gone, so it can never be called again."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.stale_listener.outliving import (
    by_class,
    ends_with_take,
    frames_of_lines,
    gone_evidence,
    names_of,
    outlives,
    subject_of_binds,
)
from opossum.findings.symptoms import NEVER_COMES
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.indexes.objects import ALIVE
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners to a sender who went. Cost: linear in the binds."""
    take, binds = scene.take, scene.take.binds
    table = take.tables["bind"]
    deaf = outlives(scene, binds.source_gone_line) & (np.asarray(table["src"]) != np.asarray(table["o"]))
    deaf &= np.asarray(table["src"]) >= 0
    deaf &= binds.owner_gone_line > binds.source_gone_line
    deaf &= ~ends_with_take(scene, binds.source_gone_line)
    rows = np.flatnonzero(deaf)
    if len(rows):
        # a sender of that name who lives at the end can still call
        last = np.full(len(rows), max(span.last_line for span in take.peers) + 1)
        state = take.objects.state_at(np.asarray(table["p"])[rows], np.asarray(table["src"])[rows], last)
        rows = rows[state != ALIVE]
    for group in by_class(scene, rows):
        yield _tell(scene, group)


def _tell(scene: Scene, binds: Array) -> Found:
    subject = subject_of_binds(scene, binds)
    sources = names_of(scene, binds, "src")
    gone_line = scene.take.binds.source_gone_line
    evidence = scene.evidence("bind", binds[:3].tolist(), tr("listens to that sender only"))
    evidence += gone_evidence(scene, gone_line[binds], tr("the sender went"))
    return Found(
        subject=subject,
        frame_rows=frames_of_lines(scene, gone_line)[binds],
        count=len(binds),
        summary=tr(
            "{fn} of {names_of} still listens to `{ev}` of {sources}, which {is_} gone: it can never be called again.",
            fn=subject.function,
            names_of=listed(names_of(scene, binds, "o")),
            ev=subject.ev,
            sources=listed(sources),
            is_=tr("is") if len(sources) == 1 else tr("are"),
        ),
        advice=tr(
            "Unbind `{ev}` when its sender goes{what}.",
            ev=subject.ev,
            what=tr("; it is bound ({at})", at=subject.at) if subject.at else "",
        ),
        evidence=tuple(evidence),
    )


SENDER_GONE = Cause(
    "sender-gone",
    "listens to one who went",
    Severity.RISK,
    find,
    symptoms=(NEVER_COMES,),
    about="The only sender that a listener listens to is gone, so that it can never be called again.",
    quiet="a sender of that name that lives again.",
)
