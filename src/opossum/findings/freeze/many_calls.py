"""Many calls: no single one is to blame, together they are most of the frame."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Severity, Subject
from opossum.findings.freeze import endless_loop, event_storm, slow_call
from opossum.findings.freeze.frozen import FREEZE_OWN_SHARE, THRESHOLDS, happened_before, own_times
from opossum.findings.freeze.main_thread import main_calls
from opossum.findings.freeze.telling import Verdict, told, verdicts_of
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.symptoms import EATS_THE_FRAME, HANGS
from opossum.findings.wording import at_place, listed, milliseconds
from opossum.words import counted, tr

MOST_NAMED = 2000
"""Calls of a burst whose functions are named."""


def judge(scene: Scene, frame: int, length: int) -> Verdict | None:
    """Say whether a burst of calls held the frame; the event that cost most is named."""
    take, calls = scene.take, scene.take.calls
    rows = scene.once(main_calls).rows(frame)
    if not len(rows):
        return None
    own = own_times(scene, rows)
    # while the machine was away from the frame, it may have been in these calls
    if int(own.sum()) - int(take.frames.machine_ns[frame]) < scene[FREEZE_OWN_SHARE] * length:
        return None
    events, of_event = np.unique(calls.event[rows], return_inverse=True)
    spent = np.bincount(of_event, weights=own)
    event = int(np.argmax(spent))
    burst = rows[of_event == event]
    subject = scene.subject_of_calls(burst)
    functions = sorted({take.function_of_call(int(row)) for row in burst[:MOST_NAMED]})
    name = take.text(int(events[event]))
    if len(functions) > 1:
        subject = Subject(ev=name, peer=subject.peer)
    evidence = scene.evidence("call", burst[:2].tolist(), tr("the first of them"))
    evidence += scene.evidence("call", burst[-1:].tolist(), tr("the last of them"))
    return Verdict(
        key=(name,),
        subject=subject,
        reason=tr(
            "`{name}` made {calls} of {functions} in one frame, {length} together, none of them long",
            name=name,
            calls=counted(len(burst), "call"),
            functions=listed(functions),
            length=milliseconds(min(float(spent[event]), length)),
        ),
        advice=tr(
            "Send `{name}` once with all it is about, or spread it over frames{place}.",
            name=name,
            place=at_place(subject.at),
        ),
        evidence=evidence,
        calls=burst,
        details=[happened_before(scene, frame, int(burst[0]))],
    )


VERDICTS = verdicts_of(judge, event_storm.VERDICTS, endless_loop.VERDICTS, slow_call.VERDICTS)
MANY_CALLS = Cause(
    "many-calls",
    "too many calls",
    Severity.FAULT,
    told(VERDICTS),
    (*THRESHOLDS, FREEZE_OWN_SHARE),
    springs_from=FROM_STALE_CALLS,
    symptoms=(EATS_THE_FRAME, HANGS),
    about="Calls together are at least half of a frozen frame, even without what the machine took of it, none of them alone.",
    quiet="a game that is slow throughout.",
)
