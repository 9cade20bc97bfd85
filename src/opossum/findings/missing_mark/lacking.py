"""What the causes share: the marks of each clip, and how a lacking one is told."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.finding import Evidence, Found
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import factorised
from opossum.words import tr


class MarkedClips(NamedTuple):
    """The clips of each class: `clip_of_play`, the number of each play's (peer, class, clip); by number its `cls` (peer and
    class) and the set of its marks; by (peer and class) the clips that have each mark, with the mark's seconds.
    """

    clip_of_play: Array
    class_of_play: Array
    marks_of_clip: dict[int, set[int]]
    having: dict[tuple[int, int], dict[int, float]]


def marked_clips(scene: Scene) -> MarkedClips:
    """Return which clips of which class have which marks. Linear in plays and marks."""
    marks, known = scene.take.marks, scene.once(clips)
    if not len(known.line):
        return MarkedClips(known.line, known.line, {}, {})
    cls, _ = factorised(known.peer, known.cls)
    clip, _ = factorised(cls, known.clip)
    _, rows = factorised(clip[marks.play], marks.name)
    counted = known.counted()
    marks_of_clip: dict[int, set[int]] = {}
    having: dict[tuple[int, int], dict[int, float]] = {}
    for row in rows.tolist():
        play, name = int(marks.play[row]), int(marks.name[row])
        if counted[play]:
            marks_of_clip.setdefault(int(clip[play]), set()).add(name)
            having.setdefault((int(cls[play]), name), {})[int(clip[play])] = float(marks.seconds[row])
    return MarkedClips(clip.astype(np.int64), cls.astype(np.int64), marks_of_clip, having)


def tell(
    scene: Scene, plays: Array, name: int, frames: Array, why: str, others: list[int], evidence: list[Evidence]
) -> Found:
    """Return a finding about plays (rows) of a clip that lacks a mark which `others` (numbers of clips) have."""
    take, marks, known = scene.take, scene.take.marks, scene.once(clips)
    all_clips = scene.once(marked_clips)
    text = marks.text_of(name)
    subject = known.subject(plays, mark=text)
    cls = int(all_clips.class_of_play[plays[0]])
    places = all_clips.having[cls, name]
    _, firsts = np.unique(all_clips.clip_of_play, return_index=True)
    names = [take.text(int(known.clip[firsts[clip]])) for clip in others]
    lengths = np.asarray(take.tables["play"]["len"], np.float64)
    model = int(firsts[others[0]])
    near = places[others[0]]
    if lengths[model] > 0 and lengths[plays[0]] > 0:
        near *= lengths[plays[0]] / lengths[model]
    having = listed([f"`{clip}`" for clip in names])
    verb = tr("has") if len(names) == 1 else tr("have")
    evidence = (
        known.evidence(plays, tr("has no mark `{text_}`", text_=text))
        + evidence
        + known.evidence(np.array([model]), tr("has it"))
    )
    return Found(
        subject=subject,
        frame_rows=frames,
        count=len(plays),
        summary=tr(
            "`{clip}` of {o} has no mark `{text_}`, which {having} {verb}; {why}.",
            clip=subject.clip,
            o=subject.o or subject.cls,
            text_=text,
            having=having,
            verb=verb,
            why=why,
        ),
        advice=tr(
            "Put the mark `{text_}` into `{clip}` near {near:.2f} s, where {having} {verb} it.",
            text_=text,
            clip=subject.clip,
            near=near,
            having=having,
            verb=verb,
        ),
        evidence=tuple(evidence),
    )
