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
from opossum.take.grouping import factorised
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners that nobody unbound. Cost: linear in the binds."""
    gone_line = scene.take.binds.owner_gone_line
    left = outlives(scene, gone_line) & ~ends_with_take(scene, gone_line)
    stale, bind = scene.once(stale_calls), scene.take.calls.bind
    named = bind[stale] >= 0
    left[bind[stale[named]]] = False
    rows = np.flatnonzero(left)
    rows = rows[~_called_by_name(scene, rows, stale[~named])]
    # an object of the same name may have bound what was called since anew
    unsure = rows[_called_by_name(scene, rows, np.flatnonzero(bind < 0))]
    for binds in by_class(scene, rows):
        yield _tell(scene, binds, is_sure=not np.isin(binds, unsure).any())


def _called_by_name(scene: Scene, left: Array, loose: Array) -> Array:
    """Return a boolean array (n,): after its owner went, a listener like that of each bind (row) was called in one of some calls
    (rows) that do not name their bind. Linear in such calls and the binds.
    """
    calls, binds = scene.take.calls, scene.take.tables["bind"]
    if not len(loose) or not len(left):
        return np.zeros(len(left), bool)
    of_binds = (binds["p"], binds["ev"], binds["o"], binds["fn"])
    of_calls = (scene.peer, calls.event, scene.owner, scene.function)
    alike, _ = factorised(
        *(
            np.concatenate((np.asarray(bound)[left], np.asarray(called)[loose]))
            for bound, called in zip(of_binds, of_calls, strict=True)
        )
    )
    latest = np.zeros(int(alike.max()) + 1, np.int64)
    np.maximum.at(latest, alike[len(left) :], scene.line[loose])
    return latest[alike[: len(left)]] > scene.take.binds.owner_gone_line[left]


def _tell(scene: Scene, binds: Array, is_sure: bool) -> Found:
    subject = subject_of_binds(scene, binds)
    owners = names_of(scene, binds, "o")
    gone_line = scene.take.binds.owner_gone_line
    evidence = scene.evidence("bind", binds[:3].tolist(), tr("bound here, never unbound"))
    evidence += gone_evidence(scene, gone_line[binds], tr("its owner went"))
    went = tr("its owner") if len(owners) == 1 else tr("their owners")
    since = tr("it was not called since") if is_sure else tr("no call since says that it was for this one")
    return Found(
        subject=subject,
        frame_rows=frames_of_lines(scene, gone_line)[binds],
        count=len(binds),
        summary=tr(
            "{fn} of {owners} was still bound to `{ev}` when {went} went; {since}{pile_up}.",
            fn=subject.function,
            owners=listed(owners),
            ev=subject.ev,
            went=went,
            since=since,
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
