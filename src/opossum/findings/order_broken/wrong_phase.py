"""Wrong phase: a function that runs in one phase nearly always, ran in another and changed something there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS, within_its_frames
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, factorised, parted
from opossum.words import counted, tr

PHASE_SHARE = Threshold(
    "phase_share", 0.95, "share of the calls", "what runs elsewhere more often has no phase of its own"
)
PHASE_CALLS = Threshold("phase_calls", 40, "calls", "with fewer there is no rule that could be broken")


def find(scene: Scene) -> Iterator[Found]:
    """Yield functions that strayed from their phase. Linear in the calls."""
    take, calls = scene.take, scene.take.calls
    phase = np.asarray(take.phase_of_call, np.int64)
    # functions that nobody names may be many
    rows = np.flatnonzero(scene.counted & (phase >= 0) & (scene.function >= 0))
    if not len(rows):
        return
    function, _ = factorised(scene.peer[rows], scene.class_of_object[scene.owner[rows]], scene.function[rows])
    in_phase, first = factorised(function, phase[rows])
    counts = np.bincount(in_phase)
    whole = np.bincount(function)
    share = counts / whole[function[first]]
    main = (share >= scene[PHASE_SHARE]) & (share < 1) & (whole[function[first]] >= scene[PHASE_CALLS])
    home = np.full(len(whole), -1, np.int64)
    home[function[first[main]]] = phase[rows[first[main]]]
    acted = (calls.effect > 0) | scene.sent
    strayed = (home[function] >= 0) & (phase[rows] != home[function]) & acted[rows]
    mine = rows[strayed]
    for part in parted(function[strayed]):
        number = int(function[strayed][part[0]])
        yield _tell(scene, mine[part], int(home[number]), int(whole[number]))


def _tell(scene: Scene, rows: Array, home: int, whole: int) -> Found:
    take = scene.take
    subject = scene.subject_of_calls(rows)
    strange = distinct(np.asarray(take.phase_of_call)[rows])
    phases = listed([f"`{take.text(int(code))}`" for code in strange])
    sender = listed([f"`{take.event_of_call(int(call))}`" for call in rows[:20]])
    return Found(
        subject=subject._replace(ev=""),
        frame_rows=take.calls.frame[rows],
        count=len(rows),
        cost_ns=scene.cost_of(rows),
        summary=tr(
            "{fn} runs in phase `{home}`, but ran in {phases} {times} of {whole:,} and changed something there.",
            fn=subject.function,
            home=take.text(home),
            phases=phases,
            times=counted(len(rows), "time"),
            whole=whole,
        ),
        advice=tr(
            "Let {sender} wait for phase `{home}` before it calls {fn}{place}.",
            sender=sender,
            home=take.text(home),
            fn=subject.function,
            place=at_place(subject.at),
        ),
        evidence=tuple(scene.evidence("call", rows[:6].tolist(), tr("in another phase"))),
        calls=rows,
    )


WRONG_PHASE = Cause(
    "wrong-phase",
    "in another phase",
    Severity.RISK,
    find,
    (PHASE_SHARE, PHASE_CALLS),
    springs_from=(*FROM_STALE_CALLS, Spring("order-broken/phase-order", within_its_frames)),
    about="A function that runs in one phase in at least 95 of 100 calls runs in another and changes something there.",
    quiet="calls that change nothing; calls outside any phase; calls that do not tell their function.",
)
