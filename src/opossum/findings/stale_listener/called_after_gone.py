"""Called after gone: the listener was called although its owner's life had ended."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.stale_listener.outliving import gone_evidence, outlives, pile_up
from opossum.findings.symptoms import EARLY_OR_LATE
from opossum.findings.wording import at_place, listed, milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.indexes.objects import GONE
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners that were called past their owner's life. Cost: linear in the calls and the binds."""
    for rows in scene.by_class(scene.once(stale_calls)):
        yield _tell(scene, rows)


def stale_calls(scene: Scene) -> Array:
    """Return the calls (rows, ascending) of listeners whose owner was gone.

    Where the call names its bind, that bind's owner counts: a new object of the same name does not make an old bind
    new.  Without it, the owner must be gone since before the call's frame.
    """
    take, calls, binds = scene.take, scene.take.calls, scene.take.binds
    gone_line = np.append(binds.owner_gone_line, np.int64(0))
    stale = np.append(outlives(scene, binds.owner_gone_line), False)
    by_bind = stale[calls.bind] & (scene.line > gone_line[calls.bind]) & scene.counted
    loose = np.flatnonzero(take.owner_gone & scene.counted & (calls.bind < 0))
    if len(loose):
        frame_begin = take.frames.line[calls.frame[loose]]
        before = take.objects.state_at(scene.peer[loose], scene.owner[loose], frame_begin)
        by_bind[loose[before == GONE]] = True
    return np.flatnonzero(by_bind)


def _tell(scene: Scene, rows: Array) -> Found:
    take, calls = scene.take, scene.take.calls
    subject = scene.subject_of_calls(rows)
    owners = scene.owners_of_calls(rows)
    binds = distinct(calls.bind[rows])
    binds = binds[binds >= 0]
    cost = scene.cost_of(rows)
    evidence = scene.evidence("bind", binds[:3].tolist(), tr("bound here"))
    evidence += gone_evidence(scene, _gone_lines(scene, rows, binds), tr("its owner went"))
    evidence += scene.evidence("call", rows[:4].tolist(), tr("called all the same"))
    where = take.text(int(take.tables["bind"]["at"][binds[0]])) if len(binds) else ""
    unbind = tr("Unbind `{ev}` where {cls} is destroyed", ev=subject.ev, cls=subject.cls or tr("the owner"))
    return Found(
        subject=subject,
        frame_rows=calls.frame[rows],
        count=len(rows),
        cost_ns=cost,
        summary=tr(
            "{fn} was called {times} for {objects} already gone ({owners}), {length} in all{pile_up}.",
            fn=subject.function,
            times=counted(len(rows), "time"),
            objects=counted(len(owners), "object"),
            owners=listed(owners),
            length=milliseconds(cost),
            pile_up=pile_up(scene, len(owners)),
        ),
        advice=unbind
        + (tr("; it is bound at {where}.", where=where) if where else f" ({subject.function}{at_place(subject.at)})."),
        evidence=tuple(evidence),
        calls=rows,
    )


def _gone_lines(scene: Scene, rows: Array, binds: Array) -> Array:
    """Return the lines of the `gone` records of the binds' owners, or of the calls' where no bind is known."""
    if len(binds):
        return scene.take.binds.owner_gone_line[binds]
    gone = scene.take.tables["gone"]
    lines = np.asarray(gone["line"], np.int64)
    theirs = np.isin(np.asarray(gone["o"]), distinct(scene.owner[rows])) & (
        np.asarray(gone["p"]) == scene.peer[rows[0]]
    )
    return lines[theirs & (lines < scene.line[rows[-1]])]


CALLED_AFTER_GONE = Cause(
    "called-after-gone",
    "called after its owner went",
    Severity.FAULT,
    find,
    symptoms=(EARLY_OR_LATE,),
    about="A listener is called after its owner's `gone`, also where an object of the same name lives by then and the bind was made in the earlier life.",
    quiet="unbound in the frame of the `gone`; an owner that was never spawned in the take.",
)
