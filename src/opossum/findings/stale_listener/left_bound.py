"""Left bound: still bound when its owner went, and not called since."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.stale_listener.called_after_gone import stale_calls
from opossum.findings.stale_listener.outliving import (
    by_class,
    ends_with_take,
    frames_of_lines,
    gone_evidence,
    names_of,
    outlives,
    pile_up,
    subject_of_binds,
)
from opossum.findings.symptoms import NEVER_COMES
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners that nobody unbound. Cost: linear in the binds."""
    gone_line = scene.take.binds.owner_gone_line
    left = outlives(scene, gone_line) & ~ends_with_take(scene, gone_line)
    called = scene.take.calls.bind[scene.once(stale_calls)]
    left[called[called >= 0]] = False
    for binds in by_class(scene, np.flatnonzero(left)):
        yield _tell(scene, binds)


def _tell(scene: Scene, binds: Array) -> Found:
    subject = subject_of_binds(scene, binds)
    owners = names_of(scene, binds, "o")
    gone_line = scene.take.binds.owner_gone_line
    evidence = scene.evidence("bind", binds[:3].tolist(), tr("bound here, never unbound"))
    evidence += gone_evidence(scene, gone_line[binds], tr("its owner went"))
    went = tr("its owner") if len(owners) == 1 else tr("their owners")
    return Found(
        subject=subject,
        frame_rows=frames_of_lines(scene, gone_line)[binds],
        count=len(binds),
        summary=tr(
            "{fn} of {owners} was still bound to `{ev}` when {went} went; it was not called since{pile_up}.",
            fn=subject.fn,
            owners=listed(owners),
            ev=subject.ev,
            went=went,
            pile_up=pile_up(scene, len(owners)),
        ),
        advice=tr(
            "Unbind `{ev}` where {cls} is destroyed{what}.",
            ev=subject.ev,
            cls=subject.cls or tr("the owner"),
            what=tr("; it is bound ({at})", at=subject.at) if subject.at else "",
        ),
        evidence=tuple(evidence),
    )


LEFT_BOUND = Cause(
    "left-bound",
    "left bound",
    Severity.RISK,
    find,
    symptoms=(NEVER_COMES,),
    about="A listener is still bound when its owner goes, and is not called since.",
    quiet="an end in the take's last frame.",
)
