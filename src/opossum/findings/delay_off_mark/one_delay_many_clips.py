"""One delay, many clips: a fixed delay stands in for marks of clips of different lengths."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.declaring import Cause
from opossum.findings.delay_off_mark.pairing import landings
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.words import counted, tr

CLIP_LENGTHS_SHARE = Threshold(
    "clip_lengths_share", 0.1, "share of the longer clip", "clips nearer in length than this can share a delay"
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield delays used with clips of different lengths. Linear in landings."""
    take, marks, pairs, known = scene.take, scene.take.marks, scene.once(landings), scene.once(clips)
    marked = np.zeros(len(known.line), bool)
    marked[marks.play] = True
    rows = np.flatnonzero(~marked[pairs.play])
    if not len(rows):
        return
    table = take.tables["arm"]
    arms, plays = pairs.arm[rows], pairs.play[rows]
    seconds = np.nan_to_num(np.asarray(table["sec"], np.float64)[arms], nan=-1.0)
    interval = np.where(seconds >= 0, np.rint(seconds * 1e6), np.asarray(table["frames"], np.float64)[arms] - 1e9)
    groups = (known.peer[plays], known.cls[plays], take.arms.event[arms], interval.astype(np.int64))
    for part in parted(*groups):
        lengths = np.asarray(take.tables["play"]["len"], np.float64)[plays[part]]
        lengths = lengths[np.isfinite(lengths)]
        many = len(distinct(known.clip[plays[part]])) > 1 and len(lengths) > 1
        if many and lengths.max() - lengths.min() > scene[CLIP_LENGTHS_SHARE] * lengths.max():
            yield _tell(scene, rows[part])


def _tell(scene: Scene, rows: Array) -> Found:
    take, pairs, known = scene.take, scene.once(landings), scene.once(clips)
    plays, sends, arm = pairs.play[rows], distinct(pairs.send[rows]), int(pairs.arm[rows[0]])
    event = take.text(int(take.arms.event[arm]))
    names = [take.text(code) for code in distinct(known.clip[plays]).tolist()]
    lengths = np.asarray(take.tables["play"]["len"], np.float64)[plays]
    at = take.text(int(take.tables["arm"]["at"][arm]))
    subject = known.subject(plays, ev=event, clip="", at=at)
    evidence = scene.evidence("arm", distinct(pairs.arm[rows])[:3].tolist(), tr("the delay is set"))
    firsts = np.array([int(plays[known.clip[plays] == clip][0]) for clip in distinct(known.clip[plays])])
    evidence += known.evidence(firsts, tr("a clip it is used with"))
    return Found(
        subject=subject,
        frame_rows=take.sends.frame[sends],
        count=len(sends),
        summary=tr(
            "One delay for `{event}` of {o} is used with {what}, which take {min:.2f} to {max:.2f} s, {times}.",
            event=event,
            o=subject.o or subject.cls,
            what=listed([f"`{name}`" for name in names]),
            min=lengths.min(),
            max=lengths.max(),
            times=counted(len(sends), "time"),
        ),
        advice=tr(
            "Put a mark for `{event}` into each of these clips, and bind to it instead of a delay{place}.",
            event=event,
            place=at_place(at),
        ),
        evidence=tuple(evidence),
        calls=scene.calls_of_sends(sends),
    )


ONE_DELAY_MANY_CLIPS = Cause(
    "one-delay-many-clips",
    "one delay for clips of different lengths",
    Severity.RISK,
    find,
    (CLIP_LENGTHS_SHARE,),
    about="One delay is used with clips without marks whose lengths differ by more than a tenth.",
    quiet="clips of about one length.",
)
