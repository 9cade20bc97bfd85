"""Doubled: an event of a time of day was sent twice for one passing of that time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.symptoms import FIRES_TWICE
from opossum.findings.threshold_missed.passing import LEARNT_FIRINGS, by_event, tell
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield events that came twice for one time."""
    for moments in by_event(scene):
        missed = [passing for passing in moments if any(len(rows) > 1 for rows in passing.sends)]
        if not missed:
            continue
        again = np.concatenate([rows[1:] for passing in missed for rows in passing.sends])
        first = next(rows for rows in missed[0].sends if len(rows) > 1)
        yield tell(
            scene,
            missed,
            scene.take.sends.frame[again],
            np.concatenate((first[:1], again)),
            tr(
                "`{{event}}` is due {{when}} and was sent again {times} before its time came round.",
                times=counted(len(again), "time"),
            ),
            tr("Remember that `{event}` was sent for this passing, and send it again only after the next one."),
            np.zeros(0, np.int64),
        )


DOUBLED = Cause(
    "doubled",
    "sent twice for one time",
    Severity.FAULT,
    find,
    (LEARNT_FIRINGS,),
    group=FIRES_TWICE,
    about="An event was sent twice for one passing of its time.",
    quiet="a clock set back that passes again.",
)
