"""Clip ended: the clip that carried the mark ended, and the mark is still waited for."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.clips import clips
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.wait_never_met.waiting import FROM_THE_MARK, never_met, told
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield waits that outlived the clip they were for."""
    never, known = scene.once(never_met), scene.once(clips)
    mine = never.play >= 0
    yield from told(
        scene,
        never.rows[mine],
        known.end_frame[never.play[mine]],
        tr("the clip that carried it ended, and no other began"),
        tr("Give up the wait for `{event}`{where} when the clip ends, or let the clip play past its mark."),
    )


CLIP_ENDED = Cause(
    "clip-ended",
    "its clip ended",
    Severity.FAULT,
    find,
    springs_from=FROM_THE_MARK,
    weave="clips",
    about="The clip that carried the mark ended, no other began, and the mark is still waited for.",
    quiet="a wait that is given up; a clip that ends with the take.",
)
