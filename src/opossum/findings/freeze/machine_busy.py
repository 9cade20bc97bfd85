"""Machine busy: frames that took long because the machine was taken away from the game, which is no fault of the game."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.freeze.frozen import FREEZE_LONGER_THAN_MS, THRESHOLDS, frozen
from opossum.findings.scene import Scene
from opossum.findings.wording import milliseconds
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield, once a peer, the frames in which the machine's doing alone was as long as a freeze. Linear in the frames."""
    take = scene.take
    limit = scene[FREEZE_LONGER_THAN_MS] * 1e6
    froze = np.zeros(len(take.frames), bool)
    froze[scene.once(frozen).rows] = True
    taken = take.frames.machine_ns
    for peer in range(len(take.peers)):
        mine = np.arange(len(take.frames))[take.frames.of_peer(peer)]
        rows = mine[take.frames.settled[mine] & (taken[mine] > limit) & ~froze[mine]]
        if not len(rows):
            continue
        lines = take.frames.line[rows]
        table = np.asarray(take.tables["frame"]["line"], np.int64)
        yield Found(
            subject=Subject(peer=scene.peer_name(peer)),
            frame_rows=rows,
            count=len(rows),
            summary=tr(
                "This machine was taken away from the game for {length} in {frames}, {length2} at most: the "
                "game's thread could have run and was not run.",
                length=milliseconds(float(taken[rows].sum())),
                frames=counted(len(rows), "frame"),
                length2=milliseconds(float(taken[rows].max())),
            ),
            advice=tr("Nothing is to be changed in the game; record it on a machine with less to do beside it."),
            evidence=tuple(
                scene.evidence(
                    "frame", np.searchsorted(table, lines).tolist(), tr("the machine was taken away"), most=6
                )
            ),
        )


MACHINE_BUSY = Cause(
    "machine-busy",
    "the machine was busy",
    Severity.NOTE,
    find,
    THRESHOLDS,
    about="In frames that took long the game's thread could have run and was not run: other programs had the processor.",
    quiet="frames that froze by what the game did as well.",
)
