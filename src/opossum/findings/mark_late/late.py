"""Late: a mark's send comes frames after its place was reached."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.mark_late.coming import FROM_A_STALL, MARK_LATE_FRAMES, MARK_LATE_MS, coming
from opossum.findings.marks_told import by_mark, tell
from opossum.findings.scene import Scene
from opossum.findings.wording import milliseconds
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield marks that come late."""
    marks = coming_late(scene)
    late = scene.once(coming)
    for part in by_mark(scene, late.rows[marks]):
        mine = marks[part]
        rows = late.rows[mine]
        frames = late.came[mine] - late.due[mine]
        stood = float(np.median(late.stood_ns[mine]))
        yield tell(
            scene,
            rows,
            late.came[mine],
            tr(
                "Mark `{{mark}}` of `{{clip}}` came {length} ({frames}) after its place, {times}{stood}.",
                length=milliseconds(float(np.median(late.off_ns[mine] + late.stood_ns[mine]))),
                frames=counted(round(float(np.median(frames))), "frame"),
                times=counted(len(mine), "time"),
                stood=tr(", of which long frames since its clip began explain {part}", part=milliseconds(stood))
                if stood
                else "",
            ),
            tr(
                "Send `{mark}` in the first frame in which `{clip}` of {owner} has reached its place, not from a "
                "check that runs now and then."
            ),
        )


def coming_late(scene: Scene) -> np.ndarray:
    """Return the positions, in `coming`, of the marks that came late by themselves, not in a burst."""
    came = scene.once(coming)
    late = (came.came >= 0) & (came.came - came.due >= scene[MARK_LATE_FRAMES]) & ~came.in_burst
    return np.flatnonzero(late & (came.off_ns > scene[MARK_LATE_MS] * 1e6))


LATE = Cause(
    "late",
    "later than its place",
    Severity.RISK,
    find,
    (MARK_LATE_FRAMES, MARK_LATE_MS),
    springs_from=FROM_A_STALL,
    about="A mark is sent two or more frames, and more than 20 ms, after its place was reached.",
    quiet="a frame late; late by the clock on the wall but not by the time the game was told (`dt`); late by no more than the game stood still since the clip began.",
)
