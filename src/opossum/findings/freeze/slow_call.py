"""A slow call: one call's own time is most of the frame."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Severity
from opossum.findings.freeze import endless_loop, event_storm
from opossum.findings.freeze.frozen import (
    FREEZE_OWN_SHARE,
    THRESHOLDS,
    happened_before,
    own_times,
    records_in,
    stack_details,
)
from opossum.findings.freeze.main_thread import main_calls
from opossum.findings.freeze.telling import Verdict, told, verdicts_of
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.symptoms import EATS_THE_FRAME, HANGS
from opossum.findings.wording import at_place, milliseconds
from opossum.words import tr


def judge(scene: Scene, frame: int, length: int) -> Verdict | None:
    """Say whether one call held the frame by itself."""
    take, calls = scene.take, scene.take.calls
    rows = scene.once(main_calls).rows(frame)
    if not len(rows):
        return None
    own = own_times(scene, rows)
    worst = int(np.argmax(own))
    longest = int(own[worst])
    # while the machine was away from the frame, it may have been in this call
    if longest - int(take.frames.machine_ns[frame]) < scene[FREEZE_OWN_SHARE] * length:
        return None
    call = int(rows[worst])
    subject = scene.subject_of_calls(rows[worst : worst + 1])
    stuck = records_in(scene, "stuck", frame)
    evidence = scene.evidence("call", [call], tr("began here"))
    if calls.ret[call] >= 0:
        evidence += scene.evidence("ret", [int(calls.ret[call])], tr("came back here"))
    evidence += scene.evidence("stuck", stuck[-2:].tolist(), tr("the watchdog saw it"))
    named = {
        "fn": subject.function,
        "owner_of_call": take.owner_of_call(call),
        "ev": subject.ev,
        "length": milliseconds(min(longest, length)),
    }
    return Verdict(
        key=(subject.cls, subject.fn, subject.ev),
        subject=subject,
        reason=(
            tr("{fn} of {owner_of_call}, called by `{ev}`, took {length} itself", **named)
            if longest <= length
            else tr("{fn} of {owner_of_call}, called by `{ev}`, took up to {length} of it itself", **named)
        ),
        advice=tr(
            "Spread the work of {fn} over frames, or do it on another thread{place}.",
            fn=subject.function,
            place=at_place(subject.at),
        ),
        evidence=evidence,
        calls=np.array([call], np.int64),
        details=[*stack_details(scene, stuck), happened_before(scene, frame, call)],
    )


VERDICTS = verdicts_of(judge, event_storm.VERDICTS, endless_loop.VERDICTS)
SLOW_CALL = Cause(
    "slow-call",
    "one slow call",
    Severity.FAULT,
    told(VERDICTS),
    (*THRESHOLDS, FREEZE_OWN_SHARE),
    springs_from=FROM_STALE_CALLS,
    symptoms=(EATS_THE_FRAME, HANGS),
    about="One call's own time is at least half of a frozen frame, even without what the machine took of the frame.",
    quiet="loading; time held at a tripwire; what threads other than the frames' own do meanwhile; a thread that does not run where it draws (`draw`, `on_draw`), where `idle` tells its own time: it waits for the display.",
)
