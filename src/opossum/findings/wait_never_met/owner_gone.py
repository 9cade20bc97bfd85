"""Owner gone: who waits is gone, and the wait was not given up."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.wait_never_met.waiting import FROM_THE_MARK, never_met, told, went
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield waits whose owner went."""
    take = scene.take
    never = scene.once(never_met)
    mine = went(never)
    rows, lines = never.rows[mine], never.gone_line[mine]
    peers = np.asarray(take.tables["wait"]["p"])[rows]
    yield from told(
        scene,
        rows,
        take.frames.rows_of_lines(peers, lines),
        tr("the owner went during the wait"),
        tr("Give up the wait for `{event}`{where} where its owner is destroyed."),
    )


OWNER_GONE = Cause(
    "owner-gone",
    "its owner went",
    Severity.FAULT,
    find,
    springs_from=FROM_THE_MARK,
    about="The owner went while it waited.",
    quiet="a wait given up before.",
)
