"""Returned: a function that sends on in nearly all its calls came back without, and had changed nothing."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import counted, tr

SENDS_ON_SHARE = Threshold("sends_on_share", 0.95, "share of the calls", "what sends on less often does so by choice")
SENDS_ON_CALLS = Threshold("sends_on_calls", 20, "calls", "with fewer there is no rule that could be broken")


def find(scene: Scene) -> Iterator[Found]:
    """Yield functions that came back without sending on. Linear in the calls."""
    take, calls = scene.take, scene.take.calls
    raised = np.append(np.asarray(take.tables["ret"]["err"]) >= 0, False)[calls.ret]
    rows = np.flatnonzero(scene.counted & calls.returned)
    whole = np.bincount(scene.class_groups[calls.listener[rows]])
    sending = np.bincount(scene.class_groups[calls.listener[rows]], weights=scene.sent[rows])
    likely = (whole >= scene[SENDS_ON_CALLS]) & (sending < whole) & (sending >= scene[SENDS_ON_SHARE] * whole)
    nothing = (calls.effect == 0) | ((calls.effect < 0) & (calls.own == 0))
    mine = rows[likely[scene.class_groups[calls.listener[rows]]]]
    ended = mine[~scene.sent[mine] & nothing[mine] & ~raised[mine]]
    for part in scene.by_class(ended):
        number = int(scene.class_groups[calls.listener[part[0]]])
        yield _tell(scene, part, mine, int(whole[number]), int(sending[number]))


def _tell(scene: Scene, rows: Array, others: Array, whole: int, sending: int) -> Found:
    take = scene.take
    subject = scene.subject_of_calls(rows)
    group = scene.class_groups[take.calls.listener[rows[0]]]
    example = others[(scene.class_groups[take.calls.listener[others]] == group) & scene.sent[others]][:50]
    sent = np.flatnonzero(np.isin(take.sends.cause, example))
    events = listed([f"`{take.text(int(code))}`" for code in distinct(np.asarray(take.tables["send"]["ev"])[sent])])
    evidence = scene.evidence("call", rows[:6].tolist(), tr("came back without sending on"))
    evidence += scene.evidence("call", example[:2].tolist(), tr("sent on, as usual"))
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} sends {events} in {sending:,} of {whole:,} calls; {times} it came back without, and had "
            "changed nothing.",
            fn=subject.function,
            events=events,
            sending=sending,
            whole=whole,
            times=counted(len(rows), "time"),
        ),
        advice=tr(
            "Look at the early return of {fn}{place}: nobody is told that it did nothing.",
            fn=subject.function,
            place=at_place(subject.at),
        ),
        evidence=tuple(evidence),
        calls=rows,
    )


RETURNED = Cause(
    "returned",
    "came back without sending on",
    Severity.RISK,
    find,
    (SENDS_ON_SHARE, SENDS_ON_CALLS),
    springs_from=FROM_STALE_CALLS,
    about="A function that sends on in at least 95 of 100 calls came back without, and had changed nothing.",
    quiet="calls that raised, or changed something else.",
)
